package web

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"aldermoor/internal/library"

	"github.com/labstack/echo/v5"
)

// Lists of the API: each takes per (1 to 500) and the cursor of its last answer, or page, and beyond its end is empty.

// mostPer is how many items one answer holds at most.
const mostPer = 500

// mostCardsAnswered is how many cards of the Library one answer holds at most.
const mostCardsAnswered = 200

// since is the moment of changed_since; zero if it is not asked for.
func since(c *echo.Context) (t time.Time, err error) {
	text := c.QueryParam("changed_since")
	if text == "" {
		return t, nil
	}
	if t, err = time.Parse(time.RFC3339, text); err != nil {
		return t, library.Invalid(fmt.Sprintf("changed_since is a moment such as 2026-03-04T09:00:00Z; %q is not.", text))
	}
	return t, nil
}

// listing is the part of a list that is asked for: its page (from 1) of so many items.
type listing struct{ page, per int }

// listingOf is what a request asks for of a list; per unless it says otherwise.
func listingOf(c *echo.Context, per int) (l listing, err error) {
	l = listing{1, per}
	if text := c.QueryParam("per"); text != "" {
		if l.per, err = strconv.Atoi(text); err != nil || l.per < 1 || l.per > mostPer {
			return l, library.Invalid(fmt.Sprintf("per is how many items an answer holds: 1 to %d, not %q.", mostPer, text))
		}
	}
	if text := c.QueryParam("page"); text != "" {
		if l.page, err = strconv.Atoi(text); err != nil || l.page < 1 || l.page > 1_000_000 {
			return l, library.Invalid(fmt.Sprintf("page is a whole number from 1; %q is not.", text))
		}
	}
	if text := c.QueryParam("cursor"); text != "" {
		page, per, ok := strings.Cut(text, "-")
		p, err1 := strconv.Atoi(page)
		n, err2 := strconv.Atoi(per)
		if !ok || err1 != nil || err2 != nil || p < 1 || p > 1_000_000 || n < 1 || n > mostPer {
			return l, library.Invalid(fmt.Sprintf("The cursor %q is not one of this list's.", text))
		}
		l = listing{p, n}
	}
	return l, nil
}

// next is the cursor of the page behind this one; "" at the end.
func (l listing) next(total int) string {
	if l.page*l.per >= total {
		return ""
	}
	return l.following()
}

// following is the cursor of the page behind this one, if there is one.
func (l listing) following() string { return fmt.Sprintf("%d-%d", l.page+1, l.per) }

// portion is the part of a whole list.
func portion[T any](l listing, all []T) []T {
	from := min((l.page-1)*l.per, len(all))
	return all[from:min(from+l.per, len(all))]
}

// answerAll answers with the part of a whole list that a request asks for.
func answerAll[T any](c *echo.Context, all []T) error {
	l, err := listingOf(c, mostPer)
	if err != nil {
		return err
	}
	items := []T{}
	items = append(items, portion(l, all)...)
	return answerPage(c, l, items, len(all))
}

// answerPage answers with a page of a list of total items.
func answerPage[T any](c *echo.Context, l listing, items []T, total int) error {
	if items == nil {
		items = []T{}
	}
	return c.JSON(http.StatusOK, map[string]any{"total": total, "items": items, "cursor": l.next(total)})
}

// cursor is what a request asks for of a list that grows at its head: how many items, and below which number; 0 for
// the latest.
func cursor(c *echo.Context) (per int, before int64, err error) {
	l, err := listingOf(c, 100)
	if err == nil || c.QueryParam("cursor") == "" {
		return l.per, 0, err
	}
	if before, err = strconv.ParseInt(c.QueryParam("cursor"), 10, 64); err != nil || before < 1 {
		return 0, 0, library.Invalid(fmt.Sprintf("The cursor %q is not one of this list's.", c.QueryParam("cursor")))
	}
	return l.per, before, nil
}

// at is a moment as RFC 3339 in UTC; "" for never.
func at(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.UTC().Format(time.RFC3339)
}

// listed is a list that is an empty one rather than none: a JSON array is never null.
func listed[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}
