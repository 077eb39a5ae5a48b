package web

import (
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"
)

// This file bounds what a request may ask for, before anything of it is read. What a route takes in its body is in
// one table (bodies); everything else has one figure for all.

const (
	noBody      = 4 << 10   // of requests that have none to speak of
	formBody    = 64 << 10  // of forms, and of profiles
	listBody    = 256 << 10 // of lists of ids
	jsonBody    = 1 << 20
	pictureBody = 64 << 20  // of pictures that somebody searches by, or shows with a request
	propBody    = 256 << 20 // of environments, models and backdrops

	mostQuery = 8 << 10 // bytes of an address behind the question mark
	mostParts = 8       // parts of a page in one answer

	// MostHeaders is how many bytes all headers of a request may have.
	MostHeaders = 64 << 10
)

// bodies are the routes whose bodies have another bound than their method's: see bodyLimit. 0 stands for MaxUpload.
var bodies = map[string]int64{
	"POST /sign-in": formBody, "POST /sign-out": formBody, "POST /setup": formBody, "POST /new-password": formBody,
	"POST /people": formBody, "POST /people/:id": formBody, "POST /people/:id/reset": formBody,
	"POST /people/tokens/:id/revoke": formBody, "POST /deleted/:kind/:id": formBody, "POST /bench/:id/delete": formBody, "POST /intake/:id/delete": formBody,
	"POST /webhooks": formBody, "POST /webhooks/remove": formBody, "POST /webhooks/test": formBody, "POST /webhooks/messages/:id/retry": formBody,
	"POST /you/password": formBody, "POST /you/tokens": formBody, "POST /you/tokens/:id/revoke": formBody,
	"POST /you/sign-ins/:sign-in/end": formBody, "POST /jobs/:id/retry": formBody, "POST /jobs/:id/cancel": formBody,

	"POST /api/v1/profiles": formBody, "PUT /api/v1/profiles/:id": formBody, "POST /api/v1/trials": formBody,
	"POST /api/v1/collections": listBody, "PATCH /api/v1/collections/:id": listBody,

	"POST /api/v1/looks": pictureBody, "POST " + likePath: pictureBody, "PUT /api/v1/requests/:id/picture": pictureBody,
	"POST /api/v1/environments": propBody + 1, "POST /api/v1/meshes": propBody + 1, "POST /api/v1/backdrops": propBody + 1,

	"POST /api/v1/deliveries": 0, "PUT /api/v1/deliveries/:id/file": 0, "POST /api/v1/uploads": 0, "PATCH /api/v1/uploads/:upload": 0,
}

// bodyLimit is how many bytes the body of a request to a route may have.
func (s *Server) bodyLimit(r route) int64 {
	if n, ok := bodies[r.method+" "+r.path]; ok {
		if n == 0 {
			return s.MaxUpload
		}
		return n
	}
	switch r.method {
	case http.MethodPost, http.MethodPut, http.MethodPatch:
		return jsonBody
	}
	return noBody
}

// bound refuses a request that asks for too much, and sees to it that no more of its body is read than the route
// takes.
func (s *Server) bound(c *echo.Context, r route) error {
	req := c.Request()
	if len(req.URL.RawQuery) > mostQuery {
		return refuse(http.StatusRequestURITooLong, fmt.Sprintf("The address has more than %d characters behind the question mark. Ask for less.", mostQuery))
	}
	if len(partsOf(req)) > mostParts {
		return refuse(http.StatusBadRequest, fmt.Sprintf("A page is answered in %d parts at most.", mostParts))
	}
	most := s.bodyLimit(r)
	if req.ContentLength > most {
		return tooMuch(most)
	}
	req.Body = http.MaxBytesReader(c.Response(), req.Body, most)
	return nil
}

// tooMuch says that a request has too long a body.
func tooMuch(most int64) error {
	says := fmt.Sprintf("%d KB", most>>10)
	if most >= 1<<20 {
		says = fmt.Sprintf("%d MB", most>>20)
	}
	return refuse(http.StatusRequestEntityTooLarge, "The request is larger than the "+says+" allowed.")
}

// partsOf are the parts of a page that a request asks for, each once; none asks for the whole page.
func partsOf(r *http.Request) (list []string) {
	wanted := r.Header.Get("X-Part")
	if wanted == "" {
		return nil
	}
	seen := map[string]bool{}
	for name := range strings.SplitSeq(wanted, ",") {
		if !seen[name] {
			seen[name] = true
			list = append(list, name)
		}
	}
	return list
}

// overlong is the refusal of a body that turned out to be too long while it was read; nil for another error.
func overlong(err error) error {
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		return tooMuch(large.Limit)
	}
	return nil
}
