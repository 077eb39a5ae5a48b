package sidecar

import (
	"strings"
)

// item is a value or a container of a document, whatever its layout.
type item struct {
	key   string // the name under which it stands
	text  string // a value's text
	kids  []*item
	up    *item
	named bool // its key is a name that the document's author gave, not a field's
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

// kid is the text of a child by its key, "" if there is none.
func (it *item) kid(keys ...string) string {
	for _, k := range it.kids {
		for _, key := range keys {
			if strings.EqualFold(k.key, key) {
				return k.text
			}
		}
	}
	return ""
}

// each calls f for an item and all below it.
func (it *item) each(f func(*item)) {
	f(it)
	for _, k := range it.kids {
		k.each(f)
	}
}
