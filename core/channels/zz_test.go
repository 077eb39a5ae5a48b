package channels

import (
	"testing"
)

func show(t *testing.T, files []File) {
	var ps []entry
	for _, f := range files {
		ps = append(ps, entry{File: f, ending: ".png"})
	}
	takeApart(ps, nil)
	for _, e := range ps {
		for _, o := range e.options(runTogether(ps)) {
			t.Logf("%s: %v own %q chan %s score %.2f", e.Path, o.said(), o.key, o.channel, o.score)
		}
	}
	for _, set := range Sort(files) {
		t.Log(set.Name, set.Unassigned)
		for _, m := range set.Maps {
			t.Log("   ", m.File, m.Channel, m.Confidence, m.Component)
			for _, r := range m.Reasons { t.Log("        ", r.Kind, r.Code, r.Weight, r.Values) }
		}
	}
}

func TestZZ(t *testing.T) {
	for k := range kinds {
		if kinds[k].name != "files alone" && kinds[k].name != "variants of one stem" && kinds[k].name != "base without a word" { continue }
		for i := range 40 {
			d := deliver(t, k, i, false)
			bad := false
			judgeMade(d, &reliability{}, func(f string, a ...any) { bad = true; t.Logf(f, a...) })
			if bad {
				for _, f := range d.files { l := *f.Look; l.Thumb, l.Relief = nil, nil; t.Logf("%s %+v", f.Path, l) }
				show(t, d.files); break }
		}
	}
}
