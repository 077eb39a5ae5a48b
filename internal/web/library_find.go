package web

import (
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"aldermoor/core/colour"
	"aldermoor/core/likeness"
	"aldermoor/internal/library"
	"aldermoor/internal/library/search"

	"github.com/labstack/echo/v5"
)

// This file reads what is searched for from an address, and writes addresses that search for something else.

// queryOf reads a search from an address.
func (s *Server) queryOf(c *echo.Context) (search.Query, error) {
	return s.query(c.QueryParams(), pageOf(c))
}

// query reads a search from an address' parameters. Those of a form without script are brought
// into the form that links have.
func (s *Server) query(v url.Values, page int) (search.Query, error) {
	for _, m := range measures { // as a form without script sends them
		least, most := v.Get(string(m.of)), v.Get(string(m.of)+"_most")
		if !v.Has(string(m.of)+"_most") || strings.Contains(least, "..") {
			continue
		}
		if m.of == search.Released {
			least, most = seconds(least, false), seconds(most, true)
		}
		r, err := search.ParseRange(m.title, least+".."+most)
		if err != nil {
			return search.Query{}, err
		}
		r.Least, r.Most = r.Least*m.factor, r.Most*m.factor
		v.Del(string(m.of) + "_most")
		if v.Del(string(m.of)); r != (search.Range{}) {
			v.Set(string(m.of), r.Text())
		}
	}
	return s.Studio.Search.Parse(v, page)
}

// seconds is a day as seconds since 1970, its end or its beginning; other text as it is.
func seconds(day string, end bool) string {
	t, err := time.Parse(time.DateOnly, day)
	if err != nil {
		return day
	}
	if end {
		t = t.AddDate(0, 0, 1).Add(-time.Second)
	}
	return strconv.FormatInt(t.Unix(), 10)
}

// libraryWith is the Library's address with one parameter changed, or left out if the value
// is empty; it starts at the first page.
func libraryWith(now url.Values, key, value string) string {
	v := maps.Clone(now)
	v.Del("page")
	v.Del(key)
	if value != "" {
		v.Set(key, value)
	}
	return libraryAt(v)
}

// libraryToggled is the Library's address with one value of a parameter added, or taken away if it is
// there. In the other direction (with or without) the value is no longer asked for.
func libraryToggled(now url.Values, key, value string) string {
	v := maps.Clone(now)
	v.Del("page")
	other := search.NotPrefix + key
	if plain, ok := strings.CutPrefix(key, search.NotPrefix); ok {
		other = plain
	}
	without := func(list []string) []string {
		return slices.DeleteFunc(slices.Clone(list), func(x string) bool { return x == value })
	}
	was := v[key]
	v[key], v[other] = without(was), without(v[other])
	if len(v[key]) == len(was) {
		v[key] = append(v[key], value)
	}
	return libraryAt(v)
}

func libraryAt(v url.Values) string {
	for k, list := range v {
		if len(list) == 0 {
			delete(v, k)
		}
	}
	if len(v) == 0 {
		return "/library"
	}
	return "/library?" + v.Encode()
}

// apiLook describes the look of a picture, for a search by it: the body is the picture, width_m its width
// if that is known.
func (s *Server) apiLook(c *echo.Context) error {
	width, err := number(c, "width_m", 0)
	if err != nil {
		return err
	}
	if width < 0 || width > 1000 {
		return library.Invalid("width_m is a length in metres, up to 1000.")
	}
	rgb, err := s.Studio.Pictures.Dropped(c.Request().Context(), me(c), c.QueryParam("name"), c.Request().Body)
	if err != nil {
		return err
	}
	v := url.Values{}
	if width == 0 {
		width = 1
		v.Set(search.SizesParam, "1")
	}
	text, err := likeness.LookOf(rgb, width).MarshalText()
	if err != nil {
		return err
	}
	v.Set(search.LookParam, string(text))
	out := map[string]any{"page": "/library?" + v.Encode(), "palette": hexes(likeness.PaletteOf(rgb))}
	if c.Request().URL.Path == likePath { // what it looks like, at once
		q, err := s.query(v, 1)
		if err != nil {
			return err
		}
		f, err := s.Studio.Search.Find(c.Request().Context(), me(c), q)
		if err != nil {
			return err
		}
		out["total"], out["items"] = f.Total, apiCards(f.Items)
	}
	return c.JSON(http.StatusOK, out)
}

// likePath is where the API takes a picture and answers with what looks like it.
const likePath = "/api/v1/library/like"

// hexes are the colours of a palette as addresses have them.
func hexes(list []likeness.Tone) []string {
	out := []string{}
	for _, t := range list {
		out = append(out, fmt.Sprintf("%s:%d", strings.TrimPrefix(colour.HexOf(t.Color), "#"), int(t.Share*100+0.5)))
	}
	return out
}
