package notices

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// JobHook tells a receiver all that waits for it, the oldest first. Its key is the receiver's number.
const JobHook = "webhook"

// Poster sends a body to an address; an error if it was not taken. The error does not name the address.
type Poster func(ctx context.Context, url string, headers map[string]string, body []byte) error

// Webhook is an address of another program that is told what happens.
type Webhook struct {
	URL    string   `json:"url"`
	Secret string   `json:"secret"` // signs the bodies; "" for none
	Events []string `json:"events"` // empty for all
}

// wants says whether the program is to be told of an event.
func (k *Webhook) wants(event string) bool {
	return len(k.Events) == 0 || slices.Contains(k.Events, event)
}

// Events are the names of what other programs can be told.
var Events = []string{"request.asked", "request.answered", "release.published", "release.retired"}

// eventTest is the event of a message that an administrator sends to try a webhook.
const eventTest = "test"

// mostWebhooks is how many webhooks a studio has.
const mostWebhooks = 20

// Webhooks are the studio's, and their version.
func (s *Service) Webhooks(ctx context.Context, p people.Principal) (list []Webhook, version int64, err error) {
	if err := p.Need(people.Administer); err != nil {
		return nil, 0, err
	}
	err = s.Store.Read(ctx, func(tx Reader) error { list, version, err = webhooks.Get(tx); return err })
	return list, version, err
}

var webhooks = library.Setting[[]Webhook]{Name: "webhooks"}

// SaveWebhooks replaces the version of the studio's webhooks that was seen; 0 for whichever there is.
func (s *Service) SaveWebhooks(ctx context.Context, p people.Principal, version int64, list []Webhook) (int64, error) {
	if err := p.Need(people.Administer); err != nil {
		return 0, err
	}
	if len(list) > mostWebhooks {
		return 0, library.Invalid("Twenty webhooks are the most.")
	}
	there := map[string]bool{}
	for _, h := range list {
		u, err := url.Parse(h.URL)
		switch {
		case err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || len(h.URL) > 500:
			return 0, library.Invalid(fmt.Sprintf("A webhook's address begins with http:// or https://; %q does not.", h.URL))
		case there[h.URL]:
			return 0, library.Invalid(fmt.Sprintf("%s is there twice. Give it all its events in one webhook.", h.URL))
		}
		there[h.URL] = true
		for _, e := range h.Events {
			if !slices.Contains(Events, e) {
				return 0, library.Invalid(fmt.Sprintf("There is no event %q; there are %s.", e, strings.Join(Events, ", ")))
			}
		}
	}
	err := s.Store.Write(ctx, func(tx Tx) error {
		var err error
		if _, version, err = webhooks.Save(tx, version, list); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "webhooks", "the studio", fmt.Sprintf("%d webhooks", len(list))))
	})
	return version, err
}

// TellPrograms adds a message for each webhook that wants an event.
func (s *Service) TellPrograms(tx Tx, event string, what map[string]any) error {
	list, _, err := webhooks.Get(tx)
	if err != nil {
		return err
	}
	for _, k := range list {
		if !k.wants(event) {
			continue
		}
		h, err := s.add(tx, k, event, what)
		if err != nil {
			return err
		}
		if err := tx.AddJob(JobHook, strconv.FormatInt(h.Receiver, 10), 1); err != nil {
			return err
		}
	}
	return nil
}

func (s *Service) add(tx Tx, k Webhook, event string, what map[string]any) (h Hook, err error) {
	what = maps.Clone(what)
	what["event"], what["at"] = event, s.Now().UTC().Format(time.RFC3339)
	body, err := json.Marshal(what)
	if err != nil {
		return h, err
	}
	h = Hook{URL: k.URL, Event: event, Body: string(body), Made: s.Now(), State: HookWaits}
	return h, tx.AddHook(&h)
}

// Handlers are the jobs of notices, by kind.
func (s *Service) Handlers() map[string]func(ctx context.Context, key string) error {
	return map[string]func(context.Context, string) error{JobHook: s.deliver}
}

// JobFailed notes that a receiver was not reached for days: what waits for it has failed, until somebody retries it.
func (s *Service) JobFailed(ctx context.Context, kind, key string, problem error) error {
	id, err := strconv.ParseInt(key, 10, 64)
	if kind != JobHook || err != nil {
		return nil
	}
	return s.Store.Write(ctx, func(tx Tx) error { return tx.EndHooks(id, problem.Error()) })
}

// atOnce is how many messages one job tells: then others have their turn.
const atOnce = 20

// deliver tells a receiver what waits for it, in order, until it does not take one.
func (s *Service) deliver(ctx context.Context, key string) error {
	receiver, err := strconv.ParseInt(key, 10, 64)
	if err != nil {
		return nil
	}
	for range atOnce {
		if more, err := s.tell(ctx, receiver); err != nil || !more {
			return err
		}
	}
	return s.Store.Write(ctx, func(tx Tx) error { return tx.AddJob(JobHook, key, 1) })
}

