package requests

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// JobHook tells another program something.
const JobHook = "webhook"

// Poster sends a body to an address; an error if it was not taken.
type Poster func(ctx context.Context, url string, headers map[string]string, body []byte) error

// Notices are what somebody is told, the latest first.
func (s *Service) Notices(ctx context.Context, p people.Principal, n int) (list []Notice, err error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.Notices(p.Name, n); return err })
	return list, err
}

// Unseen is how many notices somebody has not seen.
func (s *Service) Unseen(ctx context.Context, p people.Principal) (n int, err error) {
	err = s.Store.Read(ctx, func(tx Reader) (err error) { n, err = tx.Unseen(p.Name); return err })
	return n, err
}

// See notes that somebody has seen the notices up to one.
func (s *Service) See(ctx context.Context, p people.Principal, upTo int64) error {
	if err := p.Need(people.Enter); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error { return tx.SeeNotices(p.Name, upTo) })
}

// Released tells those who took a material that there is something new of it, and other programs.
func (s *Service) Released(ctx context.Context, by string, material int64, event, text, href string) error {
	return s.Store.Write(ctx, func(tx Tx) error {
		takers, err := tx.Takers(material)
		if err != nil {
			return err
		}
		for _, who := range takers {
			if who == by {
				continue
			}
			if err := tx.AddNotice(Notice{Person: who, Text: text, Href: href, At: s.Now()}); err != nil {
				return err
			}
		}
		return s.hook(tx, event, map[string]any{"material_id": material, "says": text, "by": by, "href": href})
	})
}

// Notify tells one person something.
func (s *Service) Notify(ctx context.Context, person, text, href string) error {
	return s.Store.Write(ctx, func(tx Tx) error {
		return tx.AddNotice(Notice{Person: person, Text: text, Href: href, At: s.Now()})
	})
}

// Webhook is an address of another program that is told what happens.
type Webhook struct {
	URL    string   `json:"url"`
	Secret string   `json:"secret"` // signs the bodies; "" for none
	Events []string `json:"events"` // empty for all
}

// Events are the names of what other programs can be told.
var Events = []string{"request.asked", "request.answered", "release.published", "release.retired"}

// Webhooks are the studio's, and their version.
func (s *Service) Webhooks(ctx context.Context, p people.Principal) (list []Webhook, version int64, err error) {
	if err := p.Need(people.Administer); err != nil {
		return nil, 0, err
	}
	err = s.Store.Read(ctx, func(tx Reader) error { list, version, err = webhooks(tx); return err })
	return list, version, err
}

func webhooks(tx Reader) (list []Webhook, version int64, err error) {
	if version, err = tx.Setting("webhooks", &list); errors.Is(err, library.ErrNotFound) {
		err = nil
	}
	return list, version + 1, err
}

// SaveWebhooks keeps the studio's webhooks in the place of those that were seen; 0 for whichever
// there are.
func (s *Service) SaveWebhooks(ctx context.Context, p people.Principal, version int64, list []Webhook) (int64, error) {
	if err := p.Need(people.Administer); err != nil {
		return 0, err
	}
	if len(list) > 20 {
		return 0, library.Invalid("Twenty webhooks are the most.")
	}
	for _, h := range list {
		u, err := url.Parse(h.URL)
		if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || len(h.URL) > 500 {
			return 0, library.Invalid(fmt.Sprintf("A webhook's address begins with http:// or https://; %q does not.", h.URL))
		}
		for _, e := range h.Events {
			if !slices.Contains(Events, e) {
				return 0, library.Invalid(fmt.Sprintf("There is no event %q; there are %s.", e, strings.Join(Events, ", ")))
			}
		}
	}
	err := s.Store.Write(ctx, func(tx Tx) error {
		_, had, err := webhooks(tx)
		if err != nil {
			return err
		}
		if version != 0 && version != had {
			return library.ErrStale
		}
		version = had + 1
		if err := tx.SaveSetting("webhooks", list, had-1); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "webhooks", "the studio", fmt.Sprintf("%d webhooks", len(list))))
	})
	return version, err
}

// hook makes sure that the studio's webhooks are told of an event.
func (s *Service) hook(tx Tx, event string, what map[string]any) error {
	list, _, err := webhooks(tx)
	if err != nil {
		return err
	}
	for _, k := range list {
		if len(k.Events) > 0 && !slices.Contains(k.Events, event) {
			continue
		}
		what["event"], what["at"] = event, s.Now().UTC()
		body, err := json.Marshal(what)
		if err != nil {
			return err
		}
		h := Hook{URL: k.URL, Body: string(body), Made: s.Now()}
		if err := tx.AddHook(&h); err != nil {
			return err
		}
		if err := tx.AddJob(JobHook, strconv.FormatInt(h.ID, 10), 1); err != nil {
			return err
		}
	}
	return nil
}

// Handlers are the jobs of requests, by kind.
func (s *Service) Handlers() map[string]func(ctx context.Context, key string) error {
	return map[string]func(context.Context, string) error{JobHook: s.tell}
}

// tell sends one message to a webhook. Its signature is the hexadecimal HMAC-SHA256 of the body.
func (s *Service) tell(ctx context.Context, key string) error {
	id, err := strconv.ParseInt(key, 10, 64)
	if err != nil {
		return nil
	}
	var h Hook
	secret, wanted := "", false
	err = s.Store.Read(ctx, func(tx Reader) error {
		if h, err = tx.Hook(id); err != nil {
			return err
		}
		list, _, err := webhooks(tx)
		for _, k := range list {
			if k.URL == h.URL {
				secret, wanted = k.Secret, true
			}
		}
		return err
	})
	if errors.Is(err, library.ErrNotFound) {
		return nil // it was told
	}
	if err != nil {
		return err
	}
	if wanted && s.Post != nil {
		headers := map[string]string{"Content-Type": "application/json", "X-Aldermoor-Delivery": key}
		if secret != "" {
			m := hmac.New(sha256.New, []byte(secret))
			m.Write([]byte(h.Body))
			headers["X-Aldermoor-Signature"] = "sha256=" + hex.EncodeToString(m.Sum(nil))
		}
		if err := s.Post(ctx, h.URL, headers, []byte(h.Body)); err != nil {
			return fmt.Errorf("tell %s: %w", h.URL, err)
		}
	}
	return s.Store.Write(ctx, func(tx Tx) error { return tx.RemoveHook(id) })
}
