package web

import (
	"errors"
	"fmt"
	"net/http"

	"aldermoor/core/channels"
	"aldermoor/internal/library"

	"github.com/labstack/echo/v5"
)

// The API of Intake's decisions: accepting and leaving out, corrections for a
// whole delivery, undoing, and the stations' rules.

// apiAccept takes sets of a delivery to the Bench: those named, or all that are
// without doubts.
func (s *Server) apiAccept(c *echo.Context) error { return s.place(c, library.Accepted) }

// apiLeave leaves sets of a delivery out.
func (s *Server) apiLeave(c *echo.Context) error { return s.place(c, library.Left) }

func (s *Server) place(c *echo.Context, to library.Stage) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	var in struct {
		Materials []int64 `json:"materials"`
		Sure      bool    `json:"sure"`
		Undo      bool    `json:"undo"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	ctx := c.Request().Context()
	d, err := s.Service.Delivery(ctx, id)
	if err != nil {
		return err
	}
	mine := map[int64]bool{}
	for _, m := range d.Materials {
		mine[m.ID] = true
		if in.Sure && m.Doubts == 0 && m.Stage == library.Unseen {
			in.Materials = append(in.Materials, m.ID)
		}
	}
	for _, m := range in.Materials {
		if !mine[m] {
			return library.Invalid{Says: fmt.Sprintf("Material %d is not of this delivery.", m)}
		}
	}
	if in.Undo {
		to = library.Unseen
	}
	if err := s.Service.Place(ctx, in.Materials, to, me(c).Name); err != nil {
		return err
	}
	if in.Materials == nil {
		in.Materials = []int64{}
	}
	return c.JSON(http.StatusOK, map[string]any{"materials": in.Materials})
}

// apiKnown settles what becomes of a set whose scan is here already.
func (s *Server) apiKnown(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	var in struct {
		Take string `json:"take"` // new_state, tier or separate
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	ctx := c.Request().Context()
	switch in.Take {
	case "new_state":
		of, err := s.Service.NewState(ctx, id, me(c).Name)
		if err != nil {
			return err
		}
		return c.JSON(http.StatusOK, map[string]any{"material_id": of.ID, "name": of.Name})
	case "tier":
		of, err := s.Service.AsTier(ctx, id, me(c).Name)
		if err != nil {
			return err
		}
		return c.JSON(http.StatusOK, map[string]any{"material_id": of.ID, "name": of.Name})
	case "separate":
		if err := s.Service.Separate(ctx, id, me(c).Name); err != nil {
			return err
		}
		return c.JSON(http.StatusOK, map[string]any{"material_id": id, "name": ""})
	}
	return library.Invalid{Says: fmt.Sprintf("A known scan is taken as new_state, tier or separate, not %q.", in.Take)}
}

// apiResend takes a file again that could not be read, under the path that it came
// by.
func (s *Server) apiResend(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	path := c.QueryParam("path")
	if path == "" {
		return library.Invalid{Says: "Say which file it is: ?path=…"}
	}
	r := c.Request()
	if err := s.Service.Resend(r.Context(), id, path, http.MaxBytesReader(c.Response(), r.Body, s.MaxUpload), me(c).Name); err != nil {
		return err
	}
	return c.JSON(http.StatusAccepted, map[string]any{"id": id, "href": fmt.Sprintf("/api/v1/deliveries/%d", id)})
}

// parseChannel reads a channel's id; nil and "" are none.
func parseChannel(id *string) (channels.Channel, error) {
	if id == nil || *id == "" {
		return channels.None, nil
	}
	ch, ok := channels.Parse(*id)
	if !ok {
		return ch, library.Invalid{Says: fmt.Sprintf("There is no channel %q.", *id)}
	}
	return ch, nil
}

type likeView struct {
	Ending   string   `json:"ending"`
	Maps     []int64  `json:"maps"`
	Station  string   `json:"station"`
	Warnings []string `json:"warnings"`
}

func viewLike(l library.Like) likeView {
	v := likeView{l.Ending, l.Maps, l.Station, l.Warnings}
	if v.Maps == nil {
		v.Maps = []int64{}
	}
	if v.Warnings == nil {
		v.Warnings = []string{}
	}
	return v
}

// apiLike says what else a correction of a map could hold for.
func (s *Server) apiLike(c *echo.Context) error {
	id, err := idOf(c, "map")
	if err != nil {
		return err
	}
	text := c.QueryParam("channel")
	ch, err := parseChannel(&text)
	if err != nil {
		return err
	}
	l, err := s.Service.LikeMap(c.Request().Context(), id, ch)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, viewLike(l))
}

// apiAssignLike applies a correction to the whole delivery, and with keep makes a
// rule of it for the station.
func (s *Server) apiAssignLike(c *echo.Context) error {
	id, err := idOf(c, "map")
	if err != nil {
		return err
	}
	var in struct {
		Channel *string `json:"channel"`
		Keep    bool    `json:"keep"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	ch, err := parseChannel(in.Channel)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	l, err := s.Service.AssignLike(ctx, id, ch, me(c).Name)
	if err != nil {
		return err
	}
	if in.Keep {
		if l.Ending == "" || ch == channels.None {
			return library.Invalid{Says: "A rule needs a name that ends in a word, and a channel."}
		}
		if err := s.Service.SaveRule(ctx, &library.Rule{Station: l.Station, Ending: l.Ending, Channel: ch, By: me(c).Name}); err != nil {
			return err
		}
	}
	return c.JSON(http.StatusOK, viewLike(l))
}

