package web

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/pictures"

	"github.com/labstack/echo/v5"
)

// What was deleted and can be restored.

type deletedPage struct {
	frame
	Problem string
	Rows    []deletedRow
}

type deletedRow struct {
	Name, Kind, By, When, Until string
	Restore                     string // address of the form; "" if it is not one's own to restore
	at                          time.Time
	api                         string // the API's address
}

// deletedRows are what can be restored, the latest first.
func (s *Server) deletedRows(c *echo.Context) (rows []deletedRow, err error) {
	ctx, p, now := c.Request().Context(), me(c), here(c)
	until := func(t time.Time) string { return day(t.Add(materials.KeptDeleted), now) }
	steps, err := s.Studio.Materials.Deletions(ctx, p)
	if err != nil {
		return nil, err
	}
	for _, k := range steps {
		kind := "draft"
		if k.Kind == materials.StepDeleteDelivery {
			kind = "delivery"
		}
		row := deletedRow{Name: strings.TrimSuffix(k.Says, " deleted"), Kind: kind, By: k.By, When: ago(k.At, now), Until: until(k.At), at: k.At, api: fmt.Sprintf("/api/v1/steps/%d/undo", k.ID)}
		if p.May(people.Contribute) {
			row.Restore = fmt.Sprintf("/deleted/steps/%d", k.ID)
		}
		rows = append(rows, row)
	}
	props, err := s.Studio.Pictures.DeletedProps(ctx, p)
	if err != nil {
		return nil, err
	}
	for _, e := range props {
		row := deletedRow{Name: e.Name, Kind: propTitles[e.Kind], By: e.DeletedBy, When: ago(e.Deleted, now), Until: until(e.Deleted), at: e.Deleted, api: fmt.Sprintf("/api/v1/%s/%d/restore", propPaths[e.Kind], e.ID)}
		if e.By == p.Name || e.DeletedBy == p.Name || p.May(people.Decide) {
			row.Restore = fmt.Sprintf("/deleted/%s/%d", propPaths[e.Kind], e.ID)
		}
		rows = append(rows, row)
	}
	slices.SortStableFunc(rows, func(a, b deletedRow) int { return b.at.Compare(a.at) })
	return rows, nil
}

var propTitles = map[pictures.PropKind]string{pictures.Environment: "environment", pictures.Mesh: "model", pictures.Backdrop: "backdrop"}

var propPaths = map[pictures.PropKind]string{pictures.Environment: "environments", pictures.Mesh: "meshes", pictures.Backdrop: "backdrops"}

func (s *Server) deleted(c *echo.Context) error { return s.showDeleted(c, http.StatusOK, "") }

func (s *Server) showDeleted(c *echo.Context, status int, problem string) error {
	rows, err := s.deletedRows(c)
	if err != nil {
		return err
	}
	return s.render(c, status, "deleted", deletedPage{s.frame(c, "Deleted"), problem, rows})
}

// restore is a plain form.
func (s *Server) restore(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	if kind := c.Param("kind"); kind == "steps" {
		_, err = s.Studio.Materials.Step(c.Request().Context(), me(c), id, false)
	} else {
		err = library.ErrNotFound
		for k, path := range propPaths {
			if path == kind {
				err = s.Studio.Pictures.RestoreProp(c.Request().Context(), me(c), k, id)
			}
		}
	}
	if status, text, ok := says(err); ok {
		return s.showDeleted(c, status, text)
	}
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/deleted")
}

// apiDeleted lists what can be restored.
func (s *Server) apiDeleted(c *echo.Context) error {
	rows, err := s.deletedRows(c)
	if err != nil {
		return err
	}
	type item struct {
		Name    string `json:"name"`
		Kind    string `json:"kind"`
		By      string `json:"by"`
		At      string `json:"at"`
		Until   string `json:"until"`
		Restore string `json:"restore"`
	}
	var items []item
	for _, r := range rows {
		items = append(items, item{r.Name, r.Kind, r.By, at(r.at), at(r.at.Add(materials.KeptDeleted)), r.api})
	}
	return answerAll(c, items)
}

// deletion is what the API answers to a deletion: the step that undoes it, and until when that can be done.
type deletion struct {
	Step  int64  `json:"step"`
	Until string `json:"until"`
}

// deleteDraft and deleteDelivery are plain forms.
func (s *Server) deleteDraft(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	if _, err := s.Studio.Materials.Delete(c.Request().Context(), me(c), []library.Seen{of}); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/deleted")
}

func (s *Server) deleteDelivery(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	if _, err := s.Studio.Intake.Delete(c.Request().Context(), me(c), of); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/deleted")
}

// apiDelete deletes a draft.
func (s *Server) apiDelete(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	return s.deleteDrafts(c, []library.Seen{of})
}

// apiDeleteMany deletes several drafts as one step.
func (s *Server) apiDeleteMany(c *echo.Context) error {
	var in struct {
		Materials []library.Seen `json:"materials"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	if err := checkChosen(in.Materials); err != nil {
		return err
	}
	return s.deleteDrafts(c, in.Materials)
}

func (s *Server) deleteDrafts(c *echo.Context, list []library.Seen) error {
	step, err := s.Studio.Materials.Delete(c.Request().Context(), me(c), list)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, deletion{step, at(time.Now().Add(materials.KeptDeleted))})
}

// apiDeleteDelivery deletes a delivery with its sets.
func (s *Server) apiDeleteDelivery(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	step, err := s.Studio.Intake.Delete(c.Request().Context(), me(c), of)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, deletion{step.ID, at(time.Now().Add(materials.KeptDeleted))})
}

// apiRestoreProp offers again what was removed.
func (s *Server) apiRestoreProp(kind pictures.PropKind) echo.HandlerFunc {
	return func(c *echo.Context) error {
		id, err := idOf(c, "id")
		if err != nil {
			return err
		}
		if err := s.Studio.Pictures.RestoreProp(c.Request().Context(), me(c), kind, id); err != nil {
			return err
		}
		return c.NoContent(http.StatusNoContent)
	}
}
