package web

import (
	"fmt"
	"net/http"

	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/search"

	"github.com/labstack/echo/v5"
)

// This file keeps the words that materials are filed under: the tree of categories, and tags.

type wordsPage struct {
	frame
	Lead       bool
	Categories []wordRow
	Tags       []wordRow
}

type wordRow struct {
	Word  string // the whole path of a category
	Label string
	Depth int
	N     int
	Href  string
}

func (s *Server) words(c *echo.Context) error {
	p := wordsPage{frame: s.frame(c, "Categories and tags"), Lead: leads(c)}
	for _, k := range []struct {
		of search.Facet
		to *[]wordRow
	}{{search.ByCategory, &p.Categories}, {search.ByTag, &p.Tags}} {
		list, err := s.Studio.Search.Words(c.Request().Context(), me(c), k.of)
		if err != nil {
			return err
		}
		for _, w := range list {
			row := wordRow{Word: w.Value, Label: w.Value, N: w.N, Href: libraryAt(map[string][]string{string(k.of): {w.Value}})}
			if k.of == search.ByCategory {
				row.Label, row.Depth = leaf(w.Value)
			}
			*k.to = append(*k.to, row)
		}
	}
	return s.render(c, http.StatusOK, "words", p)
}

// apiRenameWord renames, moves or merges a tag or category everywhere.
func (s *Server) apiRenameWord(c *echo.Context) error {
	var in struct{ Kind, From, To string }
	if err := readJSON(c, &in); err != nil {
		return err
	}
	done, err := s.Studio.Releases.RenameWord(c.Request().Context(), me(c), releases.WordKind(in.Kind), in.From, in.To)
	if err != nil {
		return err
	}
	says := fmt.Sprintf("%s is called %s now, on %d materials.", in.From, in.To, done.Materials)
	if done.Merged {
		says = fmt.Sprintf("%s was merged into %s, on %d materials.", in.From, in.To, done.Materials)
	}
	return c.JSON(http.StatusOK, map[string]any{"materials": done.Materials, "merged": done.Merged, "was": done.Was, "says": says})
}
