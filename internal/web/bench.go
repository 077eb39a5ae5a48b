package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"time"

	"aldermoor/core/material"
	"aldermoor/core/scale"
	"aldermoor/core/tiling"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

type benchMaterialPage struct {
	frame
	M        *materials.Material
	L        ledger
	Look     string
	Subtitle string
	flatView
	Lit      litView
	Releases []releaseRow
	Contacts []string
	Licences []string // to suggest
	Letters  []column
	Lead     bool
	Channels []choice

	Changes []changed       // since the last release
	Compare string          // address of both side by side
	Last    int             // number of that release
	Review  releases.Review // zero for none
	Asked   string          // when it was sent to review

	Suggested []string // tags
	Namesakes []materials.Namesake

	Undo, Redo materials.Step // that u would undo and redo; zero for none
}

type releaseRow struct {
	Number          int
	Notes, By, When string
}

func (s *Server) benchMaterial(c *echo.Context) error {
	ctx := c.Request().Context()
	m, err := s.draft(c)
	if err != nil {
		return err
	}
	list, err := s.Studio.Releases.Releases(ctx, me(c), m.ID)
	if err != nil {
		return err
	}
	p := benchMaterialPage{frame: s.frame(c, m.Name), M: m, L: ledgerView(m), Look: m.LookKey(), Contacts: materials.Contacts, Licences: commonLicences}
	across, down, err := wallOf(c)
	if err != nil {
		return err
	}
	p.L.lay(m, across, down)
	p.L.recipe(s, m)
	st, _, err := s.Studio.Materials.Standards(ctx, me(c))
	if err != nil {
		return err
	}
	unit := ""
	if k, err := c.Request().Cookie("density"); err == nil {
		unit = k.Value
	}
	p.L.density(s, m, st, unit)
	cur := m.Current()
	p.Subtitle = subtitle(m)
	for i, k := range p.L.Maps {
		if c.QueryParam("lens") == "" && (i == 0 || k.Channel == c.QueryParam("map")) {
			p.Early = fmt.Sprintf("/maps/%d/picture.jpg?px=%d", k.ID, materials.FirstPx)
		}
	}
	p.Releases = releaseRows(list, here(c))
	p.Lead = leads(c)
	if p.Changes, p.Last, p.Compare, err = s.sinceRelease(c, m); err != nil {
		return err
	}
	if p.Suggested, err = s.Studio.Search.SuggestTags(ctx, me(c), m.Name, m.LookKey(), m.Tags, m.ID); err != nil {
		return err
	}
	if p.Namesakes, err = s.Studio.Materials.Namesakes(ctx, me(c), m); err != nil {
		return err
	}
	if p.Review, err = s.Studio.Releases.ReviewOf(ctx, me(c), m.ID); err != nil {
		return err
	}
	p.Asked = ago(p.Review.Asked, here(c))
	for _, k := range cur.Assigned() {
		if k.Channel != material.Normal {
			p.Channels = append(p.Channels, choice{Label: wording.Channel(k.Channel), Href: string(k.Channel)})
		}
	}
	steps, err := s.Studio.Materials.History(ctx, me(c), 0, m.ID, 50)
	if err != nil {
		return err
	}
	p.Undo, p.Redo = materials.Next(steps, me(c))
	data, err := json.Marshal(lensOf(m, p.L.Maps))
	if err != nil {
		return err
	}
	p.Lens, p.Work = string(data), true
	if p.Lit, err = s.lit(c, m, 0); err != nil {
		return err
	}
	s.litAhead(c, &p.frame, &p.Lit)
	return s.render(c, http.StatusOK, "material", p)
}

// wallOf is the wall in metres that an address asks for.
func wallOf(c *echo.Context) (across, down float64, err error) {
	across, down = 4, 2.5
	for name, to := range map[string]*float64{"across": &across, "down": &down} {
		if v := c.QueryParam(name); v != "" {
			if *to, err = scale.ParseLength(v); err != nil {
				return 0, 0, library.Invalid(err.Error() + ".")
			}
		}
	}
	return across, down, nil
}

// subtitle is where a material comes from, how it stands to its releases, and where it is
// filed.
func subtitle(m *materials.Material) string {
	var sub []string
	if m.Station != "" {
		sub = append(sub, m.Station)
	}
	switch {
	case m.Released == 0:
		sub = append(sub, "not released yet")
	case m.Changed():
		sub = append(sub, fmt.Sprintf("draft after release %d", m.Released))
	default:
		sub = append(sub, fmt.Sprintf("as in release %d", m.Released))
	}
	out := strings.Join(sub, ", ")
	if len(m.Categories) > 0 {
		out += " · " + strings.Join(m.Categories, ", ")
	}
	return out
}

// flatView is the Flat and the Laid lens.
type flatView struct {
	Lens string // JSON for its script
	Work bool   // on the Bench: what is measured is set
}

// lensData is what the lens's script is given.
type lensData struct {
	W     float64        `json:"width"`
	H     float64        `json:"height"`
	Known bool           `json:"known"`
	Depth float64        `json:"depth"`
	Maps  []mapChip      `json:"maps"`
	Steps [][2]float64   `json:"steps"` // of the pattern, in shares of the width and height
	Seams []tiling.Place `json:"seams"` // where edges break most
	Share [2]float64     `json:"share"` // of the scan's size, if its recipe gave some of it up
}

func lensOf(m *materials.Material, chips []mapChip) lensData {
	cur := m.Current()
	out := lensData{m.Size.W, m.Size.H, m.Size.Known(), m.Depth, chips, nil, cur.Report.Seams, m.Finish.Kept()}
	w, h := cur.Pixels()
	if cur.Report.Period != nil && w > 0 {
		for _, v := range cur.Report.Period {
			out.Steps = append(out.Steps, [2]float64{v[0] / float64(w), v[1] / float64(h)})
		}
	}
	if !out.Known {
		out.W, out.H = 1, float64(h)/float64(max(w, 1))
	}
	return out
}

func releaseRows(list []releases.Release, now time.Time) (out []releaseRow) {
	for _, r := range list {
		out = append(out, releaseRow{r.Number, r.Notes, r.By, ago(r.Created, now)})
	}
	return out
}
