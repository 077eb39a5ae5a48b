package library

import "errors"

// Setting is something that a studio decides once for all: its standards, its synonyms, its webhooks. It has a version,
// which is 1 until it is saved for the first time; its value is the zero one until then.
type Setting[T any] struct{ Name string }

// SettingReader reads settings by name, with how often they were saved; ErrNotFound if never.
type SettingReader interface {
	Setting(name string, to any) (saved int64, err error)
}

// SettingTx saves them; ErrStale if saved is not how often the setting was.
type SettingTx interface {
	SettingReader
	SaveSetting(name string, value any, saved int64) error
}

// Get reads the setting and its version.
func (k Setting[T]) Get(tx SettingReader) (value T, version int64, err error) {
	saved, err := tx.Setting(k.Name, &value)
	if errors.Is(err, ErrNotFound) {
		err = nil
	}
	return value, saved + 1, err
}

// Save puts a value in the place of the version that was seen (0 for whichever there is; else ErrStale), and returns what
// there was and the new version.
func (k Setting[T]) Save(tx SettingTx, seen int64, value T) (was T, version int64, err error) {
	was, had, err := k.Get(tx)
	if err != nil {
		return was, 0, err
	}
	if seen != 0 && seen != had {
		return was, 0, ErrStale
	}
	return was, had + 1, tx.SaveSetting(k.Name, value, had-1)
}
