package sidecar

import (
	"strings"
)

// item is a value or a container of a document, whatever its layout.
type item struct {
	key    string // the name under which it stands
	text   string // a value's text
	kids   []*item
	up     *item
	unit   string // the unit that one of its values names
	files  int    // that it and all below it name
	record bool   // it was made of lines that come back in order: see records
	named  bool   // its key is a name that the document's author gave, not a field's
}

// builder makes items within the limits.
type builder struct{ items int }

// add makes an item under another; nil once there are too many or they are too deep.
func (b *builder) add(up *item, key, text string) *item {
	if b.items++; b.items > mostItems || up.depth() > mostDepth {
		return nil
	}
	it := &item{key: clip(key), text: clip(strings.TrimSpace(text)), up: up}
	up.kids = append(up.kids, it)
	if strings.EqualFold(key, "unit") || strings.EqualFold(key, "units") {
		up.unit = strings.ToLower(it.text)
	}
	return it
}

func clip(s string) string {
	if len(s) > mostText {
		return s[:mostText]
	}
	return s
}

func (it *item) depth() (n int) {
	for ; it != nil; it = it.up {
		n++
	}
	return n
}

// each calls f for an item and all below it.
func (it *item) each(f func(*item)) {
	f(it)
	for _, k := range it.kids {
		k.each(f)
	}
}
