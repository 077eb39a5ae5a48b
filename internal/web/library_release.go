package web

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"aldermoor/core/handoff"
	"aldermoor/core/scale"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/pictures"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/requests"
	"aldermoor/internal/library/search"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

type materialPage struct {
	frame
	flatView
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
	Profiles []releases.Profile
	Form     releases.Convention // that is chosen first
	Stand    standView
	Duty     string // what the licence asks, in words
	Users    []takingView
	Problems []requestRow // that are not solved
	Changes  []changed    // from the release before
	Before   string       // address that compares it with the release before
	When     string
	HasGloss bool
	Deep     string     // what depth the normals and height have
	Plain    bool       // it has no maps
	Alike    []cardView // published materials that look like it
}

// costView is what an order takes.
type costView struct {
	Fetch  string `json:"fetch"`
	Error  string `json:"error"` // of Fetch
	Memory string `json:"memory"`
	Pixels string `json:"pixels"`
	Href   string `json:"href"`  // of the zip
	Query  string `json:"query"` // the order's words in addresses
	Tier   string `json:"tier"`
	Says   string `json:"says"` // the form in words
	Note   string `json:"note,omitempty"`
	Lost   string `json:"lost"` // what its descriptions have no place for
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
	across, down, err := wallOf(c)
	if err != nil {
		return err
	}
	p.L.lay(m, across, down)
	p.Plain = m.Mapless()
	p.L.density(s, m, materials.Standards{}, "")
	for i := range p.L.Maps {
		k := &p.L.Maps[i]
		k.At, k.ID, k.Before = fmt.Sprintf("/releases/%d/maps/%s", r.ID, k.Channel), int64(i+1), 0
	}
	data, err := json.Marshal(lensOf(m, p.L.Maps))
	if err != nil {
		return err
	}
	p.Lens = string(data)
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
	if n := len(p.Tiers); n > 0 && max(w, h)%1024 == 0 && max(w, h) == 1024<<(n-1) { // the last one is the source
	} else if m.Mapless() {
		p.Tiers = append(p.Tiers, choice{Label: "its figures", Href: "source"})
	} else {
		p.Tiers = append(p.Tiers, choice{Label: fmt.Sprintf("the source (%d × %d)", w, h), Href: "source"})
	}
	if p.Form, err = s.Studio.Releases.Convention(c.Request().Context(), me(c)); err != nil {
		return err
	}
	tier := slices.IndexFunc(p.Tiers, func(k choice) bool { return k.Href == p.Form.Tier })
	if tier < 0 {
		tier = len(p.Tiers) - 1
	}
	p.Tiers[tier].On = true
	p.Duty = handoff.Obligation(m.Licence)
	problems, _, err := s.Studio.Requests.List(c.Request().Context(), me(c), requests.Query{Material: card.MaterialID, Per: 10})
	if err != nil {
		return err
	}
	for _, k := range problems {
		p.Problems = append(p.Problems, s.requestRow(c, k))
	}
	p.Stand = s.standOf(c, r, card.Number)
	users, err := s.Studio.Releases.TakingsOf(c.Request().Context(), me(c), card.MaterialID, 8)
	if err != nil {
		return err
	}
	p.Users = s.takingViews(c, users)
	for i := range list {
		if list[i].Number == r.Number-1 {
			p.Changes, p.Before = changesOf(&list[i].Material, m, [2]string{fmt.Sprintf("r%d", list[i].ID), fmt.Sprintf("r%d", r.ID)}), fmt.Sprintf("/compare?of=r%d,r%d", list[i].ID, r.ID)
		}
	}
	if p.Profiles, err = s.Studio.Releases.Profiles(c.Request().Context(), me(c)); err != nil {
		return err
	}
	p.Form.Tier, p.Form.Profile = p.Tiers[tier].Href, cmp.Or(p.Form.Profile, handoff.Scanned)
	order, err := p.Form.Order()
	if err != nil {
		return err
	}
	if p.Cost, err = s.costOf(c, r, order); err != nil {
		return err
	}
	if p.Lit, err = s.lit(c, m, r.ID); err != nil {
		return err
	}
	s.litAhead(c, &p.frame, &p.Lit)
	if look, ok := s.Studio.Search.Traits(card.MaterialID); ok {
		near, err := s.Studio.Search.Find(c.Request().Context(), me(c), search.Query{Near: &search.Near{Look: &look, Except: card.MaterialID}, Per: moreLike})
		if err != nil {
			return err
		}
		for _, k := range near.Items {
			p.Alike = append(p.Alike, cardView{Card: k, Extent: fmt.Sprint(p.Extent), Ball: k.W == 0})
		}
	}
	if err := s.Studio.Collections.Look(c.Request().Context(), me(c), card.MaterialID); err != nil && !errors.Is(err, context.Canceled) {
		s.Log.Warn("note what was looked at", "error", err) // the page is worth more
	}
	return s.render(c, http.StatusOK, "release", p)
}

