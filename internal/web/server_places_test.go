package web

import (
	"testing"

	"aldermoor/internal/library/people"
)

// The row under the bar lists the pages of the place that one is in, and only those that one may open.
func TestPlaces(t *testing.T) {
	for _, k := range []struct {
		role  people.Role
		route string
		bar   string
		row   string // with the one that is open between brackets
	}{
		{people.Librarian, "/intake/:id", "[Intake] Bench Library Studio", "[Deliveries] Folders Naming rules"},
		{people.Librarian, "/bench/:id", "Intake [Bench] Library Studio", ""},
		{people.Librarian, "/reviews", "Intake [Bench] Library Studio", "Materials Plain finishes [Reviews]"},
		{people.Artist, "/requests/:id", "[Library] Studio", "Materials Collections [Requests]"},
		{people.Artist, "/profiles", "Library [Studio]", ""},
		{people.Administrator, "/audit", "Intake Bench Library [Studio]", "Standards Categories and tags Handoff profiles Jobs Deleted People [Audit] Webhooks"},
		{people.Librarian, "/you", "Intake Bench Library Studio", ""},
	} {
		bar, row := where(people.As("p", k.role), k.route)
		if got := titles(bar); got != k.bar {
			t.Errorf("%s at %s has the places %q, not %q", k.role, k.route, got, k.bar)
		}
		if got := titles(row); got != k.row {
			t.Errorf("%s at %s has the pages %q, not %q", k.role, k.route, got, k.row)
		}
	}
}

// Every page of a place is a route.
func TestPlacesAreRoutes(t *testing.T) {
	have := map[string]people.Right{}
	for _, r := range (&Server{}).routes() {
		if r.method == "GET" {
			have[r.path] = r.right
		}
	}
	for _, at := range places {
		for _, page := range at.pages {
			if right, ok := have[page.href]; !ok || right != page.right {
				t.Errorf("%s of %s: the route asks for %v (%v), the row for %v", page.title, at.title, right, ok, page.right)
			}
		}
	}
}

func titles(list []placeLink) (s string) {
	for i, k := range list {
		if i > 0 {
			s += " "
		}
		if k.On {
			s += "[" + k.Title + "]"
		} else {
			s += k.Title
		}
	}
	return s
}
