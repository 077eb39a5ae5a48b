package web

import (
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"
)

// params are the parameters of each operation of the API, by "GET /api/v1/…", as its document has them.
type params map[string]map[string]bool

// documented reads the parameters of operations from the API's document.
func documented(document []byte) (params, error) {
	type param struct{ Ref, Name, In string }
	var doc struct {
		Paths      map[string]map[string]json.RawMessage
		Components struct{ Parameters map[string]param }
	}
	if err := json.Unmarshal(document, &doc); err != nil {
		return nil, fmt.Errorf("read the API's document: %w", err)
	}
	all := params{}
	for path, methods := range doc.Paths {
		for method, raw := range methods {
			var op struct {
				Parameters []struct {
					Ref  string `json:"$ref"`
					Name string
					In   string
				}
			}
			if err := json.Unmarshal(raw, &op); err != nil {
				return nil, fmt.Errorf("read %s %s of the API's document: %w", method, path, err)
			}
			names := map[string]bool{}
			for _, p := range op.Parameters {
				if p.Ref != "" {
					k := doc.Components.Parameters[p.Ref[strings.LastIndexByte(p.Ref, '/')+1:]]
					p.Name, p.In = k.Name, k.In
				}
				if p.In == "query" {
					names[p.Name] = true
				}
			}
			all[strings.ToUpper(method)+" "+path] = names
		}
	}
	return all, nil
}

// known refuses parameters that an operation of the API does not have: a slip must not be taken for nothing.
func (s *Server) known(c *echo.Context, r route) error {
	if !strings.HasPrefix(r.path, "/api/") || c.Request().URL.RawQuery == "" {
		return nil
	}
	method, path := r.method, templated(r.path)
	if method == http.MethodHead {
		method = http.MethodGet
	}
	names, ok := s.params[method+" "+path]
	if !ok {
		return nil
	}
	for name := range c.QueryParams() {
		if names[name] {
			continue
		}
		says := "it has none"
		if len(names) > 0 {
			says = "it has " + strings.Join(slices.Sorted(maps.Keys(names)), ", ")
		}
		return refuseAs(http.StatusBadRequest, "unknown_parameter", fmt.Sprintf("This address has no parameter %q: %s.", name, says))
	}
	return nil
}

// templated is a route's path as the API's document writes it.
func templated(path string) string {
	parts := strings.Split(path, "/")
	for i, p := range parts {
		if name, ok := strings.CutPrefix(p, ":"); ok {
			parts[i] = "{" + name + "}"
		} else if p == "*" {
			parts[i] = "{path}"
		}
	}
	return strings.Join(parts, "/")
}
