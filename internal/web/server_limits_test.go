package web_test

import (
	"bytes"
	"io"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"

	"aldermoor/internal/library/people"
	"aldermoor/internal/library/search"
	"aldermoor/internal/web"
)

// counted is a body without end that counts what is read of it.
type counted struct{ n int64 }

func (c *counted) Read(p []byte) (int, error) {
	for i := range p {
		p[i] = 'x'
	}
	c.n += int64(len(p))
	return len(p), nil
}

var parameter = regexp.MustCompile(`:[a-z-]+|\*`)

// Every route refuses a longer body than it takes, before it looks who asks; and where nothing says how long it is,
// no more is read than that.
func TestEveryRouteBoundsItsBody(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	for _, r := range s.server.Bounds() {
		if r.Bytes <= 0 || r.Bytes > 50<<30 || r.Bytes > web.JSONBody && web.Bodies()[r.Method+" "+r.Path] == 0 && r.Bytes != s.server.MaxUpload {
			t.Errorf("%s %s takes %d bytes", r.Method, r.Path, r.Bytes)
		}
		if r.Anyone && r.Bytes > web.FormBody {
			t.Errorf("%s %s takes %d bytes of anybody", r.Method, r.Path, r.Bytes)
		}
		path := parameter.ReplaceAllString(r.Path, "1")
		req := httptest.NewRequest(r.Method, path, http.NoBody)
		req.ContentLength = r.Bytes + 1
		w := httptest.NewRecorder()
		s.server.Handler().ServeHTTP(w, req)
		if w.Code != http.StatusRequestEntityTooLarge {
			t.Errorf("%s %s answers %d to a body of one byte too many", r.Method, path, w.Code)
		}
	}
	for key := range web.Bodies() {
		method, path, _ := strings.Cut(key, " ")
		found := false
		for _, r := range s.server.Bounds() {
			found = found || r.Method == method && r.Path == path
		}
		if !found {
			t.Errorf("a bound is named for %s, which is no route", key)
		}
	}
	for _, form := range []string{"application/x-www-form-urlencoded", "multipart/form-data; boundary=b"} {
		for _, path := range []string{"/sign-in", "/setup", "/new-password"} {
			body := &counted{}
			req := httptest.NewRequest("POST", path, io.MultiReader(strings.NewReader("--b\r\nContent-Disposition: form-data; name=\"name\"; filename=\"a\"\r\n\r\n"), body))
			req.ContentLength = -1
			req.Header.Set("Content-Type", form)
			w := httptest.NewRecorder()
			s.server.Handler().ServeHTTP(w, req)
			if body.n > 2*web.FormBody || w.Code < 400 {
				t.Errorf("%s read %d bytes of a form of %s, and answers %d", path, body.n, form, w.Code)
			}
		}
	}
	body := &counted{}
	resp, says := s.ask(people.Librarian, "POST", "/api/v1/releases", io.LimitReader(io.MultiReader(strings.NewReader(`{"a":"`), body), 3<<20))
	if resp.StatusCode != http.StatusRequestEntityTooLarge || !bytes.Contains(says, []byte("1 MB")) {
		t.Errorf("JSON without end: %d %s", resp.StatusCode, says)
	}
}

// Addresses, parts of pages and texts to search for are bounded too.
func TestAddressesAreBounded(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	for _, c := range []struct {
		what, path string
		headers    []string
		want       int
	}{
		{"a long address", "/library?tag=" + strings.Repeat("x", web.MostQuery), nil, http.StatusRequestURITooLong},
		{"a text of many letters", "/api/v1/library?q=" + strings.Repeat("x", search.MostLetters+1), nil, http.StatusUnprocessableEntity},
		{"a text of many words", "/library?q=" + strings.Repeat("a+", search.MostWords+1), nil, http.StatusUnprocessableEntity},
		{"a text at the bound", "/library?q=" + strings.Repeat("a+", search.MostWords), nil, http.StatusOK},
		{"one part many times", "/library", []string{"X-Part", strings.Repeat("results,", 2000) + "results"}, http.StatusOK},
		{"many parts", "/library", []string{"X-Part", "a,b,c,d,e,f,g,h,i"}, http.StatusBadRequest},
	} {
		resp, body := s.ask(people.Artist, "GET", c.path, nil, c.headers...)
		if resp.StatusCode != c.want {
			t.Errorf("%s: %d %.200s", c.what, resp.StatusCode, body)
		}
		if bytes.Count(body, []byte(`data-part="results"`)) > 1 {
			t.Errorf("%s is answered %d times", c.what, bytes.Count(body, []byte(`data-part="results"`)))
		}
	}
}

// The jobs' page and API tell what runs and in which lane; what may not be cancelled says so.
func TestJobsAreListed(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	if got := s.json(people.Librarian, "GET", "/api/v1/jobs", nil, 200); got["items"] == nil || got["lanes"] == nil {
		t.Errorf("jobs: %v", got)
	}
	if resp, body := s.ask(people.Librarian, "POST", "/api/v1/jobs/99/cancel", nil); resp.StatusCode != 404 && resp.StatusCode != 422 {
		t.Errorf("cancel what is not there: %d %s", resp.StatusCode, body)
	}
	if resp, _ := s.ask(people.Artist, "POST", "/api/v1/jobs/99/cancel", nil); resp.StatusCode != 403 {
		t.Errorf("an artist cancels: %d", resp.StatusCode)
	}
}
