package materials

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
	"aldermoor/internal/wording"
)

// DraftState tells the materials on the Bench apart by what is to be done with them.
type DraftState string

// The states; a material may be in several of them.
const (
	AnyState   DraftState = ""
	NeedsWork  DraftState = "work"       // it has findings that ask for somebody
	Unreleased DraftState = "unreleased" // never released
	Edited     DraftState = "edited"     // changed since its last release
	Released   DraftState = "released"   // just as it was released
)

// DraftStates are all states, in the order in which people are offered them.
var DraftStates = []DraftState{AnyState, NeedsWork, Unreleased, Edited, Released}

// DraftOrder is an order of the materials on the Bench.
type DraftOrder string

// The orders. ByWork puts those with most findings first.
const (
	Newest DraftOrder = ""
	ByWork DraftOrder = "work"
	ByName DraftOrder = "name"
	BySize DraftOrder = "size"
)

// DraftQuery asks for materials on the Bench.
type DraftQuery struct {
	Text    string // in the name, the categories or the tags
	State   DraftState
	Station string
	Order   DraftOrder
	Changed time.Time // since then; zero for whenever
	Page    int       // from 1
	Per     int       // at most 500
}

// DraftList is a page of materials on the Bench.
type DraftList struct {
	Items    []Material
	Total    int                // that match
	Counts   map[DraftState]int // that match text and station, by state
	Stations []string           // that have a material on the Bench
}

// Drafts finds materials on the Bench.
func (s *Service) Drafts(ctx context.Context, p people.Principal, q DraftQuery) (list DraftList, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return list, err
	}
	if !slices.Contains(DraftStates, q.State) {
		return list, library.Invalid(fmt.Sprintf("There is no state %q: it is work, unreleased, edited or released.", q.State))
	}
	if !slices.Contains([]DraftOrder{Newest, ByWork, ByName, BySize}, q.Order) {
		return list, library.Invalid(fmt.Sprintf("There is no order %q: it is work, name or size.", q.Order))
	}
	q.Page, q.Per = max(1, min(q.Page, 1_000_000)), max(1, min(q.Per, 500))
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.Drafts(q); return err })
	return list, err
}

// BulkChange is what is asked to be changed of several materials; empty leaves a thing as it is.
type BulkChange struct {
	AddTags          []string `json:"add_tags"`
	RemoveTags       []string `json:"remove_tags"`
	AddCategories    []string `json:"add_categories"`
	RemoveCategories []string `json:"remove_categories"`
	Licence          *string  `json:"licence"`
	Author           *string  `json:"author"`
	Rights           *string  `json:"rights"`
	Contact          *string  `json:"contact_class"`
	Width            *Length  `json:"width_m"` // the height follows by the pixels
}

// words says what a change is about.
func (c *BulkChange) words() (out []string) {
	for _, k := range []struct {
		word string
		set  bool
	}{
		{"tags", len(c.AddTags)+len(c.RemoveTags) > 0}, {"categories", len(c.AddCategories)+len(c.RemoveCategories) > 0},
		{"licence", c.Licence != nil}, {"author", c.Author != nil}, {"rights", c.Rights != nil}, {"contact class", c.Contact != nil}, {"size", c.Width != nil},
	} {
		if k.set {
			out = append(out, k.word)
		}
	}
	return out
}

// MostAtOnce is how many materials one change may name.
const MostAtOnce = 1000

// ChangeMany changes several materials as one step: all of them, or none if one was changed since
// it was seen.
func (s *Service) ChangeMany(ctx context.Context, p people.Principal, seen []library.Seen, c BulkChange) (done []Material, err error) {
	what := c.words()
	switch {
	case len(seen) == 0:
		return nil, library.Invalid("Choose at least one material.")
	case len(seen) > MostAtOnce:
		return nil, library.Invalid(fmt.Sprintf("At most %d materials can be changed at once; these are %d.", MostAtOnce, len(seen)))
	case len(what) == 0:
		return nil, library.Invalid("Say what to change.")
	}
	return s.Edit(ctx, p, "edit", seen, func(tx Tx, list []*Material) (string, error) {
		for _, m := range list {
			tags, categories := Merged(m.Tags, c.AddTags, c.RemoveTags), Merged(m.Categories, c.AddCategories, c.RemoveCategories)
			keep := true
			one := Change{Tags: &tags, Categories: &categories, Licence: c.Licence, Author: c.Author, Rights: c.Rights, Contact: c.Contact, Width: c.Width, KeepRatio: &keep}
			if err := m.apply(one); err != nil {
				return "", err
			}
		}
		says := fmt.Sprintf("%s of %s", strings.Join(what, ", "), wording.Count(len(list), "material"))
		if len(list) == 1 {
			says = strings.Join(what, ", ") + " of " + list[0].Name
		}
		return says, tx.AddAudit(people.Entry(s.Now(), p.Name, "edit", says, c.detail(list)))
	})
}

// detail is what the audit keeps of a change.
func (c *BulkChange) detail(list []*Material) string {
	var out []string
	add := func(what string, v *string) {
		if v != nil {
			out = append(out, what+": "+*v)
		}
	}
	if len(c.AddTags) > 0 {
		out = append(out, "tags added: "+strings.Join(c.AddTags, ", "))
	}
	if len(c.RemoveTags) > 0 {
		out = append(out, "tags removed: "+strings.Join(c.RemoveTags, ", "))
	}
	if len(c.AddCategories) > 0 {
		out = append(out, "categories added: "+strings.Join(c.AddCategories, ", "))
	}
	if len(c.RemoveCategories) > 0 {
		out = append(out, "categories removed: "+strings.Join(c.RemoveCategories, ", "))
	}
	add("licence", c.Licence)
	add("author", c.Author)
	add("rights", c.Rights)
	add("contact class", c.Contact)
	if c.Width != nil {
		out = append(out, fmt.Sprintf("width: %g m", float64(*c.Width)))
	}
	names := make([]string, len(list))
	for i, m := range list {
		names[i] = m.Name
	}
	return strings.Join(out, "; ") + " · " + strings.Join(names, ", ")
}

// Merged is a list of words with some added and some taken away, whatever their case.
func Merged(list, add, remove []string) []string {
	is := func(w string) func(string) bool {
		return func(k string) bool { return strings.EqualFold(strings.TrimSpace(k), w) }
	}
	out := slices.DeleteFunc(slices.Clone(list), func(w string) bool { return slices.ContainsFunc(remove, is(w)) })
	for _, w := range add {
		if w = strings.TrimSpace(w); w != "" && !slices.ContainsFunc(out, is(w)) {
			out = append(out, w)
		}
	}
	return out
}
