package web

import (
	"net/http"
	"slices"

	"aldermoor/internal/library/people"
	"aldermoor/internal/library/studio"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

// What runs in the background, what waits, and what failed.

type jobsPage struct {
	frame
	Running, Failed []jobRow
	Waiting         []waitingRow
	Retries         bool
}

type jobRow struct {
	studio.Job
	Title string
}

type waitingRow struct {
	Title string
	Count int
}

func (s *Server) jobs(c *echo.Context) error {
	list, waiting, err := s.Studio.Jobs(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	p := jobsPage{frame: s.frame(c, "Jobs"), Retries: me(c).May(people.Contribute)}
	for _, j := range list {
		row := jobRow{j, wording.Job(j.Kind)}
		if j.State == "failed" {
			p.Failed = append(p.Failed, row)
		} else {
			p.Running = append(p.Running, row)
		}
	}
	for kind, n := range waiting {
		p.Waiting = append(p.Waiting, waitingRow{wording.Job(kind), n})
	}
	slices.SortFunc(p.Waiting, func(a, b waitingRow) int { return b.Count - a.Count })
	return s.render(c, http.StatusOK, "jobs", p)
}

// retryJob is a plain form: it works without script.
func (s *Server) retryJob(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	if err := s.Studio.RetryJob(c.Request().Context(), me(c), id); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/jobs")
}
