package web

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"slices"

	"aldermoor/core/codec"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/treat"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

// This file is about treatments: as the API takes and gives them, and as the Bench shows them.

// apiStep is a treatment as it is asked for; lengths may be text with a unit.
type apiStep struct {
	ID       int64              `json:"id"`
	Kind     treat.Kind         `json:"kind"`
	Channel  material.Channel   `json:"channel"`
	Channels []material.Channel `json:"channels"`
	Low      float64            `json:"low"`
	High     float64            `json:"high"`
	Pixels   int                `json:"pixels"`
	Axes     string             `json:"axes"`
	Overlap  float64            `json:"overlap"`
	Metres   *materials.Length  `json:"metres"`
	Strength float64            `json:"strength"`
	DepthM   *materials.Length  `json:"depth_m"`
	ShiftX   float64            `json:"shift_x"`
	ShiftY   float64            `json:"shift_y"`
}

func (a *apiStep) step() materials.Treatment {
	t := materials.Treatment{ID: a.ID, Step: treat.Step{Kind: a.Kind, Channel: a.Channel, Channels: a.Channels, Low: a.Low, High: a.High, Pixels: a.Pixels,
		Axes: a.Axes, Overlap: a.Overlap, Strength: a.Strength, ShiftX: a.ShiftX, ShiftY: a.ShiftY}}
	if a.Metres != nil {
		t.Metres = float64(*a.Metres)
	}
	if a.DepthM != nil {
		t.DepthM = float64(*a.DepthM)
	}
	return t
}

// apiTreatment is a treatment of a material's recipe, and what it came to.
type apiTreatment struct {
	materials.Treatment
	Title string  `json:"title"`
	Says  *string `json:"says"` // null until it has been carried out
}

// recipeState says how far a recipe is.
func (s *Server) recipeState(m *materials.Material) (state string, problem *string) {
	says, _ := m.Stuck()
	switch {
	case says != "":
		return "stuck", &says
	case !m.Settled():
		return "making", nil
	case len(m.Recipe) == 0:
		return "none", nil
	}
	return "made", nil
}

func recipeView(m *materials.Material) []apiTreatment {
	out := []apiTreatment{}
	for i, t := range m.Recipe {
		v := apiTreatment{Treatment: t, Title: wording.TreatmentOf(t.Kind).Title}
		if says := done(m, i); says != "" {
			v.Says = &says
		}
		out = append(out, v)
	}
	return out
}

func (s *Server) apiTreatments(c *echo.Context) error {
	type kind struct {
		Kind   treat.Kind `json:"kind"`
		Title  string     `json:"title"`
		Help   string     `json:"help"`
		Params []string   `json:"params"`
	}
	items := []kind{}
	for _, k := range treat.Kinds() {
		items = append(items, kind{k, wording.TreatmentOf(k).Title, wording.TreatmentOf(k).Help, append([]string{}, k.Params()...)})
	}
	return answerAll(c, items)
}

// apiTreat adds a treatment at the end of a recipe.
func (s *Server) apiTreat(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	var in apiStep
	if err := readJSON(c, &in); err != nil {
		return err
	}
	m, err := s.Studio.Materials.AddTreatment(c.Request().Context(), me(c), of, in.step().Step)
	if err != nil {
		return err
	}
	return s.sendMaterial(c, &m)
}

