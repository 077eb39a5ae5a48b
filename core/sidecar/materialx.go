package sidecar

import (
	"bytes"
	"encoding/xml"
	"io"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/material"
)

// mtlx is an element of a MaterialX document.
type mtlx struct {
	XMLName xml.Name
	Attrs   []xml.Attr `xml:",any,attr"`
	Kids    []mtlx     `xml:",any"`
}

func (e *mtlx) attr(name string) string {
	for _, a := range e.Attrs {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

// kid is an input or output of an element by its name.
func (e *mtlx) kid(name string) *mtlx {
	for i := range e.Kids {
		if e.Kids[i].attr("name") == name {
			return &e.Kids[i]
		}
	}
	return nil
}

// materialX reads a MaterialX document (specification 1.39): which image each input of a surface comes from.
// It is false for XML that is none.
func (d *Document) materialX(text []byte) bool {
	var root mtlx
	dec := xml.NewDecoder(bytes.NewReader(text))
	dec.Strict = false
	dec.CharsetReader = func(_ string, r io.Reader) (io.Reader, error) { return r, nil }
	if dec.Decode(&root) != nil || root.XMLName.Local != "materialx" {
		return false
	}
	group, steps := 0, mostItems
	for i := range root.Kids {
		e := &root.Kids[i]
		switch typ := e.attr("type"); {
		case typ == "surfaceshader" || typ == "displacementshader":
			group++
			for k := range e.Kids {
				in := &e.Kids[k]
				say := channels.Spell(in.attr("name"))
				if typ == "displacementshader" && in.attr("name") == "displacement" {
					say = channels.Spelling{Channel: material.Height, Weight: 1}
				}
				if say.Channel == material.None {
					continue
				}
				root.images(&root, in, &steps, 0, "", func(file, component string) {
					if len(d.Mentions) < mostMentions {
						d.Mentions = append(d.Mentions, Mention{File: fileOf(file), Channel: say.Channel, Weight: 1, Component: component, Word: in.attr("name"), Group: 1})
					}
				})
			}
		}
	}
	if group > 2 { // of several materials: by the surface that each is of
		d.Mentions = regrouped(d.Mentions)
	}
	return true
}

// regrouped gives each run of mentions without a channel twice a group of its own.
func regrouped(list []Mention) []Mention {
	group, seen := 1, map[material.Channel]bool{}
	for i := range list {
		if seen[list[i].Channel] {
			group, seen = group+1, map[material.Channel]bool{}
		}
		seen[list[i].Channel] = true
		list[i].Group = group
	}
	return list
}

// images calls f for the files that an input's value comes from, with the one component that is taken. It
// goes steps steps at most, as graphs can run in circles.
func (root *mtlx) images(scope, in *mtlx, steps *int, depth int, component string, f func(file, component string)) {
	if *steps--; *steps < 0 || depth > mostDepth || in == nil {
		return
	}
	if in.attr("type") == "filename" || in.attr("name") == "file" {
		if v := in.attr("value"); v != "" {
			f(v, component)
		}
		return
	}
	if graph := in.attr("nodegraph"); graph != "" {
		if g := root.kid(graph); g != nil {
			if out := g.kid(in.attr("output")); out != nil {
				root.images(g, out, steps, depth+1, component, f)
			} else {
				for k := range g.Kids {
					if g.Kids[k].XMLName.Local == "output" {
						root.images(g, &g.Kids[k], steps, depth+1, component, f)
					}
				}
			}
		}
		return
	}
	node := scope.kid(in.attr("nodename"))
	if node == nil {
		return
	}
	if out := in.attr("output"); len(out) == 4 && strings.HasPrefix(out, "out") && strings.Contains("rgba", out[3:]) {
		component = out[3:]
	}
	if node.XMLName.Local == "extract" {
		if i := node.kid("index"); i != nil && len(i.attr("value")) == 1 && strings.Contains("0123", i.attr("value")) {
			component = "rgba"[i.attr("value")[0]-'0' : i.attr("value")[0]-'0'+1]
		}
	}
	if ch := node.kid("channels"); ch != nil && len(ch.attr("value")) == 1 && strings.Contains("rgba", ch.attr("value")) {
		component = ch.attr("value")
	}
	for k := range node.Kids {
		root.images(scope, &node.Kids[k], steps, depth+1, component, f)
	}
}
