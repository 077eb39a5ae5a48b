package web

import (
	"net/url"
	"strconv"

	"github.com/labstack/echo/v5"
)

// Lists in pages, each of which has its address.

// pages are the links of a list in pages; both empty for one page.
type pages struct {
	Previous, Next string
	From, To       int
}

// with is the address of a list with one parameter changed; an empty value takes it out.
func with(c *echo.Context, name, value string) string {
	v := url.Values{}
	for k, list := range c.QueryParams() {
		if k != "page" && len(list) > 0 && list[0] != "" {
			v.Set(k, list[0])
		}
	}
	if v.Set(name, value); value == "" {
		v.Del(name)
	}
	if len(v) == 0 {
		return c.Request().URL.Path
	}
	return c.Request().URL.Path + "?" + v.Encode()
}

// pagesOf are the links to the pages before and after one.
func pagesOf(c *echo.Context, page, per, total int) (p pages) {
	p.From, p.To = (page-1)*per+1, min(page*per, total)
	if page > 1 {
		p.Previous = with(c, "page", map[bool]string{true: strconv.Itoa(page - 1)}[page > 2])
	}
	if p.To < total {
		p.Next = with(c, "page", strconv.Itoa(page+1))
	}
	return p
}
