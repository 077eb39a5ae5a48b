package materials

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"aldermoor/core/colour"
	"aldermoor/core/fact"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// mostFinishes is how many plain finishes are made at once.
const mostFinishes = 500

// AddFinishes makes plain finishes of one kind, one a colour; without colours, one as the kind is. They are
// accepted drafts at once. name stands before the names of colours, and alone where there is one.
func (s *Service) AddFinishes(ctx context.Context, p people.Principal, kind, name string, colours []colour.Named) (made []Material, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return nil, err
	}
	f := material.FinishOf(kind)
	if f == nil {
		return nil, library.Invalid(fmt.Sprintf("There is no kind of finish %q.", kind))
	}
	if len(colours) > mostFinishes {
		return nil, library.Invalid(fmt.Sprintf("These are %d colours; %d are made at once.", len(colours), mostFinishes))
	}
	if !f.Colour && len(colours) > 0 {
		return nil, library.Invalid(fmt.Sprintf("%s has a colour of its own, which was measured. Leave the colours out.", f.Title))
	}
	if len(colours) == 0 {
		colours = []colour.Named{{Color: colour.RGB{float32(f.Color[0]), float32(f.Color[1]), float32(f.Color[2])}}}
	}
	name = strings.TrimSpace(name)
	if name == "" {
		name = f.Title
	}
	if len(name) > 120 {
		return nil, library.Invalid("The name has more than 120 bytes; shorten it.")
	}
	err = s.Store.Write(ctx, func(tx Tx) (err error) {
		made = nil
		grades := s.Grades(tx)
		for _, c := range colours {
			color := [3]float64{float64(c.Color[0]), float64(c.Color[1]), float64(c.Color[2])}
			figures, constants := f.Figures(color)
			m := Material{Name: name, Stage: Accepted, Created: s.Now(), Updated: s.Now(), Tags: []string{strings.ToLower(f.Group), "plain"}, Categories: []string{f.Group},
				Figures: &Figures{figures, constants}, Author: p.Name}
			switch {
			case c.Name != "":
				m.Name = name + ", " + c.Name
			case len(colours) > 1:
				m.Name = name + " " + colour.HexOf(c.Color)
			}
			m.Report.Findings, m.Report.Workflow = []inspect.Finding{}, "plain"
			m.recheck(grades)
			m.Doubts = m.CountDoubts()
			slug := Slug(m.Name)
			if m.Slug, err = tx.FreeSlug(slug); err != nil {
				return err
			}
			m.SetKey = "finish " + m.Slug
			if err := tx.AddMaterial(&m); err != nil {
				return err
			}
			if err := tx.AddJob(JobPicture, fmt.Sprint(m.ID), 3); err != nil {
				return err
			}
			made = append(made, m)
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "finish", name, fmt.Sprintf("%s: %d", f.Title, len(colours))))
	})
	return made, err
}

// Mapless says whether the material has no maps at all: its figures are all there is.
func (m *Material) Mapless() bool {
	return len(m.Maps) == 0 && m.Figures != nil && len(m.Figures.Constants) > 0
}

// CheckName finds out whether the material's name says anything.
func (m *Material) CheckName(r *inspect.Set) {
	r.Findings = slices.DeleteFunc(r.Findings, func(f inspect.Finding) bool { return f.Code == "name_empty" })
	if inspect.Nameless(m.Name) {
		r.Findings = append(r.Findings, inspect.Finding{Code: "name_empty", Severity: inspect.Warn, Maps: []string{}, Figures: fact.Of("name", m.Name)})
	}
}

// weighFigures finds surface figures that no surface has in nature, and takes back what a set without
// maps would be told.
func (m *Material) weighFigures(r *inspect.Set) {
	r.Findings = slices.DeleteFunc(r.Findings, func(f inspect.Finding) bool { return f.Code == "figure_implausible" })
	m.CheckName(r)
	if m.Figures == nil {
		return
	}
	var base *[3]float64
	if v, ok := m.Figures.Constants[material.BaseColor]; ok {
		base = &v
	}
	names, values := m.Figures.Implausible(base, m.Figures.Constants[material.Metallic][0])
	for i := range names {
		r.Findings = append(r.Findings, inspect.Finding{Code: "figure_implausible", Severity: inspect.Warn, Maps: []string{}, Figures: fact.Of("figure", names[i], "value", values[i])})
	}
	has := func(c material.Channel) bool { _, ok := m.Figures.Constants[c]; return ok }
	r.Findings = slices.DeleteFunc(r.Findings, func(f inspect.Finding) bool {
		return f.Code == "missing_base_color" && has(material.BaseColor) || f.Code == "missing_roughness" && has(material.Roughness) || f.Code == "size_unknown" && m.Mapless()
	})
}
