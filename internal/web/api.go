package web

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"mime"
	"net/http"
	"path"
	"strconv"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/scale"
	"aldermoor/internal/library"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/pictures"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

func idOf(c *echo.Context, name string) (int64, error) {
	id, err := strconv.ParseInt(c.Param(name), 10, 64)
	if err != nil || id <= 0 {
		return 0, library.ErrNotFound
	}
	return id, nil
}

func (s *Server) openAPI(c *echo.Context) error {
	data, err := files.ReadFile("openapi.json")
	if err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "application/json", data)
}

// apiMap and apiSet add ids to what inspect reports.
type apiMap struct {
	ID int64 `json:"id"`
	inspect.Map
}

// apiKnownRef is the material whose scan a set is.
type apiKnownRef struct {
	MaterialID int64    `json:"material_id"`
	Name       string   `json:"name"`
	Kind       string   `json:"kind"`   // files, version, tier, part or more
	Turned     int      `json:"turned"` // degrees clockwise
	Area       *apiArea `json:"area"`
	Taken      string   `json:"taken"` // how it was settled; "" if it was not
}

type apiArea struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
	W float64 `json:"w"`
	H float64 `json:"h"`
}

func knownRef(m *materials.Material) *apiKnownRef {
	k := m.Known
	if k == nil {
		return nil
	}
	w, h := m.Pixels()
	v := &apiKnownRef{MaterialID: k.Material, Name: k.Name, Kind: k.Kind(w, h), Turned: 90 * k.Quarters, Taken: k.Taken}
	if a := k.Part; a != nil {
		v.Area = &apiArea{a.X, a.Y, a.W, a.H}
	}
	return v
}

type apiSet struct {
	MaterialID int64  `json:"material_id"`
	Version    int64  `json:"version"`
	Title      string `json:"title"`
	Stage      string `json:"stage"`
	inspect.Set
	Maps  []apiMap     `json:"maps"`
	Known *apiKnownRef `json:"known"`
}

func mapView(p materials.Map) apiMap {
	v := apiMap{p.ID, inspect.Map{File: p.File, Layer: p.Layer, Shared: p.Shared, Curve: p.Curve, Swapped: p.Swapped, Zero: p.Zero, Component: p.Component, Channel: p.Channel, Confidence: p.Confidence, Reasons: wording.Reasons(p.Reasons), Width: p.Width, Height: p.Height,
		Bits: p.Bits, Float: p.Float, Encoding: "linear", Stats: p.Stats}}
	if p.Channel.Colour() && !p.Float {
		v.Encoding = "srgb"
	}
	for _, t := range p.Tiles {
		v.Tiles = append(v.Tiles, channels.Tile{UDIM: t.UDIM, File: t.File})
	}
	if p.UDIM != "" {
		v.UDIM = &p.UDIM
	}
	if p.Span[1] > p.Span[0] {
		v.Span = &p.Span
	}
	if d := p.Direction.String(); d != "" && p.Channel == material.Normal {
		v.Direction, v.DirectionConfidence = &d, &p.DirectionConfidence
	}
	return v
}

func setView(m *materials.Material) apiSet {
	cur := m.Current()
	m = &cur
	v := apiSet{MaterialID: m.ID, Version: m.Version, Known: knownRef(m), Title: m.Name, Stage: string(m.Stage), Set: m.Report, Maps: []apiMap{}}
	wording.Set(&v.Set)
	v.Unassigned, v.Why = []string{}, map[string][]channels.Reason{}
	for _, p := range m.Assigned() {
		v.Maps = append(v.Maps, mapView(p))
	}
	for _, p := range m.Unassigned() {
		v.Unassigned = append(v.Unassigned, p.File)
		v.Why[p.File] = wording.Reasons(p.Reasons)
	}
	v.Density = nil
	if w, h := m.Pixels(); m.Size.Known() && w > 0 {
		x, y := scale.Density(m.Size, w, h)
		v.Density = &[2]float64{x, y}
	}
	v.Depth = nil
	if m.Depth > 0 {
		v.Depth = &inspect.Depth{Value: m.Depth, Confidence: 1}
		if m.DepthSource == "normals" {
			v.Depth.Confidence = m.Relief.Confidence
		}
	}
	return v
}

