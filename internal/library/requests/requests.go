// Package requests keeps what artists ask librarians for and report to them, and the answers.
package requests

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"aldermoor/core/codec"
	"aldermoor/core/raster"
	"aldermoor/internal/library"
	"aldermoor/internal/library/notices"
	"aldermoor/internal/library/people"
)

// Service keeps requests.
type Service struct {
	*library.Base
	Store   library.Store[Reader, Tx]
	Notices *notices.Service
}

// Kind is what is asked.
type Kind string

// The kinds: a material that is missing, and a problem of one that is there.
const (
	Wanted  Kind = "material"
	Problem Kind = "problem"
)

// State is how a request stands.
type State string

// The states.
const (
	Open     State = "open"
	Working  State = "working" // somebody is at it
	Solved   State = "solved"
	Declined State = "declined"
)

// Request is something that somebody asks for.
type Request struct {
	ID       int64
	Kind     Kind
	Title    string
	Size     string // in the asker's words
	Due      string // 2026-03-04, or ""
	Picture  string // blob, "" for none
	Material int64  // of a problem
	Release  int64
	Pin      [2]float64 // where on the picture, in shares of its width and height; −1 for nowhere
	View     string     // query of the address that shows what the asker saw
	By       string
	Asked    time.Time
	State    State
	SolvedBy int64 // material, 0 for none
	Changed  time.Time
	Version  int64
	Messages []Message // the first one is the asker's
}

// Message is a turn of a request's talk.
type Message struct {
	By   string
	At   time.Time
	Text string
}

// Pinned says whether the request points at a place of the picture.
func (r *Request) Pinned() bool { return r.Pin[0] >= 0 && r.Pin[1] >= 0 }

// Done says whether nothing is to be done any more.
func (r *Request) Done() bool { return r.State == Solved || r.State == Declined }

// Query says which requests are wanted.
type Query struct {
	By       string // asker; "" for all
	Material int64
	Done     bool      // those that are done; otherwise those that are not
	Changed  time.Time // since then, whether they are done or not; zero for whenever
	Page     int
	Per      int
}

// List are requests, the oldest open one or the latest done one first. Artists see their own and
// those of a material.
func (s *Service) List(ctx context.Context, p people.Principal, q Query) (list []Request, total int, err error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, 0, err
	}
	if !p.May(people.SeeDrafts) && q.Material == 0 {
		q.By = p.Name
	}
	q.Page, q.Per = min(max(q.Page, 1), 1_000_000), min(max(q.Per, 1), 500)
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, total, err = tx.Requests(q); return err })
	return list, total, err
}

// One is a request with its messages. Others' requests for materials are the staff's to see.
func (s *Service) One(ctx context.Context, p people.Principal, id int64) (r Request, err error) {
	if err := p.Need(people.Enter); err != nil {
		return r, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { r, err = tx.Request(id); return err })
	if err == nil && !r.seen(p) {
		err = library.ErrNotFound
	}
	return r, err
}

func (r *Request) seen(p people.Principal) bool {
	return r.By == p.Name || r.Kind == Problem || p.May(people.SeeDrafts)
}

// Ask asks for a material or reports a problem.
func (s *Service) Ask(ctx context.Context, p people.Principal, r Request, text string) (Request, error) {
	if err := p.Need(people.Share); err != nil {
		return r, err
	}
	r.Title, r.Size, text = strings.TrimSpace(r.Title), strings.TrimSpace(r.Size), strings.TrimSpace(text)
	switch {
	case r.Kind != Wanted && r.Kind != Problem:
		return r, library.Invalid(fmt.Sprintf("A request is for a material or of a problem, not %q.", r.Kind))
	case r.Kind == Problem && r.Material == 0:
		return r, library.Invalid("Say which material has the problem.")
	case r.Title == "" || len(r.Title) > 120:
		return r, library.Invalid("Say in a few words what it is, in 120 letters at most.")
	case len(text) > 4000 || len(r.Size) > 120 || len(r.View) > 4000:
		return r, library.Invalid("That is too long; 4000 letters are the most.")
	}
	if r.Due != "" {
		if _, err := time.Parse(time.DateOnly, r.Due); err != nil {
			return r, library.Invalid(fmt.Sprintf("A date is written 2026-03-04; %q is not.", r.Due))
		}
	}
	for i, v := range r.Pin {
		if !(v >= 0 && v <= 1) {
			r.Pin[i] = -1
		}
	}
	r.By, r.Asked, r.Changed, r.State, r.SolvedBy, r.Picture = p.Name, s.Now(), s.Now(), Open, 0, ""
	err := s.Store.Write(ctx, func(tx Tx) error {
		if err := tx.AddRequest(&r); err != nil {
			return err
		}
		if text != "" {
			m := Message{p.Name, s.Now(), text}
			r.Messages = append(r.Messages, m)
			if err := tx.AddMessage(r.ID, m); err != nil {
				return err
			}
		}
		return s.Notices.TellPrograms(tx, "request.asked", map[string]any{"request_id": r.ID, "kind": r.Kind, "title": r.Title, "by": r.By, "page": r.Page()})
	})
	return r, err
}

// Page is the address of the request's page.
func (r *Request) Page() string { return fmt.Sprintf("/requests/%d", r.ID) }

