package web

import (
	"net/http"

	"aldermoor/core/channels"
	"aldermoor/core/inspect"
	"aldermoor/core/scale"
	"aldermoor/internal/library/materials"

	"github.com/labstack/echo/v5"
)

type apiMaterialView struct {
	ID           int64                 `json:"id"`
	Name         string                `json:"name"`
	Slug         string                `json:"slug"`
	Stage        materials.Stage       `json:"stage"`
	Version      int64                 `json:"version"`
	WidthM       *float64              `json:"width_m"`
	HeightM      *float64              `json:"height_m"`
	SizeSource   scale.Source          `json:"size_source"`
	SizeEvidence []scale.Evidence      `json:"size_evidence"`
	Density      *[2]float64           `json:"density_px_per_m"`
	DepthM       *float64              `json:"depth_m"`
	Tiling       *inspect.Axes         `json:"tiling"`
	Period       *[2][2]float64        `json:"period_px"`
	Tags         []string              `json:"tags"`
	Categories   []string              `json:"categories"`
	Licence      string                `json:"licence"`
	Author       string                `json:"author"`
	Rights       string                `json:"rights"`
	Station      string                `json:"station"`
	Captured     string                `json:"captured"`
	ContactClass string                `json:"contact_class"`
	Workflow     string                `json:"workflow"`
	Maps         []apiMap              `json:"maps"`
	Unassigned   []string              `json:"unassigned"`
	Attachments  []channels.Attachment `json:"attachments"`
	Findings     []inspect.Finding     `json:"findings"`
	Recipe       []apiTreatment        `json:"recipe"`
	RecipeState  string                `json:"recipe_state"`   // none, making, made or stuck
	Problem      *string               `json:"recipe_problem"` // why it is stuck
	Released     int                   `json:"released"`       // number of the latest release, 0 for none
	Changed      bool                  `json:"changed"`        // since that release
	Look         string                `json:"look"`           // changes when pictures of it do
	Figures      *materials.Figures    `json:"figures"`        // surface figures; null where all are neutral
	Step         *int64                `json:"step,omitempty"` // that this change recorded, to undo it by
}

func (s *Server) materialView(m *materials.Material) apiMaterialView {
	set := setView(m)
	v := apiMaterialView{ID: m.ID, Name: m.Name, Slug: m.Slug, Stage: m.Stage, Version: m.Version, SizeSource: m.SizeSource, SizeEvidence: set.SizeEvidence,
		Density: set.Density, Tiling: set.Tiling, Period: set.Period, Tags: m.Tags, Categories: m.Categories, Licence: m.Licence, Author: m.Author, Rights: m.Rights, Station: m.Station,
		Captured: m.Captured, ContactClass: m.Contact, Workflow: set.Workflow, Maps: set.Maps, Unassigned: set.Unassigned, Attachments: set.Attachments,
		Findings: set.Findings, Released: m.Released, Changed: m.Changed(), Look: m.LookKey(), Figures: m.Figures}
	if m.Step > 0 {
		v.Step = &m.Step
	}
	v.Recipe = recipeView(m)
	v.RecipeState, v.Problem = s.recipeState(m)
	if m.Size.Known() {
		v.WidthM, v.HeightM = &m.Size.W, &m.Size.H
	}
	if m.Depth > 0 {
		v.DepthM = &m.Depth
	}
	return v
}

func (s *Server) sendMaterial(c *echo.Context, m *materials.Material) error {
	c.Response().Header().Set("ETag", etag(m.Version))
	return c.JSON(http.StatusOK, s.materialView(m))
}

func (s *Server) apiMaterial(c *echo.Context) error {
	m, err := s.draft(c)
	if err != nil {
		return err
	}
	return s.sendMaterial(c, m)
}

func (s *Server) draft(c *echo.Context) (*materials.Material, error) {
	id, err := idOf(c, "id")
	if err != nil {
		return nil, err
	}
	m, err := s.Studio.Materials.Material(c.Request().Context(), me(c), id)
	return &m, err
}

func (s *Server) apiPatch(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	var change materials.Change
	if err := readJSON(c, &change); err != nil {
		return err
	}
	m, err := s.Studio.Materials.Patch(c.Request().Context(), me(c), of, change)
	if err != nil {
		return err
	}
	return s.sendMaterial(c, &m)
}

func (s *Server) apiAssign(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	mapID, err := idOf(c, "map")
	if err != nil {
		return err
	}
	var in struct {
		Channel *string `json:"channel"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	ch, err := parseChannel(in.Channel)
	if err != nil {
		return err
	}
	m, err := s.Studio.Intake.Assign(c.Request().Context(), me(c), of, mapID, ch)
	if err != nil {
		return err
	}
	return s.sendMaterial(c, &m)
}
