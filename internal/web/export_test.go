package web

import "aldermoor/internal/library/people"

// RouteForTest is a row of the table of routes, for tests.
type RouteForTest struct {
	Method, Path, Right string
	Versioned           bool
}

// RoutesForTest are all rows.
func RoutesForTest() (out []RouteForTest) {
	for _, r := range (&Server{}).routes() {
		out = append(out, RouteForTest{r.method, r.path, string(r.right), r.versioned})
	}
	return out
}

// Bound is how many bytes a route takes.
type Bound struct {
	Method, Path string
	Anyone       bool
	Bytes        int64
}

// Bounds are those of all routes.
func (s *Server) Bounds() (list []Bound) {
	for _, r := range s.routes() {
		list = append(list, Bound{r.method, r.path, r.right == people.Anyone, s.bodyLimit(r)})
	}
	return list
}

// Bodies are the routes that have bounds of their own.
func Bodies() map[string]int64 { return bodies }

const (
	FormBody  = formBody
	JSONBody  = jsonBody
	MostQuery = mostQuery
)
