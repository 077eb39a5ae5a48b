package web

import (
	"bytes"
	"fmt"
	"html/template"
	"net/http"
	"path"
	"regexp"
	"slices"
	"strings"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/pictures"
	"aldermoor/internal/library/studio"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

// loadPages parses one template set a page: the layout, all partials, the page.
func (s *Server) loadPages() error {
	s.pages = map[string]*template.Template{}
	names, err := files.ReadDir("templates/pages")
	if err != nil {
		return err
	}
	funcs := template.FuncMap{
		"static": func(name string) string { return "/static/" + s.version + "/" + name },
		"icon":   icon,
		"per":    func(v, k float64) float64 { return v * k },
		"shot":   shot,
	}
	for _, f := range names {
		name := strings.TrimSuffix(f.Name(), ".html")
		modules, err := scriptsOf("js/page/" + name + ".js")
		if err != nil {
			return fmt.Errorf("page %s: %w", name, err)
		}
		// Named in the head, modules are fetched side by side, not one import after another.
		funcs["script"] = func() string { return modules[0] }
		funcs["modules"] = func() []string { return modules[1:] }
		funcs["meanings"] = func() []wording.Meaning { return wording.Meanings(name) }
		t, err := template.New("layout.html").Funcs(funcs).ParseFS(files, "templates/layout.html", "templates/partials/*.html", "templates/pages/"+f.Name())
		if err != nil {
			return fmt.Errorf("page %s: %w", name, err)
		}
		s.pages[name] = t
	}
	s.litModules, err = scriptsOf("js/lit/stage.js", "js/lit/packs.js")
	return err
}

// shot is the address of a small picture of a material or a release: a swatch, or a ball, which has no extent.
func shot(of string, id int64, ball bool, extent any, px int, look string) string {
	if ball {
		return fmt.Sprintf("/api/v1/%s/%d/ball.png?px=%d&v=%s", of, id, max(px, pictures.BallPx), look)
	}
	return fmt.Sprintf("/api/v1/%s/%d/swatch.jpg?extent_m=%v&px=%d&v=%s", of, id, extent, px, look)
}

var importFrom = regexp.MustCompile(`(?m)^import .*["']((?:\.{1,2}/)+(?:vendor/)?[\w.-]+\.js)["']`)

// scriptsOf are modules and all that they import, by their addresses below static.
func scriptsOf(names ...string) (modules []string, err error) {
	for todo := names; len(todo) > 0; {
		name := todo[0]
		if todo = todo[1:]; slices.Contains(modules, name) {
			continue
		}
		modules = append(modules, name)
		text, err := files.ReadFile("static/" + name)
		if err != nil {
			return nil, err
		}
		text = text[:min(len(text), 64<<10)] // imports stand at the top
		for _, m := range importFrom.FindAllSubmatch(text, -1) {
			todo = append(todo, path.Join(path.Dir(name), string(m[1])))
		}
	}
	return modules, nil
}

// icon is one of the shipped line icons, drawn in the colour of the text.
func icon(name string) (template.HTML, error) {
	data, err := files.ReadFile(path.Join("static/icons", name+".svg"))
	return template.HTML(data), err
}

// render shows a page, or only some parts of it: the header X-Part names templates,
// separated by commas. Each part is answered as a template element with its name.
func (s *Server) render(c *echo.Context, status int, page string, data any) error {
	var b bytes.Buffer
	show := func(name string) error {
		if err := s.pages[page].ExecuteTemplate(&b, name, data); err != nil {
			return fmt.Errorf("show page %s: %w", page, err)
		}
		return nil
	}
	wanted := partsOf(c.Request())
	if wanted == nil {
		if err := show("layout.html"); err != nil {
			return err
		}
		return s.answer(c, status, b.Bytes())
	}
	var all []byte
	for _, name := range wanted {
		if s.pages[page].Lookup(name) == nil {
			return refuse(http.StatusBadRequest, "This page has no such part.")
		}
		b.Reset()
		if err := show(name); err != nil {
			return err
		}
		all = append(all, asPart(name, b.Bytes())...)
	}
	return s.answer(c, status, all)
}

// asPart wraps a part of a page, so that one answer can carry several.
func asPart(name string, html []byte) []byte {
	return fmt.Appendf(nil, "<template data-part=\"%s\">%s</template>\n", template.HTMLEscapeString(name), html)
}

// answer sends a page or a part of one.
func (s *Server) answer(c *echo.Context, status int, html []byte) error {
	c.Response().Header().Set("Cache-Control", "private, no-store")
	c.Response().Header().Add("Vary", "X-Part")
	return c.HTMLBlob(status, html)
}

// frame is what the layout needs.
type frame struct {
	Title  string
	Places []placeLink       // in the bar
	Within []placeLink       // the pages of the place that one is in
	User   *people.Principal // nil if nobody is signed in
	Staff  bool
	Admin  bool
	Demo   bool
	Counts studio.Counts
	Jobs   string         // how many are left, in words
	Zone   *time.Location // the reader's
	Room   string         // dark or light if somebody switched it, else as the system has it
	Text   string         // in the search field
	News   int            // notices that were not seen
	Event  int64          // the last event before the page was drawn
	Early  string         // a picture to be fetched before anything else; empty for none
	Ahead  ahead
	// Sentence says that the page has a sentence in the light weight of the headings' type.
	Sentence bool
}

// ahead is what a page fetches while its scripts still load, because they will ask for it.
type ahead struct{ Modules, Data []string }

// litAhead has a page that opens with the Lit lens fetch what that draws its first picture from.
func (s *Server) litAhead(c *echo.Context, f *frame, v *litView) {
	if c.QueryParam("lens") != "lit" {
		return
	}
	light := c.QueryParam("env")
	if !slices.ContainsFunc(v.Lights, func(l pictures.Offered) bool { return l.ID == light }) {
		light = "moor"
	}
	f.Ahead = ahead{s.litModules, []string{v.Surface + "&px=256", "/light/" + light + "/light.bin", "/light/tables.bin?v=tables-1"}}
}

func (s *Server) frame(c *echo.Context, title string) frame {
	p := me(c)
	f := frame{Title: title, Staff: p.May(people.SeeDrafts), Admin: p.May(people.Administer), Demo: s.Demo, Zone: here(c).Location()}
	if p.Name != "" {
		f.User = &p
		f.Places, f.Within = where(p, c.Path())
		f.Event, _ = c.Get("event").(int64)
		f.Counts, _ = s.Studio.Counts(c.Request().Context())
		f.News, _ = s.Studio.Notices.Unseen(c.Request().Context(), p)
		f.Jobs = wording.JobsLeft(f.Counts.Jobs, f.Counts.Left)
	}
	if k, err := c.Request().Cookie("room"); err == nil && (k.Value == "dark" || k.Value == "light") {
		f.Room = k.Value
	}
	return f
}

type errorPage struct {
	frame
	Status int
	Says   string
}

// mapPicture is a thumbnail of one map of a draft.
func (s *Server) mapPicture(c *echo.Context) error { return s.showMap(c, false) }

// mapExact is the map as it is, for the Flat lens.
func (s *Server) mapExact(c *echo.Context) error { return s.showMap(c, true) }

func (s *Server) showMap(c *echo.Context, exact bool) error {
	p, err := s.mapOf(c)
	if err != nil {
		return err
	}
	return s.sendMap(c, p, exact)
}

// mapLook changes with whatever a map's pictures show: those of one look are kept for ever.
func mapLook(p *materials.Map) string {
	if p.Blob == "" {
		return ""
	}
	return fmt.Sprintf("%s-%x-%s-%s-%s", p.Blob[:16], p.Layer, p.Component, p.Channel, p.Reading())
}

func (s *Server) sendMap(c *echo.Context, p *materials.Map, exact bool) error {
	px, err := whole(c, "px", 128)
	if err != nil {
		return err
	}
	if p.Blob == "" {
		return library.ErrNotFound
	}
	key := fmt.Sprintf("%s-%d-%v", mapLook(p), px, exact)
	kind := "image/jpeg"
	if exact {
		kind = "image/png"
	}
	return s.picture(c, key, kind, func() ([]byte, error) { return s.Studio.Pictures.MapPicture(c.Request().Context(), p, px, exact) })
}
