package web

import (
	"cmp"
	"fmt"
	"net/http"

	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/releases"

	"github.com/labstack/echo/v5"
)

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
	v := apiReleaseView{r.ID, r.MaterialID, r.Number, r.Notes, r.By, r.Override, at(r.Created), fmt.Sprintf("/api/v1/releases/%d", r.ID), cmp.Or(string(r.Mark.State), "unreviewed"), r.Mark.Reason, "", r.Version(), nil}
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
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	list, err := s.Studio.Releases.Releases(c.Request().Context(), me(c), id)
	if err != nil {
		return err
	}
	if len(list) == 0 && !me(c).May(people.SeeDrafts) {
		return library.ErrNotFound // artists do not learn of drafts
	}
	items := []apiReleaseView{}
	for i := range list {
		items = append(items, s.releaseView(&list[i], false))
	}
	return answerAll(c, items)
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

// apiCorrectMany corrects the descriptions of several releases at once, or puts them back.
func (s *Server) apiCorrectMany(c *echo.Context) error {
	var in struct {
		Releases []int64 `json:"releases"`
		materials.BulkChange
		Restore map[int64]releases.Earlier `json:"restore"` // as an earlier answer gave it
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	if in.Restore != nil {
		if err := s.Studio.Releases.Restore(c.Request().Context(), me(c), in.Restore); err != nil {
			return err
		}
		return c.JSON(http.StatusOK, map[string]any{"was": map[string]any{}})
	}
	was, err := s.Studio.Releases.CorrectMany(c.Request().Context(), me(c), in.Releases, in.BulkChange)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"was": was})
}
