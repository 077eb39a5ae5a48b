package web

import (
	"net/http"
	"slices"
	"strconv"

	"aldermoor/internal/library/materials"

	"github.com/labstack/echo/v5"
)

type intakePage struct {
	frame
	Deliveries []deliveryRow
	Current    *openDelivery
}

func (s *Server) intake(c *echo.Context) error {
	ctx := c.Request().Context()
	list, err := s.Studio.Intake.Deliveries(ctx, me(c), 80)
	if err != nil {
		return err
	}
	var open int64
	if c.Param("id") != "" {
		if open, err = idOf(c, "id"); err != nil {
			return err
		}
	} else {
		// The one that asks for somebody: the latest with something to decide.
		for _, d := range list {
			if d.Waiting > 0 {
				open = d.ID
				break
			}
		}
		if open == 0 && len(list) > 0 {
			open = list[0].ID
		}
	}
	p := intakePage{frame: s.frame(c, "Intake")}
	p.Place = "intake"
	if open > 0 {
		d, err := s.Studio.Intake.Delivery(ctx, me(c), open)
		if err != nil {
			return err
		}
		q := triageQuery{show: c.QueryParam("show"), filter: c.QueryParam("q")}
		if q.show != "" && !slices.Contains([]string{"check", "ready", "left", "done"}, q.show) {
			return refuse(http.StatusBadRequest, "There is no such list of sets.")
		}
		if q.rows, err = whole(c, "rows", rowsAtOnce); err != nil {
			return err
		}
		q.rows = max(q.rows, 1)
		q.open, _ = strconv.ParseInt(c.QueryParam("open"), 10, 64)
		p.Current = openView(d, q)
		steps, err := s.Studio.Materials.History(ctx, me(c), open, 0, 100)
		if err != nil {
			return err
		}
		p.Current.Undo, p.Current.Redo = materials.Next(steps, me(c))
		p.Title = p.Current.Heading
	}
	for _, d := range list {
		p.Deliveries = append(p.Deliveries, deliveryView(d, open))
	}
	return s.render(c, http.StatusOK, "intake", p)
}
