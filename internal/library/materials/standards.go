package materials

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"aldermoor/core/inspect"
	"aldermoor/core/scale"
	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
	"aldermoor/internal/wording"
)

// Standards are what the lead has decided for all materials.
type Standards struct {
	Densities  []DensityClass              `json:"densities"`
	Cameras    []Camera                    `json:"cameras"`
	Severities map[string]inspect.Severity `json:"severities"` // by a finding's code; the rest keep their defaults
	Reviewed   bool                        `json:"reviewed"`   // only a lead releases: librarians send drafts to review
}

// DensityClass is a named texel density that the studio asks for.
type DensityClass struct {
	Name   string  `json:"name"`
	PxPerM float64 `json:"px_per_m"`
}

// Camera is a named camera that materials are held against: its vertical angle of view, or
// a focal length and the height of its sensor.
type Camera struct {
	Name     string  `json:"name"`
	Distance float64 `json:"distance_m"`
	Lines    int     `json:"lines"` // height of its picture, pixels
	AngleDeg float64 `json:"angle_deg,omitempty"`
	FocalMM  float64 `json:"focal_mm,omitempty"`
	SensorMM float64 `json:"sensor_mm,omitempty"` // height
}

// Scale is the camera as core/scale takes it.
func (c Camera) Scale() scale.Camera {
	angle := c.AngleDeg * math.Pi / 180
	if c.FocalMM > 0 && c.SensorMM > 0 {
		angle = 2 * math.Atan(c.SensorMM/2/c.FocalMM)
	}
	return scale.Camera{Angle: angle, Lines: c.Lines}
}

// valid says what is wrong with the standards, or nothing.
func (st *Standards) valid() error {
	names := map[string]bool{}
	named := func(what, name string) error {
		switch {
		case name == "" || len(name) > 60:
			return library.Invalid(fmt.Sprintf("A %s needs a name of up to 60 letters.", what))
		case names[what+name]:
			return library.Invalid(fmt.Sprintf("There are two of the name %s.", name))
		}
		names[what+name] = true
		return nil
	}
	if len(st.Densities) > 20 || len(st.Cameras) > 20 {
		return library.Invalid("Twenty of a kind are enough for a studio.")
	}
	for i := range st.Densities {
		d := &st.Densities[i]
		d.Name = strings.TrimSpace(d.Name)
		if err := named("density", d.Name); err != nil {
			return err
		}
		if !(d.PxPerM >= 1 && d.PxPerM <= 1e6) {
			return library.Invalid(fmt.Sprintf("%s asks for %g px/m: between 1 and a million can be asked for.", d.Name, d.PxPerM))
		}
	}
	for i := range st.Cameras {
		c := &st.Cameras[i]
		c.Name = strings.TrimSpace(c.Name)
		if err := named("camera", c.Name); err != nil {
			return err
		}
		if k := c.Scale(); !(c.Distance > 0 && c.Distance <= 10000) || c.Lines < 100 || c.Lines > 20000 || !(k.Angle > 0.001 && k.Angle < 3) {
			return library.Invalid(fmt.Sprintf("%s needs a distance, between 100 and 20 000 lines, and an angle of view or a focal length with the height of the sensor.", c.Name))
		}
	}
	for code, sev := range st.Severities {
		if !slices.ContainsFunc(inspect.Kinds(), func(k inspect.Kind) bool { return k.Code == code }) {
			return library.Invalid(fmt.Sprintf("There is no check called %q.", code))
		}
		if sev != inspect.Note && sev != inspect.Warn && sev != inspect.Stop {
			return library.Invalid(fmt.Sprintf("A finding is a note, a warn or a stop, not %q.", sev))
		}
	}
	return nil
}

// Standards are the studio's, and their version.
func (s *Service) Standards(ctx context.Context, p people.Principal) (st Standards, version int64, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return st, 0, err
	}
	err = s.Store.Read(ctx, func(tx Reader) error { st, version, err = standards.Get(tx); return err })
	return st, version, err
}

var standards = library.Setting[Standards]{Name: "standards"}

// SaveStandards keeps the studio's standards in the place of those that were seen; 0 for
// whatever there are. If severities changed, a job weighs what was found on all drafts by
// them.
func (s *Service) SaveStandards(ctx context.Context, p people.Principal, version int64, st Standards) (Standards, int64, error) {
	if err := p.Need(people.Decide); err != nil {
		return st, 0, err
	}
	if err := st.valid(); err != nil {
		return st, 0, err
	}
	err := s.Store.Write(ctx, func(tx Tx) error {
		was, now, err := standards.Save(tx, version, st)
		if err != nil {
			return err
		}
		version = now
		if err := tx.AddAudit(people.Entry(s.Now(), p.Name, "standards", "the studio", fmt.Sprintf("%s, %s, %s", wording.Count(len(st.Densities), "density class"), wording.Count(len(st.Cameras), "camera"), wording.Count(len(st.Severities), "severity")))); err != nil {
			return err
		}
		tx.Changed("standards")
		if fmt.Sprint(was.Severities) == fmt.Sprint(st.Severities) { // printed in the order of keys
			return nil
		}
		return tx.AddJob(JobGrade, "all", 3)
	})
	return st, version, err
}

// grade weighs the findings of all drafts by the studio's severities, one draft a
// transaction.
func (s *Service) grade(ctx context.Context, _ string) error {
	var ids []int64
	if err := s.Store.Read(ctx, func(tx Reader) (err error) { ids, err = tx.DraftIDs(); return err }); err != nil {
		return err
	}
	for _, id := range ids {
		library.GiveWay(ctx)
		if err := ctx.Err(); err != nil {
			return err
		}
		err := s.Store.Write(ctx, func(tx Tx) error {
			m, err := tx.Material(id)
			if errors.Is(err, library.ErrNotFound) {
				return nil
			}
			if err != nil {
				return err
			}
			was := raw([]any{m.Report.Findings, m.Finish.Report.Findings, m.Doubts})
			g := s.Grades(tx)
			g.Grade(m.Report.Findings)
			g.Grade(m.Finish.Report.Findings)
			m.Doubts = m.CountDoubts()
			if bytes.Equal(was, raw([]any{m.Report.Findings, m.Finish.Report.Findings, m.Doubts})) {
				return nil
			}
			return tx.SaveGrades(&m)
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// Grades are severities that differ from what findings come with, by code.
type Grades map[string]inspect.Severity

// Grades are the studio's; errors leave findings as they come.
func (s *Service) Grades(tx Reader) Grades {
	st, _, err := standards.Get(tx)
	if err != nil {
		s.Log.Error("read the studio's standards", "error", err)
	}
	return st.Severities
}

// ReviewNeeded says whether only a lead releases.
func (s *Service) ReviewNeeded(tx Reader) (bool, error) {
	st, _, err := standards.Get(tx)
	return st.Reviewed, err
}

// Grade weighs findings by the studio's severities.
func (g Grades) Grade(list []inspect.Finding) {
	for i := range list {
		f := &list[i]
		f.Severity = inspect.KindOf(f.Code).Severity
		if sev, ok := g[f.Code]; ok {
			f.Severity = sev
		}
	}
}