// moreLike is how many materials that look alike a material's page shows.
const moreLike = 6

// costOf is what an order of a release takes: exactly once it has been made, and about before.
func (s *Server) costOf(c *echo.Context, r *releases.Release, o releases.Order) (costView, error) {
	form, err := s.Studio.Releases.Form(c.Request().Context(), me(c), &o)
	if err != nil {
		return costView{}, err
	}
	hm := s.Studio.Releases.Handoff(r)
	k := hm.Estimate(form)
	_, _, losses := hm.Plan(form)
	v := url.Values{"tier": {strings.ToLower(o.Tier.String())}}
	for name, word := range map[string]string{"profile": o.Profile, "normal": o.Normal, "roughness": o.Roughness, "format": map[bool]string{true: "exr"}[o.EXR]} {
		if word != "" && word != handoff.Scanned {
			v.Set(name, word)
		}
	}
	out := costView{Fetch: "about " + scale.Bytes(k.Fetch), Memory: scale.Bytes(k.VideoMemory), Pixels: fmt.Sprintf("%d × %d", k.W, k.H), Query: v.Encode(), Tier: strings.ToLower(o.Tier.String()),
		Says: wording.Form(form.Profile), Lost: strings.TrimSpace(strings.Join(append(wording.Losses(losses), wording.Harms(form.Profile)), " ")), Error: fmt.Sprintf("file size estimated within %.0f %%", handoff.EstimateError*100)}
	out.Href = fmt.Sprintf("/api/v1/releases/%d/handoff?%s", r.ID, out.Query)
	if bytes, ok := s.Studio.Releases.Exact(r, form); ok {
		out.Fetch, out.Error = scale.Bytes(bytes), "exactly"
	}
	return out, nil
}

// cost answers the handoff sentence. With a distance, the tier is the smallest one that is
// enough for a camera there.
func (s *Server) cost(c *echo.Context) error {
	r, _, err := s.releaseOf(c)
	if err != nil {
		return err
	}
	o, err := orderOf(c)
	if err != nil {
		return err
	}
	note := ""
	if d, err := number(c, "distance_m", 0); err != nil {
		return err
	} else if d > 0 {
		if o.Tier, note, err = s.tierFor(c, r, o, d); err != nil {
			return err
		}
	}
	v, err := s.costOf(c, r, o)
	if err != nil {
		return err
	}
	v.Note = note
	return c.JSON(http.StatusOK, v)
}

// tierFor is the smallest tier of an order's profile that is enough for the plain camera at a
// distance in metres, and what is to be said of it.
func (s *Server) tierFor(c *echo.Context, r *releases.Release, o releases.Order, distance float64) (t scale.Tier, note string, err error) {
	cur := &r.Material
	w, h := cur.Pixels()
	if !cur.Size.Known() || w == 0 {
		return o.Tier, "", library.Invalid("The size is not known, so no distance can be reckoned. Choose a tier.")
	}
	profile, err := s.Studio.Releases.Profile(c.Request().Context(), me(c), o.Profile, o.Version)
	if err != nil {
		return o.Tier, "", err
	}
	asked := scale.Plain.Asks(distance)
	for _, t := range append(scale.Tiers(w, h), scale.SourceTier) {
		if !profile.Document.Offers(t) {
			continue
		}
		tw, th := t.Size(w, h)
		if x, y := scale.Density(cur.Size, tw, th); min(x, y) >= asked {
			return t, fmt.Sprintf("%s is enough from %s", t, scale.Metres(scale.Plain.Reach(min(x, y)))), nil
		}
		o.Tier = t
	}
	tw, th := o.Tier.Size(w, h)
	x, y := scale.Density(cur.Size, tw, th)
	return o.Tier, fmt.Sprintf("not enough from %s: %s reaches %s", scale.Metres(distance), o.Tier, scale.Metres(scale.Plain.Reach(min(x, y)))), nil
}
