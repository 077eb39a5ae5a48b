package web

import (
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"aldermoor/internal/library"
	"aldermoor/internal/library/notices"

	"github.com/labstack/echo/v5"
)

// The studio's webhooks and what they were told, for administrators alone: an address may hold a secret.

type webhooksPage struct {
	frame
	Problem  string
	Version  int64
	Webhooks []notices.WebhookState
	Events   []string
	Messages []notices.Hook
	Older    int64 // messages with lower numbers come next; 0 for none
	Form     notices.Webhook
}

// messagesOnPage is how many messages a page lists.
const messagesOnPage = 50

func (s *Server) webhooks(c *echo.Context) error {
	return s.showWebhooks(c, http.StatusOK, webhooksPage{})
}

func (s *Server) showWebhooks(c *echo.Context, status int, p webhooksPage) (err error) {
	ctx := c.Request().Context()
	p.frame, p.Events = s.frame(c, "Webhooks"), notices.Events
	if p.Webhooks, p.Version, err = s.Studio.Notices.WebhookStates(ctx, me(c)); err != nil {
		return err
	}
	before, _ := strconv.ParseInt(c.QueryParam("before"), 10, 64)
	if p.Messages, err = s.Studio.Notices.Messages(ctx, me(c), max(before, 0), messagesOnPage+1); err != nil {
		return err
	}
	if len(p.Messages) > messagesOnPage {
		p.Messages = p.Messages[:messagesOnPage]
		p.Older = p.Messages[messagesOnPage-1].ID
	}
	return s.render(c, status, "webhooks", p)
}

// afterWebhooks shows what was wrong with a form, or the page again.
func (s *Server) afterWebhooks(c *echo.Context, err error, form notices.Webhook) error {
	if status, text, ok := says(err); ok {
		return s.showWebhooks(c, status, webhooksPage{Problem: text, Form: form})
	}
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/webhooks")
}

// changeWebhooks changes the version of the list that a form was made for.
func (s *Server) changeWebhooks(c *echo.Context, change func(list []notices.Webhook) []notices.Webhook) error {
	version, _, err := versionNamed(c)
	if err != nil {
		return err
	}
	list, now, err := s.Studio.Notices.Webhooks(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	if version != 0 && version != now {
		return library.ErrStale
	}
	_, err = s.Studio.Notices.SaveWebhooks(c.Request().Context(), me(c), now, change(list))
	return err
}

func (s *Server) addWebhook(c *echo.Context) error {
	v, err := c.FormValues()
	if err != nil {
		return err
	}
	k := notices.Webhook{URL: v.Get("url"), Secret: v.Get("secret"), Events: v["event"]}
	if len(k.Events) == len(notices.Events) {
		k.Events = nil
	}
	err = s.changeWebhooks(c, func(list []notices.Webhook) []notices.Webhook { return append(list, k) })
	return s.afterWebhooks(c, err, k)
}

func (s *Server) removeWebhook(c *echo.Context) error {
	err := s.changeWebhooks(c, func(list []notices.Webhook) []notices.Webhook {
		return slices.DeleteFunc(list, func(k notices.Webhook) bool { return k.URL == c.FormValue("url") })
	})
	return s.afterWebhooks(c, err, notices.Webhook{})
}

func (s *Server) testWebhook(c *echo.Context) error {
	_, err := s.Studio.Notices.Test(c.Request().Context(), me(c), c.FormValue("url"))
	return s.afterWebhooks(c, err, notices.Webhook{})
}

func (s *Server) retryMessage(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	return s.afterWebhooks(c, s.Studio.Notices.RetryMessage(c.Request().Context(), me(c), id), notices.Webhook{})
}

// Wants says whether a form's webhook wants an event.
func (p webhooksPage) Wants(event string) bool {
	return len(p.Form.Events) == 0 || slices.Contains(p.Form.Events, event)
}

// Host is the part of an address that names the receiver, for lists.
func (webhooksPage) Host(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return address
	}
	return u.Host
}

// webhooksBody are the studio's webhooks as the API has them.
type webhooksBody struct {
	Webhooks []notices.Webhook `json:"webhooks"`
}

func (s *Server) apiWebhooks(c *echo.Context) error {
	list, version, err := s.Studio.Notices.Webhooks(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	return s.answerWebhooks(c, list, version)
}

func (s *Server) apiSaveWebhooks(c *echo.Context) error {
	version, _, err := versionNamed(c)
	if err != nil {
		return err
	}
	var in webhooksBody
	if err := readJSON(c, &in); err != nil {
		return err
	}
	if version, err = s.Studio.Notices.SaveWebhooks(c.Request().Context(), me(c), version, in.Webhooks); err != nil {
		return err
	}
	return s.answerWebhooks(c, in.Webhooks, version)
}

func (s *Server) answerWebhooks(c *echo.Context, list []notices.Webhook, version int64) error {
	out := webhooksBody{Webhooks: []notices.Webhook{}}
	for _, k := range list {
		if k.Events == nil {
			k.Events = []string{}
		}
		out.Webhooks = append(out.Webhooks, k)
	}
	c.Response().Header().Set("ETag", etag(version))
	return c.JSON(http.StatusOK, out)
}

type apiHook struct {
	ID       int64  `json:"id"`
	URL      string `json:"url"`
	Event    string `json:"event"`
	Body     string `json:"body"`
	Made     string `json:"made"`
	State    string `json:"state"`
	Attempts int    `json:"attempts"`
	Problem  string `json:"problem"`
	Tried    string `json:"tried"`
}

// apiMessages lists what webhooks were told and are to be told, the latest first.
func (s *Server) apiMessages(c *echo.Context) error {
	per, before, err := cursor(c)
	if err != nil {
		return err
	}
	list, err := s.Studio.Notices.Messages(c.Request().Context(), me(c), before, per+1)
	if err != nil {
		return err
	}
	next := ""
	if len(list) > per {
		list = list[:per]
		next = strconv.FormatInt(list[per-1].ID, 10)
	}
	items := []apiHook{}
	for _, h := range list {
		items = append(items, apiHook{h.ID, h.URL, h.Event, h.Body, at(h.Made), string(h.State), h.Attempts, h.Problem, at(h.Tried)})
	}
	return c.JSON(http.StatusOK, map[string]any{"items": items, "cursor": next})
}

// apiRetryMessage sends a message again at once.
func (s *Server) apiRetryMessage(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	if err := s.Studio.Notices.RetryMessage(c.Request().Context(), me(c), id); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// apiTestWebhook sends a test message to one webhook.
func (s *Server) apiTestWebhook(c *echo.Context) error {
	var in struct {
		URL string `json:"url"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	h, err := s.Studio.Notices.Test(c.Request().Context(), me(c), in.URL)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, apiHook{h.ID, h.URL, h.Event, h.Body, at(h.Made), string(h.State), 0, "", ""})
}
