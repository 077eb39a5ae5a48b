package web

import (
	"cmp"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"aldermoor/core/material"
	"aldermoor/core/scale"
	"aldermoor/core/shade"
	"aldermoor/core/shape"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/pictures"
	"aldermoor/internal/library/search"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

// This file lays up to four looks side by side: drafts, releases, scans without their treatments, smaller
// tiers. A look is named in the address: m7 (a draft), m7-scan (its scan as it came), r12 (a release), and
// any of them with a tier: m7@1024.

// mostCompared is how many looks are compared at once.
const mostCompared = 4

type comparePage struct {
	frame
	Looks   []compared
	Rows    []compareRow
	Data    string
	Lit     litView
	Of      string // the looks, as the address has them
	Natural float64
	Adds    []choice // further states of the first look
	Known   []string // names to add
}

// compared is one of the looks.
type compared struct {
	Ref, Name, What, Href, Without string // Without is the address of the others
	Surface                        string
	Look                           shade.Look
	Px                             int
}

// compareRow is one line of what differs.
type compareRow struct {
	Name   string
	Values []string
	Same   bool
	Colour bool
}

// lookOf finds a look by its name.
func (s *Server) lookOf(c *echo.Context, ref string) (m *materials.Material, k compared, err error) {
	ctx, p := c.Request().Context(), me(c)
	body, tier, _ := strings.Cut(ref, "@")
	k = compared{Ref: ref, Px: 2048}
	if tier != "" {
		if k.Px, err = strconv.Atoi(tier); err != nil {
			return nil, k, library.Invalid(fmt.Sprintf("%q names no tier.", tier))
		}
	}
	body, scan := strings.CutSuffix(body, "-scan")
	id, bad := strconv.ParseInt(strings.TrimLeft(body, "mr"), 10, 64)
	if bad != nil || len(body) < 2 {
		return nil, k, library.Invalid(fmt.Sprintf("%q names nothing to compare.", ref))
	}
	switch body[0] {
	case 'm':
		d, err := s.Studio.Materials.Material(ctx, p, id)
		if err != nil {
			return nil, k, err
		}
		m, k.What, k.Href = &d, "draft", fmt.Sprintf("/bench/%d", id)
		k.Surface = fmt.Sprintf("/materials/%d/surface.bin?v=%s", id, m.MapsKey())
		if scan {
			bare := d
			bare.Finish, bare.Figures = materials.Finish{}, nil
			m, k.What = &bare, "scan as it came"
			k.Surface = fmt.Sprintf("/materials/%d/surface.bin?scan=1&v=%s", id, m.MapsKey())
		}
	case 'r':
		r, err := s.Studio.Releases.ReleaseByID(ctx, p, id)
		if err != nil {
			return nil, k, err
		}
		m, k.What, k.Href = &r.Material, fmt.Sprintf("release %d", r.Number), fmt.Sprintf("/library/%s?release=%d", r.Material.Slug, r.Number)
		k.Surface = fmt.Sprintf("/releases/%d/surface.bin?v=%s", id, m.MapsKey())
	default:
		return nil, k, library.Invalid(fmt.Sprintf("%q names nothing to compare.", ref))
	}
	if tier != "" {
		k.What += fmt.Sprintf(", %d px", k.Px)
	}
	k.Name = m.Name
	return m, k, nil
}

func (s *Server) compare(c *echo.Context) error {
	refs := strings.FieldsFunc(c.QueryParam("of"), func(r rune) bool { return r == ',' })
	if add := strings.TrimSpace(c.QueryParam("add")); add != "" {
		ref, err := s.findLook(c, add)
		if err != nil {
			return err
		}
		q := c.QueryParams()
		q.Del("add")
		q.Set("of", strings.Join(append(refs, ref), ","))
		return c.Redirect(http.StatusSeeOther, "/compare?"+q.Encode())
	}
	if len(refs) > mostCompared {
		return library.Invalid(fmt.Sprintf("Up to %d can be compared at once.", mostCompared))
	}
	p := comparePage{frame: s.frame(c, "Compare"), Of: strings.Join(refs, ","), Natural: 1}
	var list []*materials.Material
	for i, ref := range refs {
		m, k, err := s.lookOf(c, ref)
		if err != nil {
			return err
		}
		k.Without = "/compare?of=" + url.QueryEscape(strings.Join(append(append([]string{}, refs[:i]...), refs[i+1:]...), ","))
		cur := m.Current()
		look := cur.Surface()
		p.Natural = max(p.Natural, shape.NaturalSize(look.Extent().W))
		k.Look = shade.LookOf(&look)
		p.Looks, list = append(p.Looks, k), append(list, m)
	}
	if len(list) > 0 {
		var err error
		if p.Lit, err = s.lit(c, list[0], 0); err != nil {
			return err
		}
		p.Rows = compareRows(list)
		if len(refs) < mostCompared {
			if err := s.furtherStates(c, &p, list[0]); err != nil {
				return err
			}
		}
	}
	p.Data = jsonText(p.Looks)
	known, err := s.Studio.Search.Find(c.Request().Context(), me(c), search.Query{Page: 1, Per: 100})
	if err != nil {
		return err
	}
	for _, k := range known.Items {
		p.Known = append(p.Known, k.Name)
	}
	return s.render(c, http.StatusOK, "compare", p)
}

// furtherStates offers what the first look can be compared with: its scan, its releases, a smaller tier.
func (s *Server) furtherStates(c *echo.Context, p *comparePage, m *materials.Material) error {
	add := func(label, ref string) {
		for _, k := range p.Looks {
			if k.Ref == ref {
				return
			}
		}
		p.Adds = append(p.Adds, choice{Label: label, Href: "/compare?of=" + url.QueryEscape(p.Of+","+ref)})
	}
	if me(c).May(people.SeeDrafts) {
		if len(m.Finish.Maps) > 0 || m.Figures != nil {
			add("its scan as it came", fmt.Sprintf("m%d-scan", m.ID))
		}
		add("its draft", fmt.Sprintf("m%d", m.ID))
		list, err := s.Studio.Releases.Releases(c.Request().Context(), me(c), m.ID)
		if err != nil {
			return err
		}
		for i, r := range list {
			if i < 3 {
				add(fmt.Sprintf("release %d", r.Number), fmt.Sprintf("r%d", r.ID))
			}
		}
	}
	body, _, _ := strings.Cut(p.Looks[0].Ref, "@")
	add("itself at 256 px", body+"@256")
	add("itself at 1024 px", body+"@1024")
	return nil
}

// findLook is the look that a name means: a draft for those who see drafts, else the latest release.
func (s *Server) findLook(c *echo.Context, name string) (string, error) {
	ctx, p := c.Request().Context(), me(c)
	if p.May(people.SeeDrafts) {
		list, err := s.Studio.Materials.Drafts(ctx, p, materials.DraftQuery{Text: name, Page: 1, Per: 20})
		if err != nil {
			return "", err
		}
		for _, m := range list.Items {
			if strings.EqualFold(m.Name, name) {
				return fmt.Sprintf("m%d", m.ID), nil
			}
		}
		if len(list.Items) > 0 {
			return fmt.Sprintf("m%d", list.Items[0].ID), nil
		}
	}
	f, err := s.Studio.Search.Find(ctx, p, search.Query{Text: name, Page: 1, Per: 1})
	if err != nil {
		return "", err
	}
	if len(f.Items) == 0 {
		return "", library.Invalid(fmt.Sprintf("There is no material called %q.", name))
	}
	return fmt.Sprintf("r%d", f.Items[0].ReleaseID), nil
}

// compareRows say what of the looks differs.
func compareRows(list []*materials.Material) (rows []compareRow) {
	row := func(name string, value func(m *materials.Material) string) {
		r := compareRow{Name: name, Same: true}
		for i, m := range list {
			cur := m.Current()
			r.Values = append(r.Values, cmp.Or(value(&cur), "—"))
			r.Same = r.Same && r.Values[i] == r.Values[0]
		}
		rows = append(rows, r)
	}
	row("Size", func(m *materials.Material) string {
		if !m.Size.Known() {
			return "unknown"
		}
		return fmt.Sprintf("%s × %s", scale.Metres(m.Size.W), scale.Metres(m.Size.H))
	})
	row("Density", func(m *materials.Material) string {
		w, _ := m.Pixels()
		if !m.Size.Known() || w == 0 {
			return ""
		}
		return scale.Figure(float64(w)/m.Size.W) + " px/m"
	})
	row("Depth", func(m *materials.Material) string {
		if m.Depth <= 0 {
			return ""
		}
		return fmt.Sprintf("%.1f mm", 1000*m.Depth)
	})
	row("Mean colour", func(m *materials.Material) string {
		if m.Figures != nil {
			if v, ok := m.Figures.Constants[material.BaseColor]; ok {
				return hexOf(v)
			}
		}
		return m.Colour()
	})
	rows[len(rows)-1].Colour = true
	row("Roughness", func(m *materials.Material) string {
		if m.Figures != nil {
			if v, ok := m.Figures.Constants[material.Roughness]; ok {
				return fmt.Sprintf("%.2f", v[0])
			}
		}
		f := m.Shown()
		for _, ch := range []material.Channel{material.Roughness, material.Glossiness} {
			if p := m.Map(ch); p != nil && len(p.Stats.Mean) > 0 {
				v := p.Stats.Mean[material.ComponentIndex(p.Component, len(p.Stats.Mean))]
				if ch == material.Glossiness {
					v = 1 - v
				}
				return fmt.Sprintf("%.2f in the mean", math.Round(100*(f.Roughness[0]+v*(f.Roughness[1]-f.Roughness[0])))/100)
			}
		}
		return ""
	})
	row("Maps", func(m *materials.Material) string {
		var names []string
		for _, p := range m.Assigned() {
			names = append(names, strings.ToLower(wording.Channel(p.Channel)))
		}
		return strings.Join(names, ", ")
	})
	row("To fetch", func(m *materials.Material) string { return bestTier(m, func(t tierRow) string { return t.Fetch }) })
	row("Video memory", func(m *materials.Material) string { return bestTier(m, func(t tierRow) string { return t.Memory }) })
	row("Findings", func(m *materials.Material) string {
		if n := len(m.Report.Findings); n > 0 {
			return strconv.Itoa(n)
		}
		return "none"
	})
	return rows
}

func bestTier(m *materials.Material, what func(tierRow) string) string {
	l := ledgerView(m)
	if len(l.Tiers) == 0 {
		return ""
	}
	return what(l.Tiers[0])
}

// scanPack is the material as its pack is asked for: with scan=1, for those who see drafts, the scan
// without its treatments and figures.
func scanPack(c *echo.Context, m *materials.Material) *materials.Material {
	if c.QueryParam("scan") == "" || !me(c).May(people.SeeDrafts) {
		return m
	}
	bare := *m
	bare.Finish, bare.Figures = materials.Finish{}, nil
	return &bare
}

// sheetPage is a contact sheet: named pictures at one scale, to save or to print.
type sheetPage struct {
	frame
	Items  []sheetItem
	Extent float64
	Steps  []float64
	Of     string
	Kind   string
}

type sheetItem struct {
	Name, Line, Src string
}

// sheet is a page of chosen materials with their names and sizes, all at one scale.
func (s *Server) sheet(c *echo.Context) error {
	refs := strings.FieldsFunc(c.QueryParam("of"), func(r rune) bool { return r == ',' })
	if len(refs) == 0 || len(refs) > 240 {
		return library.Invalid("A contact sheet shows 1 to 240 materials. Choose some on the Bench or in the Library.")
	}
	extent, err := number(c, "extent_m", 1)
	if err != nil {
		return err
	}
	p := sheetPage{frame: s.frame(c, "Contact sheet"), Extent: extent, Steps: pictures.Extents, Of: strings.Join(refs, ","), Kind: c.QueryParam("kind")}
	for _, ref := range refs {
		m, k, err := s.lookOf(c, ref)
		if err != nil {
			return err
		}
		at := fmt.Sprintf("/api/v1/materials/%d", m.ID)
		if k.Ref[0] == 'r' {
			at = "/api/v1/releases/" + strings.TrimPrefix(k.Ref, "r")
		}
		src := fmt.Sprintf("%s/swatch.jpg?extent_m=%g&px=344&v=%s", at, extent, m.LookKey())
		if p.Kind == "ball" || m.Mapless() {
			src = fmt.Sprintf("%s/ball.png?px=344&v=%s", at, m.LookKey())
		}
		p.Items = append(p.Items, sheetItem{m.Name, sizeLine(m), src})
	}
	return s.render(c, http.StatusOK, "sheet", p)
}

// sheetPicture is the contact sheet as one PNG: pictures in rows, names and sizes below them, one scale bar.
func (s *Server) sheetPicture(c *echo.Context) error {
	refs := strings.FieldsFunc(c.QueryParam("of"), func(r rune) bool { return r == ',' })
	if len(refs) == 0 || len(refs) > 120 {
		return library.Invalid("A contact sheet in one picture shows 1 to 120 materials.")
	}
	extent, err := number(c, "extent_m", 1)
	if err != nil {
		return err
	}
	var items []pictures.SheetItem
	for _, ref := range refs {
		m, _, err := s.lookOf(c, ref)
		if err != nil {
			return err
		}
		items = append(items, pictures.SheetItem{Material: m, Line: sizeLine(m)})
	}
	data, err := s.Studio.Pictures.Sheet(c.Request().Context(), items, extent)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", `attachment; filename="contact-sheet.png"`)
	return c.Blob(http.StatusOK, "image/png", data)
}

func sizeLine(m *materials.Material) string {
	if !m.Size.Known() {
		return "size unknown"
	}
	out := fmt.Sprintf("%s × %s", scale.Metres(m.Size.W), scale.Metres(m.Size.H))
	if m.Depth > 0 {
		out += fmt.Sprintf(", %.1f mm deep", 1000*m.Depth)
	}
	return out
}
