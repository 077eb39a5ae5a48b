package web

import (
	"crypto/rand"
	"net/http"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
)

const (
	onceLasts = 10 * time.Minute // until what nobody came for is forgotten
	onceMost  = 1000
)

// onces keeps what a form has led to for the page that is shown after it, so that loading that page again does not send
// the form again. It is in memory alone: secrets are among it.
type onces struct {
	mu   sync.Mutex
	kept map[string]onceKept
}

type onceKept struct {
	who  string
	what any
	ends time.Time
}

// put keeps something for a person, and gives the key that take asks for.
func (o *onces) put(who string, what any, now time.Time) (key string) {
	o.mu.Lock()
	defer o.mu.Unlock()
	for k, v := range o.kept {
		if v.ends.Before(now) || len(o.kept) >= onceMost {
			delete(o.kept, k)
		}
	}
	if o.kept == nil {
		o.kept = map[string]onceKept{}
	}
	key = rand.Text()
	o.kept[key] = onceKept{who, what, now.Add(onceLasts)}
	return key
}

// take gives what was kept for a person under a key, once; nil if there is nothing.
func (o *onces) take(who, key string, now time.Time) any {
	o.mu.Lock()
	defer o.mu.Unlock()
	v, ok := o.kept[key]
	if !ok || v.who != who {
		return nil
	}
	delete(o.kept, key)
	if v.ends.Before(now) {
		return nil
	}
	return v.what
}

// saidParam names what a page says once.
const saidParam = "said"

// after leads from a form to a page that says once what became of it.
func (s *Server) after(c *echo.Context, page string, what any) error {
	return c.Redirect(http.StatusSeeOther, page+"?"+saidParam+"="+s.onces.put(me(c).Name, what, time.Now()))
}

// said is what a page says once; the zero value if there is nothing.
func said[T any](s *Server, c *echo.Context) (what T) {
	what, _ = s.onces.take(me(c).Name, c.QueryParam(saidParam), time.Now()).(T)
	return what
}