func (s *Server) apiDeliveries(c *echo.Context) error {
	page, per := pageOf(c), 50
	list, total, err := s.Studio.Intake.Deliveries(c.Request().Context(), me(c), intake.DeliveryQuery{Text: c.QueryParam("q"), Page: page, Per: per})
	if err != nil {
		return err
	}
	type row struct {
		ID       int64   `json:"id"`
		Name     string  `json:"name"`
		Station  string  `json:"station"`
		State    string  `json:"state"`
		Progress float64 `json:"progress"`
		Sets     int     `json:"sets"`
		Href     string  `json:"href"`
	}
	items := []row{}
	for _, d := range list {
		items = append(items, row{d.ID, d.Name, d.Station, string(d.State), d.Progress(), d.Sets, fmt.Sprintf("/api/v1/deliveries/%d", d.ID)})
	}
	return c.JSON(http.StatusOK, map[string]any{"items": items, "page": page, "more": total > page*per, "total": total})
}

func pageOf(c *echo.Context) int {
	n, _ := strconv.Atoi(c.QueryParam("page"))
	return max(1, min(n, 10_000))
}

// apiDeliver takes a multipart request as a stream: nothing is held in memory.
func (s *Server) apiDeliver(c *echo.Context) error {
	r := c.Request()
	if strings.HasPrefix(r.Header.Get("Content-Type"), "application/json") {
		return s.deliverUploads(c)
	}
	r.Body = http.MaxBytesReader(c.Response(), r.Body, s.MaxUpload)
	parts, err := r.MultipartReader()
	if err != nil {
		return refuse(http.StatusUnsupportedMediaType, "Send the files as multipart/form-data, in fields called file.")
	}
	var name, station string
	d, err := s.Studio.Intake.Receive(r.Context(), me(c), func() (intake.Incoming, error) {
		for {
			p, err := parts.NextPart()
			if err != nil {
				return intake.Incoming{}, err
			}
			if p.FormName() == "file" && p.FileName() != "" {
				return intake.Incoming{Path: filePath(p.Header.Get("Content-Disposition"), p.FileName()), R: p}, nil
			}
			text, err := io.ReadAll(io.LimitReader(p, 200))
			if err != nil {
				return intake.Incoming{}, err
			}
			switch p.FormName() {
			case "station":
				station = strings.TrimSpace(string(text))
			case "name":
				name = strings.TrimSpace(string(text))
			}
		}
	}, func() (string, string) { return name, station })
	var large *http.MaxBytesError
	switch {
	case errors.As(err, &large):
		return refuse(http.StatusRequestEntityTooLarge, fmt.Sprintf("One request may hold %d GB. Send the delivery in parts.", s.MaxUpload>>30))
	case errors.Is(err, io.ErrUnexpectedEOF):
		return refuse(http.StatusBadRequest, "The connection broke before everything had arrived; nothing was taken. Send it again.")
	case err != nil:
		return err
	}
	return s.accepted(c, d)
}

func (s *Server) accepted(c *echo.Context, d intake.Delivery) error {
	href := fmt.Sprintf("/api/v1/deliveries/%d", d.ID)
	c.Response().Header().Set("Location", href)
	return c.JSON(http.StatusAccepted, map[string]any{"id": d.ID, "href": href})
}

// filePath is the file's name with its folders, which the standard parser cuts off.
func filePath(disposition, base string) string {
	if _, params, err := mime.ParseMediaType(disposition); err == nil && params["filename"] != "" {
		return params["filename"]
	}
	return path.Base(base)
}

func (s *Server) apiDelivery(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	d, err := s.Studio.Intake.Delivery(c.Request().Context(), me(c), id)
	if err != nil {
		return err
	}
	sets, failed := []apiSet{}, d.Failures
	for i := range d.Materials {
		sets = append(sets, setView(&d.Materials[i]))
	}
	if failed == nil {
		failed = []inspect.Failure{}
	}
	c.Response().Header().Set("ETag", etag(d.Version))
	out := map[string]any{"id": d.ID, "version": d.Version, "retry": d.Retry, "name": d.Name, "station": d.Station, "state": d.State, "progress": d.Progress(), "sets": sets, "failed": failed, "seconds_left": nil}
	if d.Left > 0 {
		out["seconds_left"] = d.Left.Seconds()
	}
	if d.Error != "" {
		out["error"] = d.Error
	}
	return c.JSON(http.StatusOK, out)
}