// apiRecipe puts another recipe in the place of a material's.
func (s *Server) apiRecipe(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	var in struct {
		Steps []apiStep `json:"steps"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	var list []materials.Treatment
	for i := range in.Steps {
		list = append(list, in.Steps[i].step())
	}
	m, err := s.Studio.Materials.SetRecipe(c.Request().Context(), me(c), of, list)
	if err != nil {
		return err
	}
	return s.sendMaterial(c, &m)
}

// recipeRow is a treatment in the ledger.
type recipeRow struct {
	ID          int64
	Title, Says string
	Problem     string
	Step        string // JSON, to change it by
	Params      bool   // whether there is anything to change
	First, Last bool
}

// mend is the treatment that a finding offers.
type mend struct {
	Word string // of the button
	Step string // JSON
}

// mendOf says which treatment a finding asks for, nil if none mends it.
func mendOf(m *materials.Material, f inspect.Finding) *mend {
	code := f.Code
	var channel material.Channel
	for _, p := range m.Assigned() {
		if slices.Contains(f.Maps, p.File) {
			channel = p.Channel
		}
	}
	v := map[string]mend{
		"seam_x": {"Close seams", `{"kind":"close_seams"}`},
		"seam_y": {"Close seams", `{"kind":"close_seams"}`},
		"maps_shifted": {"Align map", fmt.Sprintf(`{"kind":"register","channel":%q,"shift_x":%.0f,"shift_y":%.0f}`,
			channel, -f.Figures.Num("right"), -f.Figures.Num("down"))},
		"baked_light":              {"Level light", `{"kind":"level_light"}`},
		"height_8bit":              {"Remove 8-bit bands", `{"kind":"unband"}`},
		"normal_not_unit":          {"Renormalise normals", `{"kind":"renormalise"}`},
		"maps_differ_in_size":      {"Match map sizes", `{"kind":"one_size"}`},
		"grey_as_colour":           {"Store as grey", `{"kind":"take_apart"}`},
		"normal_direction_unknown": {"Make normals from height", `{"kind":"normal_from_height"}`},
	}
	k, ok := v[code]
	if !ok || code == "maps_shifted" && channel == material.None || code == "normal_direction_unknown" && m.Map(material.Height) == nil {
		return nil
	}
	return &k
}

// treatmentChoice is a treatment in the list to choose from.
type treatmentChoice struct {
	Kind, Title, Help string
	Params            string // JSON
}

func treatmentChoices() (out []treatmentChoice) {
	for _, k := range treat.Kinds() {
		data, err := json.Marshal(append([]string{}, k.Params()...))
		if err != nil {
			continue
		}
		out = append(out, treatmentChoice{string(k), wording.TreatmentOf(k).Title, wording.TreatmentOf(k).Help, string(data)})
	}
	return out
}

// recipe fills the ledger's treatments.
func (l *ledger) recipe(s *Server, m *materials.Material) {
	says, at := m.Stuck()
	for i, t := range m.Recipe {
		r := recipeRow{ID: t.ID, Title: wording.TreatmentOf(t.Kind).Title, First: i == 0, Last: i == len(m.Recipe)-1}
		if data, err := json.Marshal(t.Step); err == nil {
			r.Step, r.Params = string(data), len(t.Kind.Params()) > 0
		}
		r.Says = done(m, i)
		if says != "" && at == t.ID {
			r.Problem = says
		}
		l.Recipe = append(l.Recipe, r)
	}
	switch {
	case says != "" && at == 0:
		l.RecipeLine, l.RecipeTone, l.RecipeRetry = says, stop, m.Finish.Failed
	case says != "":
		l.RecipeLine, l.RecipeTone = "The recipe stops there; the material is as it was before.", stop
	case !m.Settled():
		l.RecipeLine = "Being carried out."
		if done, of := s.Studio.Materials.Making(m.ID); of > 0 {
			l.RecipeLine = fmt.Sprintf("Being carried out: %d of %d maps made.", done, of)
		}
		l.RecipeBusy = true
	}
	l.Choices = treatmentChoices()
}

// done is what treatment i of a material's recipe came to, as a sentence; "" until it has
// been carried out.
func done(m *materials.Material, i int) string {
	switch f := &m.Finish; {
	case !m.Settled():
	case i < len(f.Did):
		return wording.Treated(f.Did[i])
	case i < len(f.Says):
		return f.Says[i]
	}
	return ""
}

// trial is a picture of what a recipe would make of a map, before it is carried out: its headers say of which channel, how much
// of the size is left, and what the last treatment comes to.
func (s *Server) trial(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	var in struct {
		Steps   []apiStep        `json:"steps"`
		Channel material.Channel `json:"channel"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	var steps []materials.Treatment
	for i := range in.Steps {
		steps = append(steps, in.Steps[i].step())
	}
	t, err := s.Studio.Materials.Try(c.Request().Context(), of.ID, steps, in.Channel)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("X-Channel", string(t.Channel))
	h.Set("X-Share", fmt.Sprintf("%.6f %.6f", t.Share[0], t.Share[1]))
	h.Set("X-Says", url.PathEscape(wording.Treated(t.Did)))
	h.Set("Cache-Control", "no-store")
	var b bytes.Buffer
	if err := codec.EncodePNG(&b, t.Image.Quantise(8), codec.PNGOptions{SRGB: t.Channel.Colour()}); err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "image/png", b.Bytes())
}
