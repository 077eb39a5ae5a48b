package web

import (
	"fmt"
	"slices"
	"strings"

	"aldermoor/core/material"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

// changed is a thing that differs between two states of a material.
type changed struct {
	What, Was, Now string
	Pictures       string // of a map whose pixels differ: the address of was.jpg, now.jpg and difference.png
}

// changesOf are the differences between two states of a material, the ones that are seen first:
// maps, figures of size and depth, surface figures, findings, description. refs are the states' names: see
// lookOf.
func changesOf(was, now *materials.Material, refs [2]string) (list []changed) {
	a, b := was.Current(), now.Current()
	add := func(what, from, to string) {
		if from != to {
			list = append(list, changed{What: what, Was: orNone(from), Now: orNone(to)})
		}
	}
	for _, c := range material.All() {
		p, q := a.Map(c), b.Map(c)
		add(wording.Channel(c)+" map", mapSays(p, q, false), mapSays(q, p, true))
		if p != nil && q != nil && p.Blob != q.Blob {
			list[len(list)-1].Pictures = fmt.Sprintf("/changes/%s/%s/%s", refs[0], refs[1], c)
		}
	}
	for _, r := range compareRows([]*materials.Material{was, now}) {
		if !r.Same && !slices.Contains([]string{"Maps", "Findings", "To fetch", "Video memory"}, r.Name) {
			list = append(list, changed{What: r.Name, Was: r.Values[0], Now: r.Values[1]})
		}
	}
	figures := func(m *materials.Material) string {
		if m.Figures == nil {
			return ""
		}
		return fmt.Sprintf("%+v", *m.Figures)
	}
	if figures(was) != figures(now) {
		list = append(list, changed{What: "Surface figures", Now: "changed"})
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

// mapSays is a map in words; of the newer of two: whether its pixels are others than those of the one beside it.
func mapSays(p, beside *materials.Map, newer bool) string {
	if p == nil {
		return ""
	}
	says := fmt.Sprintf("%d × %d, %d bits", p.Width, p.Height, p.Bits)
	if p.Direction != 0 {
		says += ", " + strings.ReplaceAll(strings.ToUpper(p.Direction.String()), "-", "−")
	}
	if newer && beside != nil && p.Blob != beside.Blob {
		if says == mapSays(beside, nil, false) {
			return "other pixels"
		}
		says += ", other pixels"
	}
	return says
}

// changePicture answers with the picture of a map before a change, after it, or of what differs.
func (s *Server) changePicture(c *echo.Context) error {
	var maps [2]materials.Map
	for i, ref := range []string{c.Param("was"), c.Param("now")} {
		m, _, err := s.lookOf(c, ref)
		if err != nil {
			return err
		}
		now := m.Current()
		p := now.Map(material.Channel(c.Param("channel")))
		if p == nil {
			return library.ErrNotFound
		}
		maps[i] = *p
	}
	switch c.Param("what") {
	case "was.jpg":
		return s.sendMap(c, &maps[0], false)
	case "now.jpg":
		return s.sendMap(c, &maps[1], false)
	case "difference.png":
		px, err := whole(c, "px", 128)
		if err != nil {
			return err
		}
		key := fmt.Sprintf("change-%s-%s-%d", mapLook(&maps[0]), mapLook(&maps[1]), px)
		return s.picture(c, key, "image/png", func() ([]byte, error) {
			return s.Studio.Pictures.ChangePicture(c.Request().Context(), &maps[0], &maps[1], px)
		})
	}
	return library.ErrNotFound
}