func readJSON(c *echo.Context, to any) error {
	d := json.NewDecoder(http.MaxBytesReader(c.Response(), c.Request().Body, 1<<20))
	d.DisallowUnknownFields()
	err := d.Decode(to)
	var invalid library.Invalid
	if errors.As(err, &invalid) {
		return invalid
	}
	if err != nil {
		return refuse(http.StatusBadRequest, fmt.Sprintf("The request is not JSON as expected: %v.", err))
	}
	return nil
}

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

type apiReleaseView struct {
	ID         int64            `json:"id"`
	MaterialID int64            `json:"material_id"`
	Number     int              `json:"number"`
	Notes      string           `json:"notes"`
	By         string           `json:"by"`
	Override   string           `json:"override"` // why a lead released it in spite of findings that stop
	Created    string           `json:"created"`
	Href       string           `json:"href"`
	State      string           `json:"state"`       // unreviewed, approved or retired
	Reason     string           `json:"reason"`      // why it was retired
	Replaced   string           `json:"replacement"` // slug of the material to take in its place
	Version    int64            `json:"version"`     // rises with what is decided of it
	Material   *apiMaterialView `json:"material,omitempty"`
}

func (s *Server) releaseView(r *releases.Release, whole bool) apiReleaseView {
	v := apiReleaseView{r.ID, r.MaterialID, r.Number, r.Notes, r.By, r.Override, r.Created.UTC().Format("2006-01-02T15:04:05Z"), fmt.Sprintf("/api/v1/releases/%d", r.ID), cmp.Or(string(r.Mark.State), "unreviewed"), r.Mark.Reason, "", r.Version(), nil}
	if card, ok := s.Studio.Search.OfMaterial(r.Mark.Replacement); ok {
		v.Replaced = card.Slug
	}
	if whole {
		m := s.materialView(&r.Material)
		v.Material = &m
	}
	return v
}

func (s *Server) apiReleases(c *echo.Context) error {
	m, err := s.draft(c)
	if err != nil {
		return err
	}
	list, err := s.Studio.Releases.Releases(c.Request().Context(), me(c), m.ID)
	if err != nil {
		return err
	}
	items := []apiReleaseView{}
	for i := range list {
		items = append(items, s.releaseView(&list[i], false))
	}
	return c.JSON(http.StatusOK, map[string]any{"items": items})
}

