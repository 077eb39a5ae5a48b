package inspect

import (
	"fmt"
	"strings"
	"testing"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/material"
	"aldermoor/core/raster"
)

// waves is a plane of the given mean and swing; with a swing below zero it is high where
// another is low.
func waves(mean, swing float32) raster.Plane {
	p := raster.NewPlane(32, 32)
	for i := range p.Pix {
		p.Pix[i] = mean + swing*float32(i%8-4)/4
	}
	return p
}

func suspected(name string, decided bool, rough raster.Plane, with map[material.Channel]raster.Plane, packed codec.Format) (string, bool) {
	m := channels.Map{File: name + "/rough.png", Decided: decided}
	m.Look.Info.Format = packed
	l := surface{maps: map[material.Channel]channels.Map{material.Roughness: m}, planes: map[material.Channel][]raster.Plane{material.Roughness: {rough}}}
	for c, p := range with {
		k := channels.Map{File: fmt.Sprintf("%s/%s.png", name, c)}
		if packed == codec.JPEG {
			k = m
		}
		l.maps[c], l.planes[c] = k, []raster.Plane{p}
	}
	for _, h := range roughnessAsGloss(&Set{Name: name}, &l) {
		return fmt.Sprint(h.values), h.files[0] == m.File
	}
	return "", false
}

func TestWhatGivesGlossAway(t *testing.T) {
	with := func(c material.Channel, p raster.Plane) map[material.Channel]raster.Plane {
		return map[material.Channel]raster.Plane{c: p}
	}
	for _, c := range []struct {
		what, name string
		rough      raster.Plane
		with       map[material.Channel]raster.Plane
		packed     codec.Format
		found      bool
		says       string
	}{
		{"a matt wall", "wall", waves(0.85, 0.05), nil, codec.PNG, false, ""},
		{"a wall as smooth as wet glass", "wall", waves(0.14, 0.05), nil, codec.PNG, true, "mean"},
		{"the same, glazed", "wall_glazed", waves(0.14, 0.05), nil, codec.PNG, false, ""},
		{"in between, nobody knows", "wall", waves(0.5, 0.2), nil, codec.PNG, false, ""},
		{"smooth hollows", "wall", waves(0.5, 0.2), with(material.Occlusion, waves(0.7, 0.2)), codec.PNG, true, "hollows"},
		{"rough hollows", "wall", waves(0.3, 0.2), with(material.Occlusion, waves(0.7, -0.2)), codec.PNG, false, ""},
		{"water in the hollows", "mudflat", waves(0.5, 0.2), with(material.Occlusion, waves(0.7, 0.2)), codec.PNG, false, ""},
		{"components of one JPEG", "wall", waves(0.5, 0.2), with(material.Occlusion, waves(0.7, 0.2)), codec.JPEG, false, ""},
		{"metal rougher than its rust", "plate", waves(0.5, 0.2), with(material.Metallic, waves(0.5, 0.4)), codec.PNG, true, "metal"},
		{"metal smoother than its rust", "plate", waves(0.4, 0.2), with(material.Metallic, waves(0.5, -0.4)), codec.PNG, false, ""},
		{"occlusion that is flat", "wall", waves(0.5, 0.2), with(material.Occlusion, waves(1, 0)), codec.PNG, false, ""},
	} {
		says, found := suspected(c.name, false, c.rough, c.with, c.packed)
		if found != c.found || !strings.Contains(says, c.says) {
			t.Errorf("%s: %v, %q", c.what, found, says)
		}
		if _, again := suspected(c.name, true, c.rough, c.with, c.packed); again {
			t.Errorf("%s: asked again though a person has said what it is", c.what)
		}
	}
}