// errNotTaken is the error of a job: why, and which address, only administrators see.
var errNotTaken = errors.New("the receiver did not take a message; the Webhooks page says why")

// tell sends the oldest message that waits for a receiver; more says that there was one. Its signature is the
// hexadecimal HMAC-SHA256 of the body. A message whose sending was interrupted is sent again, with the same number.
func (s *Service) tell(ctx context.Context, receiver int64) (more bool, err error) {
	var h Hook
	var list []Webhook
	err = s.Store.Read(ctx, func(tx Reader) error {
		if h, err = tx.NextHook(receiver); err != nil {
			return err
		}
		list, _, err = webhooks.Get(tx)
		return err
	})
	if errors.Is(err, library.ErrNotFound) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	at := slices.IndexFunc(list, func(k Webhook) bool { return k.URL == h.URL })
	if at < 0 || s.Post == nil {
		return false, s.Store.Write(ctx, func(tx Tx) error { return tx.EndHooks(receiver, "the webhook was removed") })
	}
	headers := map[string]string{"Content-Type": "application/json", "X-Aldermoor-Delivery": strconv.FormatInt(h.ID, 10)}
	if secret := list[at].Secret; secret != "" {
		m := hmac.New(sha256.New, []byte(secret))
		m.Write([]byte(h.Body))
		headers["X-Aldermoor-Signature"] = "sha256=" + hex.EncodeToString(m.Sum(nil))
	}
	problem := s.Post(ctx, h.URL, headers, []byte(h.Body))
	h.Tried = s.Now()
	switch {
	case problem == nil:
		h.State, h.Problem = HookTold, ""
	case ctx.Err() != nil: // the server stops
		return false, ctx.Err()
	default:
		h.Attempts++
		h.Problem, problem = problem.Error(), errNotTaken
	}
	if err := s.Store.Write(context.WithoutCancel(ctx), func(tx Tx) error { return tx.SaveHook(h) }); err != nil {
		return false, err
	}
	return true, problem
}

// WebhookState is a webhook and how its messages stand.
type WebhookState struct {
	Webhook
	ReceiverState
	Next time.Time // when it is tried again; zero if nothing waits for a pause
}

// WebhookStates are the studio's webhooks with how their messages stand, and their version.
func (s *Service) WebhookStates(ctx context.Context, p people.Principal) (list []WebhookState, version int64, err error) {
	if err := p.Need(people.Administer); err != nil {
		return nil, 0, err
	}
	err = s.Store.Read(ctx, func(tx Reader) error {
		all, v, err := webhooks.Get(tx)
		if err != nil {
			return err
		}
		version = v
		states, err := tx.Receivers()
		if err != nil {
			return err
		}
		for _, k := range all {
			one := WebhookState{Webhook: k, ReceiverState: states[k.URL]}
			if one.Waiting > 0 {
				if one.Next, _, err = tx.NextTry(JobHook, strconv.FormatInt(one.Receiver, 10)); err != nil {
					return err
				}
			}
			list = append(list, one)
		}
		return nil
	})
	return list, version, err
}

// Messages are the messages to webhooks with numbers below before, or all for 0: the latest first, n at most.
func (s *Service) Messages(ctx context.Context, p people.Principal, before int64, n int) (list []Hook, err error) {
	if err := p.Need(people.Administer); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.Hooks(before, n); return err })
	return list, err
}

// RetryMessage sends a message again at once, and with it whatever waits for the same receiver.
func (s *Service) RetryMessage(ctx context.Context, p people.Principal, id int64) error {
	if err := p.Need(people.Administer); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		h, err := tx.Hook(id)
		if err != nil {
			return err
		}
		list, _, err := webhooks.Get(tx)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(list, func(k Webhook) bool { return k.URL == h.URL }) {
			return library.Invalid("This webhook was removed. Add it again first.")
		}
		h.State = HookWaits
		if err := tx.SaveHook(h); err != nil {
			return err
		}
		return tx.HurryJob(JobHook, strconv.FormatInt(h.Receiver, 10))
	})
}

// Test sends a test message to a webhook.
func (s *Service) Test(ctx context.Context, p people.Principal, address string) (h Hook, err error) {
	if err := p.Need(people.Administer); err != nil {
		return h, err
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		list, _, err := webhooks.Get(tx)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(list, func(k Webhook) bool { return k.URL == address })
		if at < 0 {
			return library.ErrNotFound
		}
		if h, err = s.add(tx, list[at], eventTest, map[string]any{"by": p.Name, "says": "A test message from Aldermoor"}); err != nil {
			return err
		}
		return tx.HurryJob(JobHook, strconv.FormatInt(h.Receiver, 10))
	})
	return h, err
}
