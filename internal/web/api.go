package web

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"strconv"

	"aldermoor/internal/library"
	"aldermoor/internal/library/releases"

	"github.com/labstack/echo/v5"
)

func idOf(c *echo.Context, name string) (int64, error) {
	id, err := strconv.ParseInt(c.Param(name), 10, 64)
	if err != nil || id <= 0 {
		return 0, library.ErrNotFound
	}
	return id, nil
}

func (s *Server) openAPI(c *echo.Context) error {
	data, err := files.ReadFile("openapi.json")
	if err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "application/json", data)
}

func pageOf(c *echo.Context) int {
	n, _ := strconv.Atoi(c.QueryParam("page"))
	return max(1, min(n, 10_000))
}

func readJSON(c *echo.Context, to any) error {
	d := json.NewDecoder(c.Request().Body)
	d.DisallowUnknownFields()
	err := d.Decode(to)
	if err == nil {
		if _, more := d.Token(); more != io.EOF {
			err = errors.New("something follows the document")
		}
	}
	var invalid library.Invalid
	if errors.As(err, &invalid) {
		return invalid
	}
	if long := overlong(err); long != nil {
		return long
	}
	if err != nil {
		return refuse(http.StatusBadRequest, fmt.Sprintf("The request is not JSON as expected: %v.", err))
	}
	return nil
}

func number(c *echo.Context, name string, missing float64) (float64, error) {
	return figureOf(name, c.QueryParam(name), missing)
}

// figureOf is a parameter that is a figure.
func figureOf(name, text string, missing float64) (float64, error) {
	if text == "" {
		return missing, nil
	}
	v, err := strconv.ParseFloat(text, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, library.Invalid(fmt.Sprintf("%s must be a figure; %q is not.", name, text))
	}
	return v, nil
}

// whole is a query parameter that is a whole number between minus and plus a thousand
// million, so that nothing computed from it overflows.
func whole(c *echo.Context, name string, missing int) (int, error) {
	v, err := number(c, name, float64(missing))
	if err == nil && (v != math.Trunc(v) || math.Abs(v) > 1e9) {
		err = library.Invalid(fmt.Sprintf("%s must be a whole number; %q is not, or is far too large.", name, c.QueryParam(name)))
	}
	if err != nil {
		return 0, err
	}
	return int(v), nil
}

func (s *Server) apiLibrary(c *echo.Context) error {
	q, err := s.queryOf(c)
	if err != nil {
		return err
	}
	l, err := listingOf(c, 60)
	if err != nil {
		return err
	}
	q.Page, q.Per, q.From = l.page, min(l.per, mostCardsAnswered), 0
	if q.Changed, err = since(c); err != nil {
		return err
	}
	if _, err := s.within(c.Request().Context(), me(c), c.QueryParam(collectionParam), &q); err != nil {
		return err
	}
	f, err := s.Studio.Search.Find(c.Request().Context(), me(c), q)
	if err != nil {
		return err
	}
	items := apiCards(f.Items)
	if l.page > f.Pages { // beyond the end there is nothing
		items = []apiCard{}
	}
	return c.JSON(http.StatusOK, map[string]any{"total": f.Total, "items": items, "facets": f.Facets, "more": f.More, "words": append([]string{}, f.Words...),
		"page": l.page, "pages": f.Pages, "cursor": (listing{l.page, q.Per}).next(f.Total)})
}

// apiCard is a card as the API has it.
type apiCard struct {
	releases.Card
	Href string `json:"href"`
}

func apiCards(list []releases.Card) []apiCard {
	items := []apiCard{}
	for _, k := range list {
		k.Tiers, k.Tags, k.Categories, k.Channels = listed(k.Tiers), listed(k.Tags), listed(k.Categories), listed(k.Channels)
		items = append(items, apiCard{k, fmt.Sprintf("/api/v1/releases/%d", k.ReleaseID)})
	}
	return items
}
