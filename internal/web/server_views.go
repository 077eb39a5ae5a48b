package web

import (
	"fmt"
	"net/url"
	"strings"
	"time"

	"aldermoor/core/scale"

	"github.com/labstack/echo/v5"
)

// This file has the words in which pages say what the library knows. Templates only show.

// tone is a state colour; it always comes with a word.
type tone string

const (
	calm  tone = ""
	good  tone = "good"
	doubt tone = "doubt"
	stop  tone = "stop"
)

func count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// metres is a length without its unit, for the first of a pair.
func metres(m float64) string { return strings.TrimSuffix(scale.Metres(m), "\u00a0m") }

func sourceWord(s scale.Source) string {
	return map[scale.Source]string{scale.FromSidecar: "sidecar", scale.FromTag: "tag", scale.FromName: "name", scale.FromText: "text", scale.FromModule: "module", scale.FromMeasure: "measured", scale.FromPerson: "typed", scale.FromStation: "usual"}[s]
}

func sourceSentence(s scale.Source) string {
	return map[scale.Source]string{scale.FromSidecar: "the sidecar file", scale.FromTag: "the file's resolution tag", scale.FromName: "its name", scale.FromText: "a description in the file", scale.FromModule: "a step of its pattern", scale.FromMeasure: "what was measured on it", scale.FromStation: "what its station usually scans", scale.FromPerson: "what was typed"}[s]
}

func dateWord(s string) string {
	if t, err := time.Parse("2006-01-02", s); err == nil {
		return t.Format("2 January 2006")
	}
	return s
}

// sizeWord is a tier's name where a picture is of that size, else its pixels.
func sizeWord(w, h int) string {
	if n := max(w, h); n >= 1024 && n%1024 == 0 {
		return fmt.Sprintf("%dK", n/1024)
	}
	return fmt.Sprintf("%d × %d", w, h)
}

// here is the time now in the reader's zone, which pages note in a cookie; in the server's for those
// without it.
func here(c *echo.Context) time.Time {
	if k, err := c.Request().Cookie("zone"); err == nil {
		if name, err := url.QueryUnescape(k.Value); err == nil && len(name) < 64 {
			if zone, err := time.LoadLocation(name); err == nil {
				return time.Now().In(zone)
			}
		}
	}
	return time.Now()
}

// day is a date in the zone of now.
func day(t, now time.Time) string { return t.In(now.Location()).Format("2 January 2006") }

// ago says when something was, as seen now and in now's zone.
func ago(t, now time.Time) string {
	t = t.In(now.Location())
	switch d := now.Sub(t); {
	case d < time.Minute:
		return "just now"
	case d < time.Hour:
		return count(int(d.Minutes()), "minute") + " ago"
	case d < 24*time.Hour && t.Day() == now.Day():
		return "today, " + t.Format("15:04")
	case t.Year() == now.Year():
		return t.Format("2 January")
	}
	return t.Format("2 January 2006")
}