func (s *Server) apiRelease(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	var in struct {
		Notes    string `json:"notes"`
		Override string `json:"override"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	r, err := s.Studio.Releases.Release(c.Request().Context(), me(c), of, releases.ReleaseText{Notes: in.Notes, Override: in.Override})
	if err != nil {
		return err
	}
	v := s.releaseView(&r, false)
	c.Response().Header().Set("Location", v.Href)
	return c.JSON(http.StatusCreated, v)
}

func (s *Server) released(c *echo.Context) (*releases.Release, error) {
	id, err := idOf(c, "id")
	if err != nil {
		return nil, err
	}
	r, err := s.Studio.Releases.ReleaseByID(c.Request().Context(), me(c), id)
	return &r, err
}

func (s *Server) apiReleased(c *echo.Context) error {
	r, err := s.released(c)
	if err != nil {
		return err
	}
	c.Response().Header().Set("ETag", etag(r.Version()))
	return c.JSON(http.StatusOK, s.releaseView(r, true))
}

// picture answers with a picture that never changes for its key.
func (s *Server) picture(c *echo.Context, key, kind string, make func() ([]byte, error)) error {
	h := c.Response().Header()
	tag := `"` + key + `"`
	h.Set("ETag", tag)
	h.Set("Cache-Control", "private, no-cache")
	if v := c.QueryParam("v"); v != "" && strings.HasPrefix(key, v) {
		h.Set("Cache-Control", "private, max-age=31536000, immutable")
	}
	if c.Request().Header.Get("If-None-Match") == tag {
		return c.NoContent(http.StatusNotModified)
	}
	data, err := make()
	if err != nil {
		h.Del("ETag")
		return err
	}
	return c.Blob(http.StatusOK, kind, data)
}

func number(c *echo.Context, name string, missing float64) (float64, error) {
	return figureOf(name, c.QueryParam(name), missing)
}

// figureOf is a parameter that is a figure.
func figureOf(name, text string, missing float64) (float64, error) {
	if text == "" {
		return missing, nil
	}
	v, err := strconv.ParseFloat(text, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, library.Invalid(fmt.Sprintf("%s must be a figure; %q is not.", name, text))
	}
	return v, nil
}

// whole is a query parameter that is a whole number between minus and plus a thousand
// million, so that nothing computed from it overflows.
func whole(c *echo.Context, name string, missing int) (int, error) {
	v, err := number(c, name, float64(missing))
	if err == nil && (v != math.Trunc(v) || math.Abs(v) > 1e9) {
		err = library.Invalid(fmt.Sprintf("%s must be a whole number; %q is not, or is far too large.", name, c.QueryParam(name)))
	}
	if err != nil {
		return 0, err
	}
	return int(v), nil
}

func (s *Server) swatch(c *echo.Context, m *materials.Material) error {
	extent, err := number(c, "extent_m", 1)
	if err != nil {
		return err
	}
	px, err := whole(c, "px", pictures.WallPx)
	if err != nil {
		return err
	}
	if strings.HasSuffix(c.Request().URL.Path, ".jpg") {
		return s.picture(c, fmt.Sprintf("%s-j-%g-%d", m.LookKey(), extent, px), "image/jpeg", func() ([]byte, error) {
			return s.Studio.Pictures.SwatchJPEG(c.Request().Context(), m, extent, px)
		})
	}
	return s.picture(c, fmt.Sprintf("%s-s-%g-%d", m.LookKey(), extent, px), "image/png", func() ([]byte, error) { return s.Studio.Pictures.Swatch(c.Request().Context(), m, extent, px) })
}

func (s *Server) ball(c *echo.Context, m *materials.Material) error {
	px, err := whole(c, "px", pictures.BallPx)
	if err != nil {
		return err
	}
	return s.picture(c, fmt.Sprintf("%s-b-%d", m.LookKey(), px), "image/png", func() ([]byte, error) { return s.Studio.Pictures.Ball(c.Request().Context(), m, px) })
}

// shown is a material as the principal may see it.
func (s *Server) shown(c *echo.Context) (*materials.Material, error) {
	id, err := idOf(c, "id")
	if err != nil {
		return nil, err
	}
	m, err := s.Studio.Pictures.Shown(c.Request().Context(), me(c), id)
	return &m, err
}

func (s *Server) apiSwatch(c *echo.Context) error {
	m, err := s.shown(c)
	if err != nil {
		return err
	}
	return s.swatch(c, m)
}

func (s *Server) apiBall(c *echo.Context) error {
	m, err := s.shown(c)
	if err != nil {
		return err
	}
	return s.ball(c, m)
}

func (s *Server) apiReleaseSwatch(c *echo.Context) error {
	r, err := s.released(c)
	if err != nil {
		return err
	}
	return s.swatch(c, &r.Material)
}

func (s *Server) apiReleaseBall(c *echo.Context) error {
	r, err := s.released(c)
	if err != nil {
		return err
	}
	return s.ball(c, &r.Material)
}

func (s *Server) apiLibrary(c *echo.Context) error {
	q, err := s.queryOf(c)
	if err != nil {
		return err
	}
	if _, err := s.within(c.Request().Context(), me(c), c.QueryParam(collectionParam), &q); err != nil {
		return err
	}
	f, err := s.Studio.Search.Find(c.Request().Context(), me(c), q)
	if err != nil {
		return err
	}
	type item struct {
		releases.Card
		Href string `json:"href"`
	}
	items := []item{}
	for _, k := range f.Items {
		items = append(items, item{k, fmt.Sprintf("/api/v1/releases/%d", k.ReleaseID)})
	}
	return c.JSON(http.StatusOK, map[string]any{"total": f.Total, "items": items, "facets": f.Facets, "more": f.More, "words": f.Words, "page": f.Page, "pages": f.Pages})
}
