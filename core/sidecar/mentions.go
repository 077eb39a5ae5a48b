package sidecar

import (
	"regexp"
	"slices"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/material"
)

// pictures are the endings of files that can be maps.
const pictures = `(?i)\.(?:png|jpe?g|tiff?|exr|tga|bmp|webp|hdr|dds|psd|gif)`

var (
	fileWord  = regexp.MustCompile(`[^\s"'<>|,;=()@\[\]{}]+` + pictures + `\.?(?:[^\w.]|$)`)
	wholeFile = regexp.MustCompile(`^[^"<>|{}\n]*` + pictures + `$`)
	barePath  = regexp.MustCompile(`^[\w.-]+(?:[/\\][\w.+-]+)+$`)
)

// fileOf is a file's name without what may stand around it.
func fileOf(s string) string {
	s = strings.Trim(s, `"'@<>() `)
	return strings.ReplaceAll(strings.TrimPrefix(s, "file://"), `\`, "/")
}

// files are the files that a text names, and what it says besides.
func files(text string) (names []string, rest string) {
	switch trimmed := fileOf(text); {
	case wholeFile.MatchString(trimmed) && len(fileWord.FindAllString(text+" ", -1)) <= 1 && !strings.Contains(trimmed, ": "):
		if first := strings.Fields(trimmed); len(first) > 1 && strings.ContainsAny(text, `"'`) { // "n "wall n.png""
			break
		}
		return []string{trimmed}, ""
	case barePath.MatchString(trimmed) && !strings.Contains(trimmed, "//"):
		return []string{trimmed}, ""
	}
	rest = text
	for _, m := range fileWord.FindAllString(text+" ", -1) {
		name := strings.TrimRight(m, " \t.,;:\"')]")
		names = append(names, fileOf(name))
		rest = strings.Replace(rest, name, " ", 1)
	}
	if names == nil {
		return nil, ""
	}
	return names, rest
}

// spaced splits a name at its last space: what stands before may be part of the name, or say what the file is.
func spaced(name string) (before, last string) {
	if at := strings.LastIndexAny(name, " \t"); at > 0 {
		return strings.TrimSpace(name[:at]), name[at+1:]
	}
	return "", name
}

// selectors are keys whose values say what the file beside them is.
var selectors = []string{"type", "channel", "usage", "semantic", "slot", "role", "kind", "map", "use", "purpose", "maptype", "map_type", "texturetype", "texture_type", "stage", "pass", "blend", "id", "name", "label", "what", "meaning", "colorspace"}

// bases are keys under which a record names what it is about.
var bases = []string{"", "name", "texture", "map", "image", "file", "filename", "skin", "path", "src", "source", "tex", "id", "picture"}

// asides are words of pictures that are no maps.
var asides = []string{"preview", "thumbnail", "thumb", "render", "icon", "cover", "screenshot", "reference", "photo"}

