package web

import (
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"path"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/scale"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

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
	v := apiMap{p.ID, inspect.Map{File: p.File, Layer: p.Layer, Shared: p.Shared, Curve: p.Curve, Swapped: p.Swapped, Turn: p.Turn, Zero: p.Zero,
		Component: p.Component, Channel: p.Channel, Confidence: p.Confidence, Reasons: wording.Reasons(p.Reasons), Width: p.Width, Height: p.Height,
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
	l, err := listingOf(c, 50)
	if err != nil {
		return err
	}
	list, total, err := s.Studio.Intake.Deliveries(c.Request().Context(), me(c), intake.DeliveryQuery{Text: c.QueryParam("q"), Page: l.page, Per: l.per})
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
	return answerPage(c, l, items, total)
}

// apiDeliver takes a multipart request as a stream: nothing is held in memory.
func (s *Server) apiDeliver(c *echo.Context) error {
	r := c.Request()
	if strings.HasPrefix(r.Header.Get("Content-Type"), "application/json") {
		return s.deliverUploads(c)
	}
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
		return refuse(http.StatusBadRequest, "The connection broke before everything arrived. Nothing was kept. Send it again.")
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
