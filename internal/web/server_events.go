package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

// eventStream tells a page or a program what has changed (server-sent events), from the
// event after Last-Event-ID or ?after= on. An event "gap" says that some are no longer
// kept: load everything anew.
func (s *Server) eventStream(c *echo.Context) error {
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Accel-Buffering", "no")
	text := c.Request().Header.Get("Last-Event-ID")
	if text == "" {
		text = c.QueryParam("after")
	}
	after, err := strconv.ParseInt(text, 10, 64)
	if text != "" && (err != nil || after < 0) {
		return library.Invalid(fmt.Sprintf("An event's number is whole and positive; %q is not.", text))
	}
	if c.Request().Method == http.MethodHead {
		return c.NoContent(http.StatusOK)
	}
	ctx := c.Request().Context()
	l, gap, stop, err := s.Studio.Events.Listen(ctx, me(c), after)
	if err != nil {
		return err
	}
	defer stop()
	flush := http.NewResponseController(w)
	beat := time.NewTicker(20 * time.Second)
	defer beat.Stop()
	send := func(kind string) error {
		topics, last := l.Take()
		counts, _ := s.Studio.Counts(ctx)
		data, err := json.Marshal(map[string]any{"topics": topics, "changes": eventChanges(topics), "number": last,
			"jobs": counts.Jobs, "says": wording.JobsLeft(counts.Jobs, counts.Left), "counts": countsView{counts.Intake, counts.Bench, counts.Library, counts.Jobs, counts.Done, int(counts.Left.Seconds())}})
		if err == nil {
			_, err = fmt.Fprintf(w, "%sid: %d\ndata: %s\n\n", kind, last, data)
		}
		if err == nil {
			err = flush.Flush()
		}
		return err
	}
	first := ""
	if gap {
		first = "event: gap\n"
	}
	if err := send(first); err != nil {
		return nil // the page is gone
	}
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-s.ending:
			return nil
		case <-beat.C:
			if err := send(""); err != nil {
				return nil
			}
		case <-l.Ready:
			if err := send(""); err != nil {
				return nil
			}
			// A busy import changes many times a second; a page needs four.
			select {
			case <-ctx.Done():
				return nil
			case <-time.After(250 * time.Millisecond):
			}
		}
	}
}

// countsView are the figures of the bar on top.
type countsView struct {
	Intake      int     `json:"intake"`
	Bench       int     `json:"bench"`
	Library     int     `json:"library"`
	Jobs        int     `json:"jobs"`
	Done        float64 `json:"done"`
	SecondsLeft int     `json:"seconds_left"`
}

// eventChange is a thing that has changed: its type, and its id where one thing has.
type eventChange struct {
	Type string `json:"type"`
	ID   int64  `json:"id,omitempty"`
}

// eventChanges are what topics say as types and ids.
func eventChanges(topics []string) []eventChange {
	list := []eventChange{}
	for _, t := range topics {
		kind, id, _ := strings.Cut(t, ":")
		n, _ := strconv.ParseInt(id, 10, 64)
		list = append(list, eventChange{kind, n})
	}
	return list
}