// tree finds the mentions and the facts of a document.
func (d *Document) tree(root *item) {
	type found struct {
		Mention
		at *item
	}
	var all []found
	root.records()
	root.each(func(it *item) {
		if names, _ := files(it.text); names != nil {
			for up := it; up != nil; up = up.up {
				up.files += len(names)
			}
		}
	})
	root.each(func(it *item) {
		for k, text := range []string{it.text, it.key} {
			if text == "" || len(all) >= mostMentions {
				continue
			}
			names, rest := files(text)
			if k == 1 && it.named && len(it.kids) == 0 && it.text == "" {
				names = nil
			}
			for _, name := range names {
				m := found{Mention{File: name}, it}
				if k == 0 {
					before, last := spaced(name)
					if before != "" {
						m.File, m.Whole = last, name
					}
					m.meaning(it, rest, len(names) == 1)
					if before != "" && !m.said() {
						m.spell(before)
						m.Before = m.said()
					}
				} else { // a file's name with what is said of it
					m.spell(it.text)
					for _, c := range it.kids {
						m.spell(c.text)
						m.spell(c.key)
					}
				}
				if !slices.ContainsFunc(asides, func(w string) bool { return strings.Contains(strings.ToLower(it.key+" "+rest), w) }) {
					all = append(all, m)
				}
			}
		}
	})
	// What belongs together: the largest containers in which no channel has two files.
	type tally struct {
		of  map[string]string // file by what it is said to be
		two bool
	}
	within := map[*item]*tally{}
	for _, m := range all {
		what := string(m.Channel) + m.Component
		switch {
		case m.Packing != nil:
			what = "packed"
		case what == "" && m.at.up != nil && m.at.up.record:
			what, _ = m.at.label()
		}
		for up := m.at; up != nil; up = up.up {
			t := within[up]
			if t == nil {
				t = &tally{of: map[string]string{}}
				within[up] = t
			}
			if was, ok := t.of[what]; ok && was != m.File {
				t.two = true
			}
			t.of[what] = m.File
		}
	}
	number := map[*item]int{}
	size := map[*item]int{} // how many things a container has files for
	for it, t := range within {
		distinct := map[string]bool{}
		for _, f := range t.of {
			distinct[f] = true
		}
		size[it] = len(distinct)
	}
	for i := range all {
		m := &all[i]
		var top *item
		for up := m.at; up != nil && !within[up].two; up = up.up {
			top = up
		}
		if top == nil {
			continue
		}
		if size[top] < 2 && top.up == nil {
			continue
		}
		if number[top] == 0 {
			number[top] = len(number) + 1
		}
		m.Group = number[top]
		m.Primary = top != m.at && !m.said() && slices.Contains(bases, strings.ToLower(m.at.key))
	}
	about := map[int]string{} // of each group, the one file that it is about
	for _, m := range all {
		switch was, ok := about[m.Group]; {
		case !m.Primary && m.Channel != material.BaseColor:
		case ok && was != m.File:
			about[m.Group] = ""
		case !ok:
			about[m.Group] = m.File
		}
	}
	for i := range all {
		all[i].Primary = all[i].Primary && about[all[i].Group] == all[i].File
	}
	d.Groups = make([]Facts, len(number))
	root.each(func(it *item) {
		facts := &d.Facts
		for up := it; up != nil; up = up.up {
			if n := number[up]; n > 0 && up.up != nil {
				facts = &d.Groups[n-1]
			}
		}
		facts.note(it)
	})
	for _, m := range all {
		d.Mentions = append(d.Mentions, m.Mention)
	}
	d.trim()
}

// trim leaves out groups of which nothing is known.
func (d *Document) trim() {
	for len(d.Groups) > 0 && d.Groups[len(d.Groups)-1].Empty() {
		d.Groups = d.Groups[:len(d.Groups)-1]
	}
}

// meaning finds what a document says of the file that a value names: by its key, by what stands beside it in
// the value, by the values beside it that select, or by the key of its container.
func (m *Mention) meaning(it *item, rest string, alone bool) {
	m.spell(it.key)
	m.spell(rest)
	if m.said() || it.up == nil || it.up.files != 1 { // the only file of its container

		return
	}
	for _, k := range it.up.kids {
		if k != it && slices.Contains(selectors, strings.ToLower(k.key)) {
			m.spell(k.text)
		}
	}
	if len(it.up.kids) == 2 { // a file and one word: the word says what it is
		for _, k := range it.up.kids {
			if k != it && k.key == "" && len(k.kids) == 0 && len(strings.Fields(k.text)) <= 3 {
				m.spell(k.text)
			}
		}
	}
	for up, n := it.up, 0; up != nil && n < 2 && !m.said() && up.files == 1; up, n = up.up, n+1 {
		m.spell(up.key)
		for _, k := range up.kids {
			if names, _ := files(k.text); names == nil && slices.Contains(selectors, strings.ToLower(k.key)) {
				m.spell(k.text)
			}
		}
	}
}

func (m *Mention) said() bool { return m.Channel != material.None || m.Packing != nil }

// spell takes what words say of a file, if nothing has been said so far.
func (m *Mention) spell(words string) {
	if m.said() || words == "" || len(words) > 200 || number.MatchString(words) {
		return
	}
	component := ""
	if at := strings.LastIndexByte(words, '.'); at > 0 && len(words) == at+2 && strings.Contains("rgba", words[at+1:]) {
		words, component = words[:at], words[at+1:]
	}
	s := channels.Spell(words)
	if s.Side != "" && m.Side == "" {
		m.Side = s.Side
	}
	if s.Channel == material.None && s.Packing == nil || s.Weight < 0.5 {
		return
	}
	m.Channel, m.Weight, m.Packing, m.Component, m.Word = s.Channel, s.Weight, s.Packing, component, strings.TrimSpace(words)
	if m.Packing != nil {
		m.Channel = material.None
	}
}
