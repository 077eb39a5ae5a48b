package web_test

import (
	"cmp"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"aldermoor/internal/library/people"
	"aldermoor/internal/library/search"
	"aldermoor/internal/web"
)

// schemas holds answers against the API's document.
type schemas map[string]any

// check says what is wrong with a value by its schema: a type, a key that is not described, one that is missing.
func (s schemas) check(at string, schema map[string]any, v any) (wrong []string) {
	if ref, ok := schema["$ref"].(string); ok {
		return s.check(at, s[ref[strings.LastIndexByte(ref, '/')+1:]].(map[string]any), v)
	}
	for _, key := range []string{"anyOf", "oneOf"} {
		list, ok := schema[key].([]any)
		if !ok {
			continue
		}
		for _, one := range list {
			if wrong = s.check(at, one.(map[string]any), v); wrong == nil {
				return nil
			}
		}
		return wrong
	}
	var types []any
	switch t := schema["type"].(type) {
	case string:
		types = []any{t}
	case []any:
		types = t
	default:
		return nil // whatever it is
	}
	kind := map[bool]string{true: "null"}[v == nil]
	switch n := v.(type) {
	case string:
		kind = "string"
	case bool:
		kind = "boolean"
	case float64:
		if kind = "number"; n == float64(int64(n)) && slices.Contains(types, any("integer")) {
			kind = "integer"
		}
	case []any:
		kind = "array"
		items, _ := schema["items"].(map[string]any)
		for i, k := range n {
			wrong = append(wrong, s.check(fmt.Sprintf("%s[%d]", at, i), items, k)...)
		}
	case map[string]any:
		kind = "object"
		props, _ := schema["properties"].(map[string]any)
		_, open := schema["additionalProperties"]
		for k, one := range n {
			if p, ok := props[k].(map[string]any); ok {
				wrong = append(wrong, s.check(at+"."+k, p, one)...)
			} else if props != nil && !open {
				wrong = append(wrong, at+"."+k+" is not described")
			}
		}
		required, _ := schema["required"].([]any)
		for _, k := range required {
			if _, ok := n[k.(string)]; !ok {
				wrong = append(wrong, at+"."+k.(string)+" is missing")
			}
		}
	}
	if !slices.Contains(types, any(kind)) {
		wrong = append(wrong, fmt.Sprintf("%s is %s, not %v", at, kind, types))
	}
	return wrong
}

