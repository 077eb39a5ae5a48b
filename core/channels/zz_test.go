package channels

import (
	"testing"

	"aldermoor/core/material"
)

func show(t *testing.T, files []File) {
	var ps []entry
	for _, f := range files {
		ps = append(ps, entry{f, parse(f.Path, nil), ".png"})
	}
	for _, e := range ps {
		for _, o := range e.options(runTogether(ps)) {
			t.Logf("%s: %q own %q chan %s score %.2f", e.Path, o.Roles, o.key, o.channel, o.score)
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
	p := scanned(t, "slates_round")
	g := looksOf(t, "grating_iron")
	var files []File
	for n, l := range map[string]*Look{"bump_strip": p.looks["base"], "bump_strip_normal": p.looks["normal"], "bump_strip_a": p.looks["base"], "bump_strip_b": p.looks["base"], "bump_strip_c": p.looks["base"]} {
		files = append(files, File{n + ".png", l})
	}
	show(t, files)
	files = nil
	for n, l := range map[string]*Look{"iron_d": g[material.BaseColor], "iron_n": g[material.Normal], "iron_r": g[material.Roughness], "iron_m": g[material.Metallic], "iron_h": g[material.Height], "iron_ao": g[material.Occlusion], "iron_o": g[material.Opacity]} {
		files = append(files, File{n + ".png", l})
	}
	show(t, files)
}
func TestYY(t *testing.T) {
	g := looksOf(t, "grating_iron")
	var es []entry
	for n, l := range map[string]*Look{"iron_d": g[material.BaseColor], "iron_n": g[material.Normal], "iron_o": g[material.Opacity], "iron_ao": g[material.Occlusion]} {
		es = append(es, entry{File{n + ".png", l}, ParseName(n+".png"), ".png"})
	}
	for i, v := range assign(es, nil) {
		t.Log(es[i].Path, v.Channel, v.Confidence)
	}
	for _, r := range evidence(es[0].name, *g[material.Opacity]) { t.Log(r.Channel, r.Weight, r.Code) }
	t.Logf("%+v", *g[material.Opacity])
}
