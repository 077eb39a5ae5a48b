package web

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"aldermoor/core/scale"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/pictures"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/search"

	"github.com/labstack/echo/v5"
)

type materialPage struct {
	frame
	Lit      litView
	R        *releases.Release
	M        *materials.Material
	L        ledger
	Look     string
	Extent   float64
	Releases []releaseRow
	Latest   int
	Tiers    []choice
	Cost     costView
	When     string
	HasGloss bool
	Deep     string     // what depth the normals and height have
	Plain    bool       // it has no maps
	Alike    []cardView // published materials that look like it
}

type costView struct {
	Fetch  string `json:"fetch"`
	Memory string `json:"memory"`
	Pixels string `json:"pixels"`
	Href   string `json:"href"`
}

// releaseOf is the release that a material's page shows: the one asked for, or
// the latest.
func (s *Server) releaseOf(c *echo.Context) (*releases.Release, releases.Card, error) {
	card, ok := s.Studio.Search.Card(c.Param("slug"))
	if !ok {
		return nil, card, library.ErrNotFound
	}
	if n, _ := strconv.Atoi(c.QueryParam("release")); n > 0 && n != card.Number {
		list, err := s.Studio.Releases.Releases(c.Request().Context(), me(c), card.MaterialID)
		if err != nil {
			return nil, card, err
		}
		for i := range list {
			if list[i].Number == n {
				return &list[i], card, nil
			}
		}
		return nil, card, library.ErrNotFound
	}
	r, err := s.Studio.Releases.ReleaseByID(c.Request().Context(), me(c), card.ReleaseID)
	return &r, card, err
}

func (s *Server) material(c *echo.Context) error {
	r, card, err := s.releaseOf(c)
	if err != nil {
		return err
	}
	list, err := s.Studio.Releases.Releases(c.Request().Context(), me(c), card.MaterialID)
	if err != nil {
		return err
	}
	m := &r.Material
	p := materialPage{frame: s.frame(c, m.Name), R: r, M: m, L: ledgerView(m), Look: m.LookKey(), Releases: releaseRows(list, here(c)), Latest: card.Number, When: ago(r.Created, here(c))}
	p.Place, p.Plain = "library", m.Mapless()
	p.L.density(s, m, materials.Standards{}, "")
	// The step nearest to one repeat.
	p.Extent = pictures.Extents[0]
	for _, e := range pictures.Extents {
		if e <= max(m.Size.W, 0.1)*1.01 {
			p.Extent = e
		}
	}
	if !m.Size.Known() {
		p.Extent = 1
	}
	w, h := m.Pixels()
	for _, t := range scale.Tiers(w, h) {
		p.Tiers = append(p.Tiers, choice{Label: t.String(), Href: strings.ToLower(t.String())})
	}
	if n := len(p.Tiers); n > 0 && max(w, h)%1024 == 0 && max(w, h) == 1024<<(n-1) {
		p.Tiers[n-1].On = true
	} else if m.Mapless() {
		p.Tiers = append(p.Tiers, choice{Label: "its figures", Href: "source", On: true})
	} else {
		p.Tiers = append(p.Tiers, choice{Label: fmt.Sprintf("the source (%d × %d)", w, h), Href: "source", On: true})
	}
	if p.Cost, err = s.costOf(r, p.Tiers[len(p.Tiers)-1].Href, "", "", ""); err != nil {
		return err
	}
	if p.Lit, err = s.lit(c, m, r.ID); err != nil {
		return err
	}
	if look, ok := s.Studio.Search.Traits(card.MaterialID); ok {
		near, err := s.Studio.Search.Find(c.Request().Context(), me(c), search.Query{Near: &search.Near{Look: &look, Except: card.MaterialID}, Per: moreLike})
		if err != nil {
			return err
		}
		for _, k := range near.Items {
			p.Alike = append(p.Alike, cardView{Card: k, Extent: fmt.Sprint(p.Extent)})
		}
	}
	return s.render(c, http.StatusOK, "release", p)
}

// moreLike is how many materials that look alike a material's page shows.
const moreLike = 6

func (s *Server) costOf(r *releases.Release, tier, normal, roughness, format string) (costView, error) {
	profile, err := releases.ParseProfile(tier, normal, roughness, format)
	if err != nil {
		return costView{}, err
	}
	k := s.Studio.Releases.Handoff(r).Estimate(profile)
	v := url.Values{"tier": {tier}}
	if normal != "" {
		v.Set("normal", normal)
	}
	if roughness != "" {
		v.Set("roughness", roughness)
	}
	if format != "" {
		v.Set("format", format)
	}
	return costView{scale.Bytes(k.Fetch), scale.Bytes(k.VideoMemory), fmt.Sprintf("%d × %d", k.W, k.H), fmt.Sprintf("/api/v1/releases/%d/handoff?%s", r.ID, v.Encode())}, nil
}

// cost answers the handoff sentence.
func (s *Server) cost(c *echo.Context) error {
	r, _, err := s.releaseOf(c)
	if err != nil {
		return err
	}
	v, err := s.costOf(r, c.QueryParam("tier"), c.QueryParam("normal"), c.QueryParam("roughness"), c.QueryParam("format"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, v)
}
