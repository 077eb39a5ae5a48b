package web

import (
	"net/http"
	"slices"
	"strconv"

	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"

	"github.com/labstack/echo/v5"
)

type intakePage struct {
	frame
	Changes    bulkView // of chosen sets
	Deliveries []deliveryRow
	Find       string // in the deliveries' names
	Pages      pages
	Current    *openDelivery
}

// deliveriesAtOnce is how many deliveries a page of their list shows.
const deliveriesAtOnce = 50

func (s *Server) intake(c *echo.Context) error {
	ctx := c.Request().Context()
	find := intake.DeliveryQuery{Text: c.QueryParam("find"), Per: deliveriesAtOnce}
	var err error
	if find.Page, err = whole(c, "page", 1); err != nil {
		return err
	}
	list, total, err := s.Studio.Intake.Deliveries(ctx, me(c), find)
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
	p := intakePage{frame: s.frame(c, "Intake"), Changes: bulkChanges(), Find: find.Text, Pages: pagesOf(c, max(1, find.Page), find.Per, total)}
	if open > 0 {
		d, err := s.Studio.Intake.Delivery(ctx, me(c), open)
		if err != nil {
			return err
		}
		q := triageQuery{now: here(c), show: c.QueryParam("show"), filter: c.QueryParam("q")}
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
