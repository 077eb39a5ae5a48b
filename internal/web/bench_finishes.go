package web

import (
	"fmt"
	"net/http"

	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/internal/library"

	"github.com/labstack/echo/v5"
)

// This file makes plain finishes: materials without maps, from physical kinds and lists of colours.

type finishesPage struct {
	frame
	Groups []finishGroup
}

type finishGroup struct {
	Title string
	Kinds []finishView
}

type finishView struct {
	ID        string  `json:"id"`
	Title     string  `json:"title"`
	Group     string  `json:"group"`
	Colour    bool    `json:"colour"` // takes a colour of one's own
	Hex       string  `json:"color"`
	Roughness float64 `json:"roughness"`
	Source    string  `json:"source,omitempty"`
}

func finishViews() (out []finishView) {
	for _, f := range material.Finishes() {
		out = append(out, finishView{f.ID, f.Title, f.Group, f.Colour, hexOf(f.Color), f.Roughness, f.Source})
	}
	return out
}

func (s *Server) finishes(c *echo.Context) error {
	p := finishesPage{frame: s.frame(c, "Plain finishes")}
	for _, f := range finishViews() {
		if n := len(p.Groups); n == 0 || p.Groups[n-1].Title != f.Group {
			p.Groups = append(p.Groups, finishGroup{Title: f.Group})
		}
		g := &p.Groups[len(p.Groups)-1]
		g.Kinds = append(g.Kinds, f)
	}
	return s.render(c, http.StatusOK, "finishes", p)
}

func (s *Server) finishBall(c *echo.Context) error {
	kind := c.Param("kind")
	if material.FinishOf(kind) == nil {
		return library.ErrNotFound
	}
	return s.picture(c, "finish-1-"+kind, "image/png", func() ([]byte, error) { return s.Studio.Pictures.FinishBall(c.Request().Context(), kind) })
}

func (s *Server) apiFinishes(c *echo.Context) error {
	return answerAll(c, finishViews())
}

func (s *Server) apiAddFinishes(c *echo.Context) error {
	var in struct {
		Kind    string `json:"kind"`
		Name    string `json:"name"`
		Colours string `json:"colours"` // one a line: #rrggbb, words, or "name, #rrggbb"
		DryRun  bool   `json:"dry_run"` // only says which colours these are
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	list, problems := colour.ParseList(in.Colours)
	if len(problems) > 0 {
		more := ""
		if n := len(problems) - 1; n > 0 {
			more = fmt.Sprintf(", and %d more", n)
		}
		return library.Invalid(fmt.Sprintf("%s%s. Write #8a6d3b, a colour word, or a name and a colour.", problems[0], more))
	}
	colours := []finishColour{}
	for _, k := range list {
		colours = append(colours, finishColour{k.Name, colour.HexOf(k.Color)})
	}
	if in.DryRun {
		return c.JSON(http.StatusOK, map[string]any{"items": []struct{}{}, "colours": colours})
	}
	made, err := s.Studio.Materials.AddFinishes(c.Request().Context(), me(c), in.Kind, in.Name, list)
	if err != nil {
		return err
	}
	type item struct {
		ID   int64  `json:"id"`
		Name string `json:"name"`
		Href string `json:"href"`
	}
	items := []item{}
	for _, m := range made {
		items = append(items, item{m.ID, m.Name, fmt.Sprintf("/bench/%d", m.ID)})
	}
	return c.JSON(http.StatusCreated, map[string]any{"items": items, "colours": colours})
}

// finishColour is a colour that was read from a list.
type finishColour struct {
	Name string `json:"name"`
	Hex  string `json:"hex"`
}
