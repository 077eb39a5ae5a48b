package aldermoor

import (
	"os/exec"
	"strings"
	"testing"
)

// The floors of the house, from the top. A package may use those of its own floor
// and of the floors below, never one above.
var floors = []struct {
	prefix string
	knows  []string // which of the project's packages it may use
}{
	{"aldermoor/cmd/", []string{"aldermoor/internal/", "aldermoor/core/"}},
	{"aldermoor/web/strip", []string{"aldermoor/core/"}}, // draws a picture that is shipped
	{"aldermoor/internal/web", []string{"aldermoor/internal/library", "aldermoor/internal/licences", "aldermoor/internal/wording", "aldermoor/core/"}},
	{"aldermoor/internal/watch", []string{"aldermoor/internal/library"}},
	{"aldermoor/internal/store", []string{"aldermoor/internal/library", "aldermoor/internal/jobs", "aldermoor/core/"}},
	{"aldermoor/internal/library/people/", subjects()},
	{"aldermoor/internal/library/events/", subjects("people")},
	{"aldermoor/internal/library/materials/", subjects("people", "events")},
	{"aldermoor/internal/library/intake/", subjects("people", "events", "materials")},
	{"aldermoor/internal/library/notices/", subjects("people")},
	{"aldermoor/internal/library/releases/", subjects("people", "events", "materials", "notices")},
	{"aldermoor/internal/library/search/", subjects("people", "notices", "materials", "releases")},
	{"aldermoor/internal/library/collections/", subjects("people", "notices")},
	{"aldermoor/internal/library/requests/", subjects("people", "notices")},
	{"aldermoor/internal/library/pictures/", subjects("people", "events", "notices", "materials", "releases", "search")},
	{"aldermoor/internal/library/studio/", []string{"aldermoor/internal/library", "aldermoor/core/"}},
	{"aldermoor/internal/library/", []string{"aldermoor/core/"}},
	{"aldermoor/internal/wording", []string{"aldermoor/core/"}},
	{"aldermoor/internal/licences", nil},
	{"aldermoor/internal/blob", nil},
	{"aldermoor/internal/jobs", nil},
	{"aldermoor/core/stats/", nil},
	{"aldermoor/core/raster/filter/", []string{"aldermoor/core/raster"}},
	{"aldermoor/core/raster/", nil},
	{"aldermoor/core/fourier/", []string{"aldermoor/core/raster"}},
	{"aldermoor/core/fact/", nil},
	{"aldermoor/core/scale/", []string{"aldermoor/core/fact"}},
	{"aldermoor/core/colour/", []string{"aldermoor/core/raster"}},
	{"aldermoor/core/normals/", []string{"aldermoor/core/raster", "aldermoor/core/fourier", "aldermoor/core/stats"}},
	{"aldermoor/core/tiling/", []string{"aldermoor/core/raster", "aldermoor/core/fourier", "aldermoor/core/stats"}},
	{"aldermoor/core/likeness/", []string{"aldermoor/core/raster", "aldermoor/core/fourier", "aldermoor/core/stats", "aldermoor/core/colour"}},
	{"aldermoor/core/geom/", nil},
	{"aldermoor/core/bsdf/", []string{"aldermoor/core/geom"}},
	{"aldermoor/core/light/", []string{"aldermoor/core/raster", "aldermoor/core/colour", "aldermoor/core/geom", "aldermoor/core/bsdf"}},
	{"aldermoor/core/shape/", []string{"aldermoor/core/geom"}},
	{"aldermoor/core/mesh/", []string{"aldermoor/core/geom"}},
	{"aldermoor/core/material/", []string{"aldermoor/core/raster", "aldermoor/core/scale", "aldermoor/core/colour", "aldermoor/core/normals", "aldermoor/core/geom", "aldermoor/core/bsdf"}},
	{"aldermoor/core/shade/", []string{"aldermoor/core/bsdf", "aldermoor/core/light", "aldermoor/core/shape", "aldermoor/core/mesh", "aldermoor/core/raster", "aldermoor/core/scale", "aldermoor/core/colour", "aldermoor/core/normals", "aldermoor/core/geom", "aldermoor/core/material"}},
	{"aldermoor/core/channels/", []string{"aldermoor/core/raster", "aldermoor/core/stats", "aldermoor/core/colour", "aldermoor/core/normals", "aldermoor/core/material", "aldermoor/core/codec", "aldermoor/core/fact"}},
	{"aldermoor/core/sidecar/", []string{"aldermoor/core/scale", "aldermoor/core/material", "aldermoor/core/channels"}},
	{"aldermoor/core/codec/", []string{"aldermoor/core/raster", "aldermoor/core/codec", "aldermoor/core/colour"}},
	{"aldermoor/core/inspect/", []string{"aldermoor/core/raster", "aldermoor/core/stats", "aldermoor/core/fact", "aldermoor/core/scale", "aldermoor/core/colour", "aldermoor/core/normals", "aldermoor/core/tiling", "aldermoor/core/likeness", "aldermoor/core/codec", "aldermoor/core/material", "aldermoor/core/channels", "aldermoor/core/sidecar"}},
	{"aldermoor/core/treat/", []string{"aldermoor/core/raster", "aldermoor/core/fourier", "aldermoor/core/stats", "aldermoor/core/fact", "aldermoor/core/scale", "aldermoor/core/colour", "aldermoor/core/normals", "aldermoor/core/tiling", "aldermoor/core/likeness", "aldermoor/core/material", "aldermoor/core/geom", "aldermoor/core/bsdf", "aldermoor/core/light", "aldermoor/core/shape", "aldermoor/core/mesh", "aldermoor/core/shade"}},
	{"aldermoor/core/handoff/", []string{"aldermoor/core/raster", "aldermoor/core/scale", "aldermoor/core/colour", "aldermoor/core/normals", "aldermoor/core/codec", "aldermoor/core/material"}},
	{"aldermoor/core/station/", []string{"aldermoor/core/"}}, // the simulated scanner shows everything
	{"aldermoor/core/parcel/", nil},
}

