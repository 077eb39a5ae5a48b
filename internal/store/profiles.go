package store

import (
	"encoding/json"

	"aldermoor/internal/library/releases"
)

const profileColumns = `SELECT id, version, document, by_name, created, removed FROM profiles `

func scanProfile(scan func(...any) error) (p releases.Profile, err error) {
	var created int64
	var document []byte
	if err = scan(&p.ID, &p.Version, &document, &p.By, &created, &p.Removed); err != nil {
		return p, err
	}
	p.Created = moment(created)
	return p, json.Unmarshal(document, &p.Document)
}

func (t *tx) Profiles() (list []releases.Profile, err error) {
	err = t.each(profileColumns+`p WHERE removed = 0 AND version = (SELECT max(version) FROM profiles WHERE id = p.id) ORDER BY id`, nil, func(scan func(...any) error) error {
		p, err := scanProfile(scan)
		list = append(list, p)
		return err
	})
	return list, err
}

func (t *tx) Profile(id string, version int) (releases.Profile, error) {
	return scanProfile(func(to ...any) error {
		if version == 0 {
			return t.one(profileColumns+`WHERE id = ? ORDER BY version DESC LIMIT 1`, []any{id}, to...)
		}
		return t.one(profileColumns+`WHERE id = ? AND version = ?`, []any{id, version}, to...)
	})
}

func (t *tx) AddProfile(p releases.Profile) error {
	t.Changed("profiles")
	_, err := t.exec(`INSERT INTO profiles (id, version, document, by_name, created) VALUES (?, ?, ?, ?, ?)`, p.ID, p.Version, asJSON(p.Document), p.By, stamp(p.Created))
	return err
}

func (t *tx) RemoveProfile(id string) error {
	t.Changed("profiles")
	res, err := t.exec(`UPDATE profiles SET removed = 1 WHERE id = ? AND version = (SELECT max(version) FROM profiles WHERE id = ?)`, id, id)
	if err != nil {
		return err
	}
	return found(res)
}