func (s *Server) apiUndo(c *echo.Context) error { return s.step(c, false) }
func (s *Server) apiRedo(c *echo.Context) error { return s.step(c, true) }

// step undoes or does again, and says what can be undone and done again now.
func (s *Server) step(c *echo.Context, forward bool) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	says, err := s.Service.StepBack(ctx, id, forward, me(c).Name)
	if errors.Is(err, library.ErrNotFound) {
		return refuse(http.StatusConflict, map[bool]string{false: "There is nothing to undo in this delivery.", true: "There is nothing to do again in this delivery."}[forward])
	}
	if err != nil {
		return err
	}
	undo, redo, err := s.Service.History(ctx, id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"says": says, "undo": undo, "redo": redo})
}

type ruleView struct {
	ID      int64            `json:"id"`
	Station string           `json:"station"`
	Ending  string           `json:"ending"`
	Channel channels.Channel `json:"channel"`
	By      string           `json:"by"`
	Created string           `json:"created"`
}

func viewRule(r library.Rule) ruleView {
	return ruleView{r.ID, r.Station, r.Ending, r.Channel, r.By, r.Created.UTC().Format("2006-01-02T15:04:05Z")}
}

func (s *Server) apiRules(c *echo.Context) error {
	list, err := s.Service.Rules(c.Request().Context())
	if err != nil {
		return err
	}
	items := []ruleView{}
	for _, r := range list {
		items = append(items, viewRule(r))
	}
	return c.JSON(http.StatusOK, map[string]any{"items": items})
}

// apiSaveRule adds a rule, or changes the one of the address.
func (s *Server) apiSaveRule(c *echo.Context) error {
	var in struct {
		Station string  `json:"station"`
		Ending  string  `json:"ending"`
		Channel *string `json:"channel"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	ch, err := parseChannel(in.Channel)
	if err != nil {
		return err
	}
	if ch == channels.None {
		return library.Invalid{Says: "A rule needs a channel."}
	}
	r := library.Rule{Station: in.Station, Ending: in.Ending, Channel: ch, By: me(c).Name}
	status := http.StatusCreated
	if c.Param("id") != "" {
		if r.ID, err = idOf(c, "id"); err != nil {
			return err
		}
		status = http.StatusOK
	}
	if err := s.Service.SaveRule(c.Request().Context(), &r); err != nil {
		return err
	}
	return c.JSON(status, viewRule(r))
}

func (s *Server) apiRemoveRule(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	if err := s.Service.RemoveRule(c.Request().Context(), id, me(c).Name); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

type rulesPage struct {
	frame
	Rules    []ruleRow
	Choices  []column
	Stations []string
}

type ruleRow struct {
	ID                         int64
	Station, Ending, Title, By string
	Channel                    channels.Channel
	When                       string
}

func (s *Server) rules(c *echo.Context) error {
	list, err := s.Service.Rules(c.Request().Context())
	if err != nil {
		return err
	}
	p := rulesPage{frame: s.frame(c, "Rules of the stations")}
	p.Place = "intake"
	for _, r := range list {
		p.Rules = append(p.Rules, ruleRow{r.ID, r.Station, r.Ending, r.Channel.Title(), r.By, r.Channel, r.Created.Format("2 January 2006")})
	}
	for _, ch := range channels.All() {
		p.Choices = append(p.Choices, column{ID: string(ch), Title: ch.Title()})
	}
	if p.Stations, err = s.Service.Stations(c.Request().Context()); err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "rules", p)
}