// subjects are what a subject of the library may use: the shared ground, wording, core, and
// the subjects before it.
func subjects(before ...string) []string {
	list := []string{"aldermoor/internal/library$", "aldermoor/internal/wording", "aldermoor/core/"}
	for _, s := range before {
		list = append(list, "aldermoor/internal/library/"+s)
	}
	return list
}

// What core may use besides the standard library.
var coreMayUse = []string{"golang.org/x/image/", "golang.org/x/text/", "gonum.org/v1/gonum/", "github.com/klauspost/compress/"}

// What core must never use, though it is in the standard library.
var coreMustNot = []string{"net/http", "database/sql", "html/template", "os"}

func list(t *testing.T, args ...string) []string {
	t.Helper()
	out, err := exec.Command("go", append([]string{"list"}, args...)...).Output()
	if err != nil {
		t.Fatalf("go list %v: %v", args, err)
	}
	return strings.Fields(string(out))
}

func TestArrowsPointDown(t *testing.T) {
	packages := list(t, "./...")
	if len(packages) < 15 {
		t.Fatalf("only %d packages were listed", len(packages))
	}
	for _, p := range packages {
		if p == "aldermoor" {
			continue
		}
		var mine []string
		known := false
		for _, f := range floors {
			if strings.HasPrefix(p+"/", f.prefix) || strings.HasPrefix(p, f.prefix) {
				mine, known = f.knows, true
				break
			}
		}
		if !known {
			t.Errorf("%s is on no floor of the house", p)
			continue
		}
		for _, dep := range list(t, "-f", `{{join .Imports "\n"}}`, p) {
			if strings.HasPrefix(dep, "aldermoor/") && !begins(dep, mine) && dep != p {
				t.Errorf("%s uses %s, which is not below it", p, dep)
			}
		}
	}
}

func TestCoreIsPureComputation(t *testing.T) {
	for _, p := range list(t, "./core/...") {
		for _, dep := range list(t, "-f", `{{join .Imports "\n"}}`, p) {
			outside := strings.Contains(strings.Split(dep, "/")[0], ".")
			if outside && !begins(dep, coreMayUse) {
				t.Errorf("%s uses %s", p, dep)
			}
			for _, bad := range coreMustNot {
				if dep == bad {
					t.Errorf("%s uses %s: core computes, it does not reach out", p, dep)
				}
			}
		}
	}
}

// begins says whether s begins with one of the prefixes; one that ends in $ is all of it.
func begins(s string, prefixes []string) bool {
	for _, p := range prefixes {
		if strings.HasPrefix(s, p) || s+"$" == p {
			return true
		}
	}
	return false
}
