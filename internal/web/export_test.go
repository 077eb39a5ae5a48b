package web

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
