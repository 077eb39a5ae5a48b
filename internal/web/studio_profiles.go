package web

import (
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"aldermoor/core/handoff"
	"aldermoor/core/material"
	"aldermoor/core/scale"
	"aldermoor/internal/library"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/search"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

// This file keeps handoff profiles: the page that edits and tries them, and their API.

// profilesPage lists the profiles and opens one.
type profilesPage struct {
	frame
	Lead    bool
	List    []profileRow
	Open    *profileEdit // nil without any
	Example string       // a material to try it on
}

type profileRow struct {
	ID, Name, Purpose, Says string
	Own, On                 bool
}

// profileEdit is a profile as the page edits it.
type profileEdit struct {
	releases.Profile
	Says    string
	Files   []profileFile
	Choices []profileChoice
	Tiers   []choice
	Adds    []choice // descriptions
	Blank   profileFile
	JSON    string
}

// profileChoice is one convention with its words.
type profileChoice struct {
	Field, Label string
	Options      []choice
}

// profileFile is a row of the editor: a file.
type profileFile struct {
	Word, Hint string
	Holds      [4][]choiceGroup
	Formats    []choice
	Packings   []choice
	Quality    int
	Colours    []choice
}

// choiceGroup is a group of options.
type choiceGroup struct {
	Name    string
	Options []choice
}

// componentCode is a component as the value of an option.
func componentCode(c handoff.Component) string {
	b, _ := json.Marshal(c) // plain words and numbers
	return string(b)
}

// componentSays is a component in words.
func componentSays(c handoff.Component) string {
	name := strings.TrimSpace(wording.Channel(c.Channel))
	switch {
	case c.Channel == material.None && c.Value != nil:
		return fmt.Sprintf("value %g", *c.Value)
	case c.Part != "":
		name += " " + strings.ToUpper(c.Part)
	}
	if c.Invert {
		name += ", inverted"
	}
	if c.Value != nil {
		name += fmt.Sprintf(", else %g", *c.Value)
	}
	if c.Optional {
		name += ", if there is one"
	}
	return name
}

// componentGroups are the options of one component of a file; the chosen one is among them.
func componentGroups(chosen *handoff.Component) (groups []choiceGroup) {
	zero, half, one := 0.0, 0.5, 1.0
	var whole, inverted, parts, optional []handoff.Component
	for _, c := range material.All() {
		whole = append(whole, handoff.Component{Channel: c})
		if c.Grey() {
			inverted = append(inverted, handoff.Component{Channel: c, Invert: true})
			continue
		}
		for _, p := range []string{"r", "g", "b"} {
			parts = append(parts, handoff.Component{Channel: c, Part: p})
		}
	}
	optional = []handoff.Component{{Channel: material.Opacity, Optional: true}}
	values := []handoff.Component{{Value: &zero}, {Value: &half}, {Value: &one}}
	found := chosen == nil
	for _, g := range []struct {
		name string
		list []handoff.Component
	}{{"Channels", whole}, {"Only if there is one", optional}, {"Inverted", inverted}, {"One component", parts}, {"Values", values}} {
		group := choiceGroup{Name: g.name}
		for _, c := range g.list {
			k := choice{Label: componentSays(c), Href: componentCode(c)}
			if chosen != nil && componentCode(*chosen) == k.Href {
				k.On, found = true, true
			}
			group.Options = append(group.Options, k)
		}
		groups = append(groups, group)
	}
	if !found {
		groups = append(groups, choiceGroup{"As it is", []choice{{Label: componentSays(*chosen), Href: componentCode(*chosen), On: true}}})
	}
	return groups
}

// options are choices with the chosen one marked.
func options(chosen string, pairs ...string) (out []choice) {
	for i := 0; i+1 < len(pairs); i += 2 {
		out = append(out, choice{Label: pairs[i+1], Href: pairs[i], On: pairs[i] == chosen})
	}
	return out
}

// profileFileView is a file of a profile as a row.
func profileFileView(f handoff.MapFile) profileFile {
	row := profileFile{Word: f.Word, Quality: f.Quality, Colours: options(f.Colour, "", "as usual", "srgb", "sRGB", "linear", "linear", handoff.ACEScg, "ACEScg"),
		Packings: options(f.Compression, "", "usual", "deflate", "Deflate", "zip", "ZIP", "zips", "ZIP, rows", "rle", "RLE", "none", "none")}
	for i := range row.Holds {
		if i < len(f.Holds) {
			row.Holds[i] = componentGroups(&f.Holds[i])
		} else {
			row.Holds[i] = componentGroups(nil)
		}
	}
	for _, k := range handoff.Formats() {
		row.Formats = append(row.Formats, choice{Label: wording.FormatName(k), Href: string(k), On: k == f.Format})
	}
	return row
}

// profileEditOf is a profile as the page edits it.
func profileEditOf(p releases.Profile) *profileEdit {
	d := p.Document
	e := &profileEdit{Profile: p, Says: wording.Form(d), Choices: []profileChoice{
		{"normal", "Normals", options(d.Normal, "y+", "Y+", "y-", "Y−")},
		{"workflow", "Workflow", options(string(d.Workflow), "as_delivered", "as it is", "metal_rough", "metal-rough", "spec_gloss", "spec-gloss")},
		{"height", "Heights", options(string(d.Height), "range", "0 to 1", "centred", "around one half", "metres", "metres")},
		{"figures", "Surface figures", options(string(d.Figures), "baked", "into the maps", "beside", "beside the maps")},
		{"uv", "One UV unit", options(string(d.UV), "usual", "usual for each", "repeat", "one repeat", "metre", "one metre")},
		{"pixels", "Sizes", options(string(d.Pixels), "kept", "as the tier has", "power_of_two", "powers of two", "square", "square")},
	}}
	for _, f := range d.Files {
		e.Files = append(e.Files, profileFileView(f))
	}
	e.Blank = profileFileView(handoff.MapFile{Format: handoff.PNG})
	for _, t := range []string{"1k", "2k", "4k", "8k", "source"} {
		e.Tiers = append(e.Tiers, choice{Label: strings.Replace(strings.ToUpper(t), "SOURCE", "source", 1), Href: t, On: len(d.Tiers) == 0 || slices.Contains(d.Tiers, t)})
	}
	for _, k := range []handoff.Description{handoff.MaterialX, handoff.GLTF, handoff.GLB, handoff.USD} {
		e.Adds = append(e.Adds, choice{Label: wording.DescriptionName(k), Href: string(k), On: slices.Contains(d.Descriptions, k)})
	}
	text, _ := json.MarshalIndent(d, "", "  ") // plain words and numbers
	e.JSON = string(text)
	return e
}

func (s *Server) profiles(c *echo.Context) error {
	list, err := s.Studio.Releases.Profiles(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	id := cmp.Or(c.Param("id"), handoff.Scanned)
	p := profilesPage{frame: s.frame(c, "Handoff profiles"), Lead: leads(c)}
	for _, k := range list {
		p.List = append(p.List, profileRow{k.ID, k.Document.Name, k.Document.Purpose, wording.Form(k.Document), k.Own(), k.ID == id})
		if k.ID == id {
			p.Open = profileEditOf(k)
		}
	}
	if p.Open == nil {
		return library.ErrNotFound
	}
	if found, err := s.Studio.Search.Find(c.Request().Context(), me(c), search.Query{Per: 24}); err == nil {
		for _, k := range found.Items {
			if p.Example == "" && len(k.Channels) > 2 {
				p.Example = k.Name
			}
		}
	}
	return s.render(c, http.StatusOK, "profiles", p)
}

// apiProfile is a profile as the API has it.
type apiProfile struct {
	releases.Profile
	Says string `json:"says"`
	Own  bool   `json:"own"` // the studio's: it can be changed
	Href string `json:"href"`
}

func profileView(p releases.Profile) apiProfile {
	return apiProfile{p, wording.Form(p.Document), p.Own(), "/api/v1/profiles/" + p.ID}
}

func (s *Server) apiProfiles(c *echo.Context) error {
	list, err := s.Studio.Releases.Profiles(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	items := []apiProfile{}
	for _, p := range list {
		items = append(items, profileView(p))
	}
	return answerAll(c, items)
}

func (s *Server) apiProfile(c *echo.Context) error {
	version, err := whole(c, "version", 0)
	if err != nil {
		return err
	}
	p, err := s.Studio.Releases.Profile(c.Request().Context(), me(c), c.Param("id"), version)
	if err != nil {
		return err
	}
	c.Response().Header().Set("ETag", etag(int64(p.Version)))
	return c.JSON(http.StatusOK, profileView(p))
}

// profileBytes is the most that a profile's document may have.
const profileBytes = 64 << 10

// readProfile reads a profile from a request's body.
func readProfile(c *echo.Context) (handoff.Profile, error) {
	data, err := io.ReadAll(io.LimitReader(c.Request().Body, profileBytes+1))
	if err != nil {
		return handoff.Profile{}, err
	}
	if len(data) > profileBytes {
		return handoff.Profile{}, library.Invalid("The profile is longer than 64 KB.")
	}
	return releases.ReadProfile(data)
}

func (s *Server) apiAddProfile(c *echo.Context) error {
	document, err := readProfile(c)
	if err != nil {
		return err
	}
	p, err := s.Studio.Releases.AddProfile(c.Request().Context(), me(c), document)
	if err != nil {
		return err
	}
	v := profileView(p)
	c.Response().Header().Set("Location", v.Href)
	c.Response().Header().Set("ETag", etag(int64(p.Version)))
	return c.JSON(http.StatusCreated, v)
}

func (s *Server) apiSaveProfile(c *echo.Context) error {
	version, given, err := versionNamed(c)
	if err != nil {
		return err
	}
	if !given || version == 0 {
		version = -1
	}
	document, err := readProfile(c)
	if err != nil {
		return err
	}
	if _, preset := handoff.FindPreset(c.Param("id")); preset {
		version = 0
	}
	p, err := s.Studio.Releases.SaveProfile(c.Request().Context(), me(c), c.Param("id"), int(version), document)
	if err != nil {
		return err
	}
	c.Response().Header().Set("ETag", etag(int64(p.Version)))
	return c.JSON(http.StatusOK, profileView(p))
}

func (s *Server) apiRemoveProfile(c *echo.Context) error {
	version, _, err := versionNamed(c)
	if err != nil {
		return err
	}
	if err := s.Studio.Releases.RemoveProfile(c.Request().Context(), me(c), c.Param("id"), int(version)); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// trialView is what a profile makes of a release.
type trialView struct {
	Folder  string     `json:"folder"`
	Fetch   string     `json:"fetch"`
	Memory  string     `json:"memory"`
	Files   []trialRow `json:"files"`
	Others  []string   `json:"others"`
	Missing []string   `json:"missing"`
	Of      string     `json:"of"` // the material
}

type trialRow struct {
	Name     string         `json:"name"`
	Says     string         `json:"says"`
	Bytes    string         `json:"bytes"`
	Extra    bool           `json:"extra"`
	Pictures []trialPicture `json:"pictures"`
}

type trialPicture struct {
	Says string `json:"says"`
	Href string `json:"href"`
}

// apiTry tries a profile on a release before it is saved.
func (s *Server) apiTry(c *echo.Context) error {
	profile, err := readProfile(c)
	if err != nil {
		return err
	}
	tier, err := scale.ParseTier(cmp.Or(c.QueryParam("tier"), "source"))
	if err != nil {
		return library.Invalid(err.Error() + ".")
	}
	id, err := whole(c, "release", 0)
	if err != nil {
		return err
	}
	r, err := s.Studio.Releases.ReleaseByID(c.Request().Context(), me(c), int64(id))
	if err != nil {
		return err
	}
	t, err := s.Studio.Releases.Try(c.Request().Context(), me(c), &r, profile, tier)
	if err != nil {
		return err
	}
	v := trialView{Folder: t.Folder, Fetch: "about " + scale.Bytes(t.Cost.Fetch), Memory: scale.Bytes(t.Cost.VideoMemory), Files: []trialRow{}, Others: t.Others, Missing: []string{}, Of: r.Material.Name}
	for _, f := range t.Files {
		row := trialRow{Name: f.Name, Extra: f.Extra, Bytes: "about " + scale.Bytes(f.Bytes), Says: fmt.Sprintf("%d × %d, %s", f.W, f.H, wording.FormatName(f.Format))}
		if f.Format == handoff.PNG {
			row.Says = fmt.Sprintf("%d × %d, %d-bit PNG", f.W, f.H, f.Bits)
		}
		at := 0
		for _, n := range f.Pictures {
			k := f.Holds[at]
			says := wording.Channel(k.Channel)
			switch {
			case k.Channel == material.None:
				says = "value"
			case k.Invert:
				says += ", inverted"
			}
			if k.Channel != material.None && !k.Mapped {
				says += " (no map)"
			}
			step := 1
			if k.Channel != material.None && !k.Channel.Grey() && at+2 < len(f.Holds) && f.Holds[at+2].Channel == k.Channel {
				step = 3
			}
			at += step
			row.Pictures = append(row.Pictures, trialPicture{says, fmt.Sprintf("/api/v1/trials/%s/%d", t.Key, n)})
		}
		v.Files = append(v.Files, row)
	}
	for _, k := range material.All() {
		if why, ok := t.Missing[k]; ok {
			v.Missing = append(v.Missing, fmt.Sprintf("%s is left out: %s.", wording.Channel(k), why))
		}
	}
	v.Missing = append(v.Missing, wording.Losses(t.Losses)...)
	if harm := wording.Harms(profile); harm != "" {
		v.Missing = append(v.Missing, harm)
	}
	return c.JSON(http.StatusOK, v)
}

func (s *Server) apiTrialPicture(c *echo.Context) error {
	n, err := strconv.Atoi(c.Param("n"))
	if err != nil || n < 0 {
		return library.ErrNotFound
	}
	key := c.Param("key")
	return s.picture(c, fmt.Sprintf("%s-%d", key, n), "image/png", func() ([]byte, error) {
		return s.Studio.Releases.TrialPicture(c.Request().Context(), me(c), key, n)
	})
}
