package web

import (
	"slices"

	"aldermoor/internal/library/people"
)

// place is one of the places in the bar, in the order of the work, with the pages that belong to it: they stand in a
// second row under the bar.
type place struct {
	id, title string
	pages     []placePage
	also      []string // patterns of routes that belong to it and stand in no row
}

type placePage struct {
	title, href string
	right       people.Right
	also        []string // patterns of routes that show this page too
}

var places = []place{
	{"intake", "Intake", []placePage{
		{"Deliveries", "/intake", people.SeeDrafts, []string{"/intake/:id"}},
		{"Folders", "/intake/folders", people.SeeDrafts, nil},
		{"Naming rules", "/intake/rules", people.SeeDrafts, nil},
	}, nil},
	{"bench", "Bench", []placePage{
		{"Materials", "/bench", people.SeeDrafts, nil},
		{"Plain finishes", "/finishes", people.Contribute, nil},
		{"Reviews", "/reviews", people.SeeDrafts, nil},
	}, []string{"/bench/:id"}},
	{"library", "Library", []placePage{
		{"Materials", "/library", people.Enter, nil},
		{"Collections", "/collections", people.Enter, nil},
		{"Requests", "/requests", people.Enter, []string{"/requests/:id"}},
	}, []string{"/library/:slug", "/compare", "/sheet"}},
	{"studio", "Studio", []placePage{
		{"Standards", "/standards", people.SeeDrafts, nil},
		{"Categories and tags", "/words", people.SeeDrafts, nil},
		{"Handoff profiles", "/profiles", people.Enter, []string{"/profiles/:id"}},
		{"Jobs", "/jobs", people.SeeDrafts, nil},
		{"Deleted", "/deleted", people.SeeDrafts, nil},
		{"People", "/people", people.Administer, []string{"/people/:id", "/people/:id/reset"}},
		{"Audit", "/audit", people.Administer, nil},
		{"Webhooks", "/webhooks", people.Administer, nil},
	}, nil},
}

// placeLink is a link of the bar or of the row under it.
type placeLink struct {
	ID, Title, Href string
	On              bool
}

// where gives the places that somebody may enter, and the pages of the place that a route belongs to; none for a route
// that stands in no row.
func where(p people.Principal, route string) (bar, row []placeLink) {
	for _, at := range places {
		var pages []placeLink
		here, listed := false, false
		for _, page := range at.pages {
			on := route == page.href || slices.Contains(page.also, route)
			here, listed = here || on, listed || on
			if p.May(page.right) {
				pages = append(pages, placeLink{Title: page.title, Href: page.href, On: on})
			}
		}
		here = here || slices.Contains(at.also, route)
		if len(pages) == 0 {
			continue
		}
		bar = append(bar, placeLink{at.id, at.title, pages[0].Href, here})
		if listed && len(pages) > 1 {
			row = pages
		}
	}
	return bar, row
}
