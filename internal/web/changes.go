package web

import (
	"fmt"
	"slices"
	"strings"

	"aldermoor/core/material"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/wording"
)

// changed is a thing that differs between two states of a material.
type changed struct {
	What, Was, Now string
}

// changesOf are the differences between two states of a material, the ones that are seen first:
// maps, figures of size and depth, surface figures, findings, description.
func changesOf(was, now *materials.Material) (list []changed) {
	a, b := was.Current(), now.Current()
	add := func(what, from, to string) {
		if from != to {
			list = append(list, changed{what, orNone(from), orNone(to)})
		}
	}
	for _, c := range material.All() {
		add(wording.Channel(c)+" map", mapSays(a.Map(c), b.Map(c), false), mapSays(b.Map(c), a.Map(c), true))
	}
	for _, r := range compareRows([]*materials.Material{was, now}) {
		if !r.Same && !slices.Contains([]string{"Maps", "Findings", "To fetch", "Video memory"}, r.Name) {
			list = append(list, changed{r.Name, r.Values[0], r.Values[1]})
		}
	}
	figures := func(m *materials.Material) string {
		if m.Figures == nil {
			return ""
		}
		return fmt.Sprintf("%+v", *m.Figures)
	}
	if figures(was) != figures(now) {
		list = append(list, changed{"Surface figures", "", "changed"})
	}
	treatments := func(m *materials.Material) string { return wording.Count(len(m.Recipe), "treatment") }
	add("Treatments", treatments(was), treatments(now))
	findings := func(m *materials.Material) (out []string) {
		for _, f := range m.Report.Findings {
			if chip := wording.CheckOf(f.Code).Chip; !slices.Contains(out, chip) {
				out = append(out, chip)
			}
		}
		slices.Sort(out)
		return out
	}
	add("Findings", strings.Join(findings(&a), ", "), strings.Join(findings(&b), ", "))
	add("Name", a.Name, b.Name)
	add("Tags", strings.Join(a.Tags, ", "), strings.Join(b.Tags, ", "))
	add("Categories", strings.Join(a.Categories, ", "), strings.Join(b.Categories, ", "))
	add("Contact", a.Contact, b.Contact)
	add("Licence", a.Licence, b.Licence)
	add("Author", a.Author, b.Author)
	add("Rights", a.Rights, b.Rights)
	return list
}

func orNone(s string) string {
	if s == "" {
		return "none"
	}
	return s
}

// mapSays is a map in words; of one whose file alone has changed beside another: "another file".
func mapSays(p, beside *materials.Map, newer bool) string {
	if p == nil {
		return ""
	}
	says := fmt.Sprintf("%d × %d, %d bits", p.Width, p.Height, p.Bits)
	if p.Direction != 0 {
		says += ", " + strings.ReplaceAll(strings.ToUpper(p.Direction.String()), "-", "−")
	}
	if newer && beside != nil && p.Blob != beside.Blob {
		says += ", other pixels"
	}
	return says
}
