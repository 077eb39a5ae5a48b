package sidecar

import (
	"slices"
	"strings"
)

// leastRecords is how often a label must come back for a flat list to be taken for records.
const leastRecords = 2

// records splits flat lists: where the lines of a container label files, and the first label comes back, each
// return begins the next record ("colour a.png, normal b.png, colour c.png, normal d.png"). A list in which a
// record would have a label twice is left as it is.
func (it *item) records() {
	for _, k := range it.kids {
		k.records()
	}
	first, count, others := "", 0, false
	seen := map[string]bool{}
	for _, k := range it.kids {
		label, ok := k.label()
		switch {
		case !ok:
		case first == "":
			first, count = label, 1
		case label == first:
			count++
			seen = map[string]bool{}
		case seen[label]:
			return
		default:
			seen[label], others = true, true
		}
	}
	if count < leastRecords || !others {
		return
	}
	var kids []*item
	var open *item
	for _, k := range it.kids {
		if label, ok := k.label(); ok && label == first {
			open = &item{up: it, record: true}
			kids = append(kids, open)
		}
		if open == nil { // before the first record
			kids = append(kids, k)
			continue
		}
		k.up = open
		open.kids = append(open.kids, k)
	}
	it.kids = kids
}

// label is what stands before a value's one file, or what selects the one file of a row; ok is false for others
// and for a file without a label.
func (it *item) label() (label string, ok bool) {
	if len(it.kids) > 0 {
		return it.rowLabel()
	}
	names, _ := files(it.text)
	if len(names) != 1 {
		return "", false
	}
	before, last := spaced(names[0])
	if before == "" {
		before, _, _ = strings.Cut(strings.ReplaceAll(it.text, `\`, "/"), last)
	}
	label = strings.ToLower(strings.Join(strings.Fields(it.key+" "+strings.Trim(before, `"'<(`)), " "))
	return label, label != ""
}

func (it *item) rowLabel() (label string, ok bool) {
	found := 0
	for _, k := range it.kids {
		names, _ := files(k.text)
		found += len(names)
		switch {
		case len(k.kids) > 0 || found > 1:
			return "", false
		case names == nil && slices.Contains(selectors, strings.ToLower(k.key)):
			label += strings.ToLower(k.text) + " "
		}
	}
	return label, found == 1 && label != ""
}