// Each request of the API's document is sent, and each answer is as the document says: of reading requests all succeed;
// of the others those that the table has a body for. Whatever is refused is refused as a problem with a code.
func TestEveryRequestOfTheDocument(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	admin := people.Administrator
	d := s.deliver(scan(t, "slates_round", 64)...)
	second := s.deliver(scan(t, "jetty_plank", 64)...)
	set := d["sets"].([]any)[0].(map[string]any)
	material, other := set["material_id"], second["sets"].([]any)[0].(map[string]any)["material_id"]
	at := fmt.Sprintf("/api/v1/materials/%v", material)
	released := s.json(admin, "POST", at+"/releases", map[string]any{"notes": "x"}, 201)
	version := s.json(admin, "GET", fmt.Sprintf("/api/v1/materials/%v", other), nil, 200)["version"]
	s.json(admin, "POST", "/api/v1/requests", map[string]any{"kind": "material", "title": "Wet slate"}, 201)
	s.json(admin, "POST", "/api/v1/collections", map[string]any{"name": "Quay", "items": []any{material}}, 201)
	s.json(admin, "POST", "/api/v1/rules", map[string]any{"station": "", "ending": "hgt", "channel": "height"}, 201)
	s.json(admin, "POST", "/api/v1/searches", map[string]any{"name": "Slates", "address": "q=slate"}, 201)
	s.take(int64(released["id"].(float64)), "")
	doc := s.json("", "GET", "/api/v1/openapi.json", nil, 200)
	all := schemas(doc["components"].(map[string]any)["schemas"].(map[string]any))
	manifest := s.json(admin, "GET", fmt.Sprintf("/api/v1/releases/%v/manifest?wait=25", released["id"]), nil, 200)
	file := manifest["files"].([]any)[0].(map[string]any)["path"].(string)

	seen := []any{map[string]any{"id": other, "version": version}}
	bodies := map[string]any{
		"addRequest": nil, "ask": map[string]any{"kind": "material", "title": "Dry slate"},
		"answerRequest": map[string]any{"text": "Soon."}, "changeMany": map[string]any{"materials": seen, "change": map[string]any{"add_tags": []string{"wet"}}},
		"addCollection": map[string]any{"name": "Mill"}, "star": map[string]any{"material": material, "on": true},
		"saveWebhooks": map[string]any{"webhooks": []any{}}, "changeMaterial": map[string]any{"author": "A. Gull"},
		"correctRelease": map[string]any{"author": "A. Gull"}, "setReleaseState": map[string]any{"state": "approved"},
	}
	queries := map[string]string{"/api/v1/figures": "?text=2m&kind=length", "/api/v1/packs": fmt.Sprintf("?of=r%v", released["id"]), "/api/v1/events": "", "/api/v1/takings": "?per=1"}
	ids := map[string]any{"deliveries": d["id"], "materials": material, "maps": set["maps"].([]any)[0].(map[string]any)["id"], "releases": released["id"], "profiles": "as_scanned",
		"requests": 1, "collections": 1, "rules": 1, "searches": 1}
	type request struct{ method, path, template string }
	var list []request
	for template, methods := range doc["paths"].(map[string]any) {
		for method := range methods.(map[string]any) {
			path := template
			parts := strings.Split(template, "/")
			for i, p := range parts {
				if !strings.HasPrefix(p, "{") {
					continue
				}
				id, ok := ids[parts[i-1]]
				switch {
				case p == "{path}":
					id = file
				case p == "{map}":
					id = ids["maps"]
				case !ok:
					id = 1
				}
				parts[i] = fmt.Sprint(id)
			}
			path = strings.Join(parts, "/") + queries[template]
			list = append(list, request{strings.ToUpper(method), path, template})
		}
	}
	order := []string{"HEAD", "GET", "POST", "PUT", "PATCH", "DELETE"}
	slices.SortFunc(list, func(a, b request) int {
		return cmp.Or(slices.Index(order, a.method)-slices.Index(order, b.method), strings.Compare(a.template, b.template))
	})
	gone := []string{"/api/v1/trials/{key}/{n}", "/api/v1/requests/{id}/picture.jpg", "/api/v1/materials/{id}/picture.exr"} // nothing is there, or is asked for elsewhere
	succeeded := 0
	for _, r := range list {
		if r.template == "/api/v1/events" { // it does not end
			continue
		}
		op := doc["paths"].(map[string]any)[r.template].(map[string]any)[strings.ToLower(r.method)].(map[string]any)
		id, _ := op["operationId"].(string)
		body := "{}"
		if b, ok := bodies[id]; ok {
			text, err := json.Marshal(b)
			if err != nil {
				t.Fatal(err)
			}
			body = string(text)
		}
		name := r.method + " " + r.template
		resp, data := s.ask(admin, r.method, r.path, strings.NewReader(body), "Content-Type", "application/json")
		if resp.StatusCode >= 500 {
			t.Errorf("%s: %d %s", name, resp.StatusCode, data)
			continue
		}
		if resp.StatusCode < 400 {
			succeeded++
		} else if r.method == "GET" && !slices.Contains(gone, r.template) {
			t.Errorf("%s at %s: %d %s", name, r.path, resp.StatusCode, data)
		}
		if r.method == "HEAD" || strings.HasPrefix(r.template, "/api/v1/uploads") {
			continue // another protocol
		}
		responses := op["responses"].(map[string]any)
		answer, ok := responses[fmt.Sprint(resp.StatusCode)].(map[string]any)
		if !ok && resp.StatusCode < 400 {
			t.Errorf("%s: the status %d is not documented", name, resp.StatusCode)
			continue
		}
		var schema map[string]any
		if content, ok := answer["content"].(map[string]any); ok {
			if k, ok := content["application/json"].(map[string]any); ok {
				schema, _ = k["schema"].(map[string]any)
			}
		}
		if resp.StatusCode >= 400 {
			if kind := resp.Header.Get("Content-Type"); kind != "application/problem+json" {
				t.Errorf("%s: %d as %s", name, resp.StatusCode, kind)
			}
			schema = map[string]any{"$ref": "#/components/schemas/Problem"}
		}
		if !strings.Contains(resp.Header.Get("Content-Type"), "json") {
			if schema != nil && resp.StatusCode != http.StatusNoContent {
				t.Errorf("%s: %s, where the document has JSON", name, resp.Header.Get("Content-Type"))
			}
			continue
		}
		var v any
		if err := json.Unmarshal(data, &v); err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if schema == nil {
			t.Errorf("%s: %d answers JSON that the document does not describe", name, resp.StatusCode)
			continue
		}
		for i, says := range all.check("", schema, v) {
			if i < 6 {
				t.Errorf("%s: %d: %s", name, resp.StatusCode, says)
			}
		}
	}
	t.Logf("%d of %d requests succeeded", succeeded, len(list))
	if succeeded < 60 {
		t.Errorf("only %d requests succeeded", succeeded)
	}
}

// Every choice and figure by which the Library can be searched is in the API's document: others are refused.
func TestAllSearchesAreDocumented(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	for _, f := range search.Facets() {
		for _, name := range []string{string(f), "not_" + string(f)} {
			s.json(people.Artist, "GET", "/api/v1/library?"+name+"=x", nil, 200)
		}
	}
	for _, m := range search.Measures() {
		s.json(people.Artist, "GET", "/api/v1/library?"+string(m)+"=1..2", nil, 200)
	}
}
