package search

import (
	"context"
	"fmt"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

var setSynonyms = library.Setting[Synonyms]{Name: "synonyms"}

// Synonyms are the studio's, and their version.
func (s *Service) Synonyms(ctx context.Context, p people.Principal) (list Synonyms, version int64, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return nil, 0, err
	}
	err = s.Store.Read(ctx, func(tx Reader) error { list, version, err = setSynonyms.Get(tx); return err })
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
		var err error
		if _, version, err = setSynonyms.Save(tx, version, list); err != nil {
			return err
		}
		tx.Changed("library")
		trade, _, err := setThesaurus.Get(tx)
		if err != nil {
			return err
		}
		tx.After(func() { s.index.mean(meaning(list, trade)) })
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "synonyms", "the studio", fmt.Sprintf("%d groups", len(list))))
	})
	return version, err
}

// mean searches by other meanings from now on.
func (x *index) mean(m meanings) {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.means = m
	x.answers.forget()
	x.edition.Add(1)
}
