package channels

import (
	"slices"

	"aldermoor/core/material"
)

// This file bounds how sure an answer may be. What adds up within one set can still be otherwise: words
// have other meanings, and a picture alone is contradicted by nobody.

// bound lowers the confidence of a set's maps to what they rest on. group has the entries of the set's
// pictures.
func (s *Set) bound(group []entry) {
	at := map[string]*entry{}
	for i := range group {
		at[group[i].address()] = &group[i]
	}
	for i := range s.Maps {
		m := &s.Maps[i]
		if e := at[m.address()]; e != nil && m.Shared == "" && m.Component != "a" && !m.part {
			m.Confidence = min(m.Confidence, e.most(m, s))
		}
	}
}

// most is how sure a picture's channel may be.
func (e *entry) most(m *Map, s *Set) float64 {
	named, weight, text := e.name.claim()
	if r := e.name.ruled(); r != nil {
		if r.Seen > 0 && e.Look.Against(m.Channel).Code != "" {
			return mostOpen
		}
		return 1
	}
	if e.saidChannel() == m.Channel {
		return 1
	}
	h := e.name.habit()
	proven := m.Channel == material.Normal && e.Look.normalLike() // pixels alone say it
	switch {
	case proven:
		return 1
	case named == material.None && e.name.camera() && h == nil:
		return mostCameras
	case h != nil && h.open:
		return mostOpen
	case named != m.Channel && m.Channel != material.BaseColor:
		return mostPixels
	case named == m.Channel && h != nil && !h.known && (h.files < 3 || h.weight < trustedWord):
		return mostLearnt
	case named == m.Channel && s.lone() && (m.Channel != material.BaseColor || e.Look.grey()) &&
		(weight < 0.9 || e.name.within() || len(e.name.kept) == 0 || slipOf(text) != material.None && claims[text].channel == material.None):
		return mostLone
	case named == m.Channel && len(e.name.kept) == 0 && slipOf(text) != material.None && claims[text].channel == material.None && byForeign[text] == material.None && !slices.ContainsFunc(e.name.words, func(w word) bool { return w.habit != nil || w.role == packed }):
		return mostLone // nearly a channel's word, and nothing else
	case named == material.None && m.Channel == material.BaseColor && e.near:
		return mostNearly
	}
	return 1
}

// lone says whether all of a set's maps come from one file.
func (s *Set) lone() bool {
	return !slices.ContainsFunc(s.Maps, func(m Map) bool { return m.File != s.Maps[0].File })
}

// cameraWords begin the names that cameras and screens give.
var cameraWords = []string{"img", "dsc", "dscn", "dscf", "pict", "image", "photo", "pic", "screenshot", "scan", "untitled", "mvi", "gopr", "pxl", "p"}

// camera says whether a name is one that a camera gave: one of its words and numbers, or numbers alone.
func (n Name) camera() bool {
	words := slices.DeleteFunc(slices.Clone(n.all), func(w word) bool { return numeric(w.text) || w.role == filler || w.role == tier || w.role == udim })
	switch len(words) {
	case 0:
		return len(n.all) > 0
	case 1:
		return len(n.all) > 1 && slices.Contains(cameraWords, words[0].text)
	}
	return false
}
