package web

// RouteForTest is a row of the table of routes, for tests.
type RouteForTest struct{ Method, Path, Who string }

// RoutesForTest are all rows.
func RoutesForTest() (out []RouteForTest) {
	names := map[who]string{anyone: "anyone", signedIn: "signedIn", staff: "staff", leading: "leading", admin: "admin"}
	for _, r := range (&Server{}).routes() {
		out = append(out, RouteForTest{r.method, r.path, names[r.who]})
	}
	return out
}
