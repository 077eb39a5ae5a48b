package web

import (
	"cmp"
	"fmt"
	"net/http"
	"strings"

	"aldermoor/core/handoff"
	"aldermoor/core/inspect"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/search"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

// standardsPage is what the lead decides for all materials.
type standardsPage struct {
	frame
	Lead      bool
	Version   int64
	Densities []materials.DensityClass
	Cameras   []cameraRow
	Checks    []checkRow
	Reviewed  bool   // only a lead releases
	Synonyms  string // a group a line
	Words     int64  // version of the synonyms

	Trade   search.Thesaurus // with the text that counts
	TradeOf int64            // its version

	Form     releases.Convention // the studio's
	FormSays string
	Profiles []releases.Profile
	Tiers    []choice
}

type cameraRow struct {
	Name, Says string
	materials.Camera
}

type checkRow struct {
	Code string
	wording.Check
	Chosen  inspect.Severity
	Changed bool
}

// cameraSays is a camera in words.
func cameraSays(c materials.Camera) string {
	lens := fmt.Sprintf("over %.3g°", c.AngleDeg)
	if c.FocalMM > 0 && c.SensorMM > 0 {
		lens = fmt.Sprintf("through %.3g mm on a sensor %.3g mm high", c.FocalMM, c.SensorMM)
	}
	return fmt.Sprintf("%.3g m away, %d lines %s", c.Distance, c.Lines, lens)
}

func (s *Server) standards(c *echo.Context) error {
	st, version, err := s.Studio.Materials.Standards(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	p := standardsPage{frame: s.frame(c, "Standards"), Version: version, Lead: leads(c), Densities: st.Densities, Reviewed: st.Reviewed}
	words, of, err := s.Studio.Search.Synonyms(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	p.Synonyms, p.Words = words.String(), of
	if p.Trade, p.TradeOf, err = s.Studio.Search.Thesaurus(c.Request().Context(), me(c)); err != nil {
		return err
	}
	p.Trade.Text = cmp.Or(strings.TrimSpace(p.Trade.Text), search.ShippedThesaurus())
	if _, p.Form, err = s.Studio.Releases.Conventions(c.Request().Context(), me(c)); err != nil {
		return err
	}
	if p.Profiles, err = s.Studio.Releases.Profiles(c.Request().Context(), me(c)); err != nil {
		return err
	}
	p.Form.Profile, p.Form.Tier = cmp.Or(p.Form.Profile, handoff.Scanned), cmp.Or(p.Form.Tier, "source")
	for _, t := range []string{"1k", "2k", "4k", "8k", "source"} {
		label := strings.ToUpper(t)
		if t == "source" {
			label = "Source"
		}
		p.Tiers = append(p.Tiers, choice{Label: label, Href: t, On: t == p.Form.Tier})
		if t == p.Form.Tier {
			p.FormSays = label
		}
	}
	for _, k := range p.Profiles {
		if k.ID == p.Form.Profile {
			p.FormSays = k.Document.Name + ", " + p.FormSays
		}
	}
	for _, k := range st.Cameras {
		p.Cameras = append(p.Cameras, cameraRow{k.Name, cameraSays(k), k})
	}
	for _, k := range inspect.Kinds() {
		row := checkRow{Code: k.Code, Check: wording.CheckOf(k.Code), Chosen: k.Severity}
		if sev, ok := st.Severities[k.Code]; ok {
			row.Chosen, row.Changed = sev, sev != k.Severity
		}
		p.Checks = append(p.Checks, row)
	}
	return s.render(c, http.StatusOK, "standards", p)
}

// leads says whether somebody may decide for the studio.
func leads(c *echo.Context) bool { return me(c).May(people.Decide) }

func (s *Server) apiStandards(c *echo.Context) error {
	st, version, err := s.Studio.Materials.Standards(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	c.Response().Header().Set("ETag", etag(version))
	return c.JSON(http.StatusOK, withoutNulls(st))
}

// withoutNulls has empty lists for those that are missing.
func withoutNulls(st materials.Standards) materials.Standards {
	if st.Densities == nil {
		st.Densities = []materials.DensityClass{}
	}
	if st.Cameras == nil {
		st.Cameras = []materials.Camera{}
	}
	if st.Severities == nil {
		st.Severities = map[string]inspect.Severity{}
	}
	return st
}

func (s *Server) apiSaveStandards(c *echo.Context) error {
	version, _, err := versionNamed(c)
	if err != nil {
		return err
	}
	var in materials.Standards
	if err := readJSON(c, &in); err != nil {
		return err
	}
	st, version, err := s.Studio.Materials.SaveStandards(c.Request().Context(), me(c), version, in)
	if err != nil {
		return err
	}
	c.Response().Header().Set("ETag", etag(version))
	return c.JSON(http.StatusOK, withoutNulls(st))
}

// synonymsBody is the list of synonyms as the API has it.
type synonymsBody struct {
	Groups search.Synonyms `json:"groups"`
}

func (s *Server) apiSynonyms(c *echo.Context) error {
	list, version, err := s.Studio.Search.Synonyms(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	c.Response().Header().Set("ETag", etag(version))
	return c.JSON(http.StatusOK, synonymsBody{listed(list)})
}

func (s *Server) apiSaveSynonyms(c *echo.Context) error {
	version, _, err := versionNamed(c)
	if err != nil {
		return err
	}
	var in synonymsBody
	if err := readJSON(c, &in); err != nil {
		return err
	}
	if version, err = s.Studio.Search.SaveSynonyms(c.Request().Context(), me(c), version, in.Groups); err != nil {
		return err
	}
	c.Response().Header().Set("ETag", etag(version))
	return c.JSON(http.StatusOK, synonymsBody{listed(in.Groups)})
}

func (s *Server) apiThesaurus(c *echo.Context) error {
	t, version, err := s.Studio.Search.Thesaurus(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	c.Response().Header().Set("ETag", etag(version))
	return c.JSON(http.StatusOK, t)
}

func (s *Server) apiSaveThesaurus(c *echo.Context) error {
	version, _, err := versionNamed(c)
	if err != nil {
		return err
	}
	var in search.Thesaurus
	if err := readJSON(c, &in); err != nil {
		return err
	}
	if _, err = s.Studio.Search.SaveThesaurus(c.Request().Context(), me(c), version, in); err != nil {
		return err
	}
	return s.apiThesaurus(c)
}
