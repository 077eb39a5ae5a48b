package search

import (
	"context"
	"errors"
	"fmt"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// synonyms are the stored ones; their version is 1 while nothing is stored.
func synonyms(tx Reader) (s Synonyms, version int64, err error) {
	if version, err = tx.Setting("synonyms", &s); errors.Is(err, library.ErrNotFound) {
		err = nil
	}
	return s, version + 1, err
}

// Synonyms are the studio's, and their version.
func (s *Service) Synonyms(ctx context.Context, p people.Principal) (list Synonyms, version int64, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return nil, 0, err
	}
	err = s.Store.Read(ctx, func(tx Reader) error { list, version, err = synonyms(tx); return err })
	return list, version, err
}

// Bounds of the list of synonyms.
const (
	mostGroups = 2000
	mostLetter = 80
)

// SaveSynonyms keeps the list in the place of the one that was seen; 0 for whatever there is.
func (s *Service) SaveSynonyms(ctx context.Context, p people.Principal, version int64, list Synonyms) (int64, error) {
	if err := p.Need(people.Decide); err != nil {
		return 0, err
	}
	if len(list) > mostGroups {
		return 0, library.Invalid(fmt.Sprintf("The list has %d lines; %d are the most.", len(list), mostGroups))
	}
	for _, g := range list {
		for _, w := range g {
			if len(w) > mostLetter || len(wordsOf(w)) == 0 {
				return 0, library.Invalid(fmt.Sprintf("%q is no word to search by.", w))
			}
		}
	}
	err := s.Store.Write(ctx, func(tx Tx) error {
		_, had, err := synonyms(tx)
		if err != nil {
			return err
		}
		if version != 0 && version != had {
			return library.ErrStale
		}
		if err := tx.SaveSetting("synonyms", list, had-1); err != nil {
			return err
		}
		version = had + 1
		tx.Changed("library")
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "synonyms", "the studio", fmt.Sprintf("%d groups", len(list))))
	})
	if err == nil {
		s.index.mu.Lock()
		s.index.means = list.table()
		s.index.answers.forget()
		s.index.edition.Add(1)
		s.index.mu.Unlock()
	}
	return version, err
}
