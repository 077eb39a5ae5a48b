package web

import (
	"net/http"

	"aldermoor/internal/library/people"
	"aldermoor/internal/library/studio"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

// What runs in the background, what waits, and what failed.

type jobsPage struct {
	frame
	Running, Failed []jobRow
	Lanes           []laneRow
	Some            bool // runs, waits or failed
	Retries         bool
	Proxy           string // a proxy that is not trusted, "" for none
}

// laneRow is a lane with what runs and waits in it.
type laneRow struct {
	Title, Share     string
	Running, Waiting int
}

type jobRow struct {
	studio.Job
	Title   string
	Cancels bool
	Ending  bool // it has been cancelled
}

func (s *Server) jobs(c *echo.Context) error {
	list, waiting, err := s.Studio.Jobs(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	p := jobsPage{frame: s.frame(c, "Jobs"), Retries: me(c).May(people.Contribute)}
	if proxy := s.strangeProxy.Load(); proxy != nil && me(c).May(people.Administer) {
		p.Proxy = *proxy
	}
	for _, j := range list {
		row := jobRow{j, wording.Job(j.Kind), p.Retries && s.Studio.Cancels(j.Kind), s.Studio.Ending(j.ID)}
		if j.State == "failed" {
			p.Failed = append(p.Failed, row)
		} else {
			p.Running = append(p.Running, row)
		}
	}
	lanes, err := s.Studio.LaneStates(c.Request().Context(), me(c), waiting)
	if err != nil {
		return err
	}
	p.Some = len(list) > 0
	for _, l := range lanes {
		p.Lanes = append(p.Lanes, laneRow{wording.Lane(l.Name), wording.LaneShare(l.Most, l.Own, l.Alone), l.Running, l.Waiting})
		p.Some = p.Some || l.Waiting > 0
	}
	return s.render(c, http.StatusOK, "jobs", p)
}

// cancelJob is a plain form too.
func (s *Server) cancelJob(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	if err := s.Studio.CancelJob(c.Request().Context(), me(c), id); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/jobs")
}

// apiCancelJob cancels work that waits or runs.
func (s *Server) apiCancelJob(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	if err := s.Studio.CancelJob(c.Request().Context(), me(c), id); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

type apiJob struct {
	ID       int64  `json:"id"`
	Kind     string `json:"kind"`
	Says     string `json:"says"`
	About    string `json:"about"`
	State    string `json:"state"`
	Who      string `json:"who"`
	Attempts int    `json:"attempts"`
	Error    string `json:"error"`
	Cancels  bool   `json:"cancels"`
}

type apiLane struct {
	Name    string `json:"name"`
	Running int    `json:"running"`
	Waiting int    `json:"waiting"`
	Most    int    `json:"most"`
}

// apiJobs lists the work that runs and what of it failed, and the lanes.
func (s *Server) apiJobs(c *echo.Context) error {
	ctx := c.Request().Context()
	list, waiting, err := s.Studio.Jobs(ctx, me(c))
	if err != nil {
		return err
	}
	lanes, err := s.Studio.LaneStates(ctx, me(c), waiting)
	if err != nil {
		return err
	}
	out := struct {
		Items []apiJob  `json:"items"`
		Lanes []apiLane `json:"lanes"`
	}{[]apiJob{}, []apiLane{}}
	for _, j := range list {
		out.Items = append(out.Items, apiJob{j.ID, j.Kind, wording.Job(j.Kind), j.About, j.State, j.Who, j.Attempts, j.Error, s.Studio.Cancels(j.Kind)})
	}
	for _, l := range lanes {
		out.Lanes = append(out.Lanes, apiLane{l.Name, l.Running, l.Waiting, l.Most})
	}
	return c.JSON(http.StatusOK, out)
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