// picturePx is the longer side of a request's picture, pixels; mostPicture is what may be sent.
const (
	picturePx   = 1600
	mostPicture = 64 << 20
)

// Illustrate gives a request, as it was seen, a picture; of its asker alone.
func (s *Service) Illustrate(ctx context.Context, p people.Principal, of library.Seen, file string, body io.Reader) error {
	r, err := s.One(ctx, p, of.ID)
	if err != nil {
		return err
	}
	if of.Version != 0 && of.Version != r.Version {
		return library.ErrStale
	}
	if r.By != p.Name {
		return library.Invalid("Only the asker adds a picture.")
	}
	data, err := io.ReadAll(io.LimitReader(body, mostPicture+1))
	if err != nil {
		return err
	}
	if len(data) > mostPicture {
		return library.Invalid(fmt.Sprintf("%s is larger than 64 MB; send a smaller one.", file))
	}
	var small []byte
	err = s.Work.Do(ctx, func() error {
		im, _, err := codec.Decode(data, s.Pictures)
		if err != nil {
			return library.Invalid(fmt.Sprintf("%s could not be read: %v.", file, err))
		}
		var planes []raster.Plane
		for c := range min(im.Components(), 3) {
			planes = append(planes, im.Reduced(c, picturePx))
		}
		if len(planes) == 2 {
			planes = planes[:1]
		}
		var b bytes.Buffer
		err = codec.EncodeJPEG(&b, raster.FromPlanes(planes...).Quantise(8), 88)
		small = b.Bytes()
		return err
	})
	if err != nil {
		return err
	}
	sum, _, err := s.Blobs.Put(ctx, bytes.NewReader(small))
	if err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		r, err := tx.Request(of.ID)
		if err != nil {
			return err
		}
		if of.Version != 0 && of.Version != r.Version {
			return library.ErrStale
		}
		r.Picture, r.Changed = sum, s.Now()
		return tx.SaveRequest(&r)
	})
}

// Answer is what is said to a request, and what becomes of it.
type Answer struct {
	Text     string
	State    State // "" leaves it
	SolvedBy int64 // the material that solves it
}

// Answer adds an answer to the version of a request that was seen. Staff may also set its state; the
// asker may only write. The asker and everybody who answered before get a notice.
func (s *Service) Answer(ctx context.Context, p people.Principal, of library.Seen, a Answer, name func(material int64) (title, href string)) (r Request, err error) {
	if err := p.Need(people.Share); err != nil {
		return r, err
	}
	a.Text = strings.TrimSpace(a.Text)
	staff := p.May(people.Contribute)
	switch {
	case len(a.Text) > 4000:
		return r, library.Invalid("The answer has more than 4000 letters; shorten it.")
	case a.State != "" && !slices.Contains([]State{Open, Working, Solved, Declined}, a.State):
		return r, library.Invalid(fmt.Sprintf("A request is open, working, solved or declined, not %q.", a.State))
	case !staff && (a.State != "" && a.State != Open || a.SolvedBy != 0):
		return r, library.Invalid("A librarian decides what becomes of a request.")
	case a.State == Declined && a.Text == "":
		return r, library.Invalid("Say why it is declined.")
	case a.Text == "" && a.State == "" && a.SolvedBy == 0:
		return r, library.Invalid("Say something, or decide what becomes of it.")
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		if r, err = tx.Request(of.ID); err != nil {
			return err
		}
		if !r.seen(p) || !staff && r.By != p.Name {
			return library.ErrNotFound
		}
		if of.Version != 0 && of.Version != r.Version {
			return library.ErrStale
		}
		if a.State != "" {
			r.State = a.State
		}
		if a.SolvedBy != 0 {
			r.SolvedBy = a.SolvedBy
		}
		r.Changed = s.Now()
		if err := tx.SaveRequest(&r); err != nil {
			return err
		}
		if a.Text != "" {
			m := Message{p.Name, s.Now(), a.Text}
			r.Messages = append(r.Messages, m)
			if err := tx.AddMessage(r.ID, m); err != nil {
				return err
			}
		}
		says := fmt.Sprintf("%s answered “%s”", p.Name, r.Title)
		switch {
		case r.State == Solved && r.SolvedBy != 0:
			title, _ := name(r.SolvedBy)
			says = fmt.Sprintf("“%s” is solved: %s", r.Title, title)
		case a.State == Solved:
			says = fmt.Sprintf("“%s” is solved", r.Title)
		case a.State == Declined:
			says = fmt.Sprintf("“%s” was declined", r.Title)
		case a.State == Working:
			says = fmt.Sprintf("%s works on “%s”", p.Name, r.Title)
		}
		told := map[string]bool{p.Name: true}
		for _, who := range append([]string{r.By}, speakers(r.Messages)...) {
			if told[who] {
				continue
			}
			told[who] = true
			if err := s.Notices.Tell(tx, who, says, r.Page()); err != nil {
				return err
			}
		}
		return s.Notices.TellPrograms(tx, "request.answered", map[string]any{"request_id": r.ID, "title": r.Title, "by": p.Name, "state": r.State, "page": r.Page()})
	})
	return r, err
}

func speakers(list []Message) (out []string) {
	for _, m := range list {
		out = append(out, m.By)
	}
	return out
}
