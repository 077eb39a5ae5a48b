package intake

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"path"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"

	"aldermoor/core/channels"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/scale"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/wording"
)

// batch is how many files of an archive are written down at a time: so many are unpacked
// again at most after a stop.
const batch = 64

// arrived is a delivery with what its files showed, as it is sorted.
type arrived struct {
	Delivery
	files   map[string]File // by their paths
	seen    []inspect.Examined
	rules   []channels.Rule
	grades  materials.Grades
	station string // as the delivery or a sidecar names it
}

// arrived reads a delivery and its files.
func (s *Service) arrived(ctx context.Context, id int64) (a arrived, err error) {
	var files []File
	var rules []Rule
	err = s.Store.Read(ctx, func(tx Reader) (err error) {
		if a.Delivery, err = tx.Delivery(id); err != nil {
			return err
		}
		if files, err = tx.Files(id); err != nil {
			return err
		}
		a.grades = s.Materials.Grades(tx)
		rules, err = tx.Rules()
		return err
	})
	a.files, a.station = map[string]File{}, a.Station
	for _, f := range files {
		a.files[f.Path] = f
		if f.Examined == nil {
			continue
		}
		e := *f.Examined
		e.Path = f.Path // it may have moved since
		a.seen = append(a.seen, e)
		if e.Sidecar != nil {
			a.station = cmp.Or(a.station, e.Sidecar.Station)
		}
	}
	a.rules = rulesFor(rules, a.station)
	if err != nil || a.station == "" {
		return a, err
	}
	err = s.Store.Read(ctx, func(tx Reader) error {
		accepted, err := tx.AcceptedMaps(a.station, acceptedAmong)
		a.rules = append(a.rules, past(accepted)...) // what somebody said in a rule goes before
		return err
	})
	return a, err
}

// sort makes draft materials of a delivery's sets.
func (s *Service) sort(ctx context.Context, key string) error {
	id, _ := strconv.ParseInt(key, 10, 64)
	a, err := s.arrived(ctx, id)
	if errors.Is(err, library.ErrNotFound) || err == nil && a.State == Sorted {
		return nil
	}
	if err != nil {
		return err
	}
	var failed atomic.Pointer[error]
	report := inspect.Assemble(a.seen, s.Materials.Copies(func(file, _ string) string { return a.files[file].Blob }, &failed), a.rules...)
	if err := failed.Load(); err != nil {
		return *err // what could not be read now can be later
	}
	var made []materials.Material
	for i, set := range report.Sets {
		m := s.draft(a.grades, a.Delivery, i, set, a.files)
		a.station = cmp.Or(a.station, m.Station)
		made = append(made, m)
	}
	if err := s.usualSizes(ctx, made); err != nil {
		return err
	}
	forms, err := s.forms(ctx, made, func(p *materials.Map) *channels.Look {
		if e := a.files[p.File].Examined; e != nil && p.Layer == "" {
			return e.Look
		}
		return nil
	})
	if err != nil {
		return err
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		if now, err := tx.Delivery(id); err != nil || now.State == Sorted {
			return err
		}
		if err := s.addSets(tx, id, made, forms); err != nil {
			return err
		}
		problem := ""
		for _, f := range report.Failed {
			if a.files[f.File].Problem == "" { // not of one file: of how they go together
				problem = strings.TrimSpace(problem + " " + wording.Problem(f.Why))
			}
		}
		return tx.SetDelivery(id, Sorted, a.station, problem)
	})
	if err != nil {
		return err
	}
	for i := range made {
		if made[i].ID != 0 { // not a set that was here before
			s.Materials.KeepPrint(made[i].ID, forms[i].print)
		}
	}
	return nil
}

// addSets adds a delivery's sets as drafts. A set that an earlier sorting has made is
// told by the files that they share, and completed.
func (s *Service) addSets(tx Tx, delivery int64, made []materials.Material, forms []form) error {
	had, err := tx.MaterialsOf(delivery)
	if err != nil {
		return err
	}
	keys := map[string]bool{}
	for i := range had {
		keys[had[i].SetKey] = true
	}
	// Scans that were taken as new versions belong to materials of other deliveries now.
	owners, err := tx.OwnersOf(delivery)
	if err != nil {
		return err
	}
	for _, id := range owners {
		if !slices.ContainsFunc(had, func(m materials.Material) bool { return m.ID == id }) {
			m, err := tx.Material(id)
			if err != nil {
				return err
			}
			had = append(had, m)
		}
	}
	for i, old := range sameSets(had, made) {
		m := &made[i]
		if old != nil {
			if err := s.complete(tx, old, m.Maps); err != nil {
				return err
			}
			continue
		}
		m.SetKey = free(m.SetKey, keys)
		keys[m.SetKey] = true
		if m.Slug, err = tx.FreeSlug(materials.Slug(m.Name)); err != nil {
			return err
		}
		if err := tx.AddMaterial(m); err != nil {
			return err
		}
		f := forms[i]
		if f.inside >= 0 {
			if f.known.Material = made[f.inside].ID; f.known.Material == 0 { // that set was here before
				f.known = materials.Known{}
			}
		}
		if err := s.recognise(tx, m, f); err != nil {
			return err
		}
	}
	return nil
}

// usualSizes adds to sets without a size what their station usually scans, if their
// pixels have that shape.
func (s *Service) usualSizes(ctx context.Context, made []materials.Material) error {
	return s.Store.Read(ctx, func(tx Reader) error {
		of := map[string][]scale.Size{}
		for i := range made {
			m := &made[i]
			w, h := m.Pixels()
			if m.Size.Known() || m.Station == "" || w == 0 {
				continue
			}
			sizes, asked := of[m.Station]
			if !asked {
				var err error
				if sizes, err = tx.SizesOf(m.Station, 200); err != nil {
					return err
				}
				of[m.Station] = sizes
			}
			e, ok := scale.UsualEvidence(m.Station, sizes)
			if ok && math.Abs(e.W/e.H/(float64(w)/float64(h))-1) < 0.02 {
				m.Report.SizeEvidence = append(m.Report.SizeEvidence, e)
			}
		}
		return nil
	})
}

// draft turns a sorted set into a material.
func (s *Service) draft(g materials.Grades, d Delivery, i int, set inspect.Set, files map[string]File) materials.Material {
	side := set.Sidecar
	named := cmp.Or(set.Name, strings.TrimSuffix(d.Name, path.Ext(d.Name))) // files without a folder or a name of their own are named as the delivery
	m := materials.Material{DeliveryID: d.ID, SetKey: fmt.Sprintf("%03d %s", i, set.Name), Name: materials.TitleOf(named), Stage: materials.Unseen,
		SizeSource: set.Size.Source, Licence: side.Licence, Author: side.Author, Captured: side.Captured,
		Station: cmp.Or(side.Station, d.Station), Tags: []string{}, Categories: []string{}, Created: s.Now(), Updated: s.Now()}
	if set.Size.Width != nil {
		m.Size = scale.Size{W: *set.Size.Width, H: *set.Size.Height}
	}
	if set.Depth != nil {
		m.Depth, m.DepthSource = set.Depth.Value, "normals"
		if side.DepthMM > 0 {
			m.DepthSource = "sidecar"
		} else if set.Depth.Unit != "" {
			m.DepthSource = "file"
		}
	}
	if set.Relief != nil {
		m.Relief = *set.Relief
	}
	for _, p := range set.Maps {
		m.Maps = append(m.Maps, mapFrom(p, files))
	}
	for _, file := range set.Unassigned {
		layer := ""
		f, ok := files[file]
		if at := strings.LastIndexByte(file, '#'); !ok && at > 0 {
			f, layer = files[file[:at]], file[at+1:]
		}
		p := looseMap(f, layer)
		p.Reasons = set.Why[file]
		m.Maps = append(m.Maps, p)
	}
	set.Maps, set.Why = nil, nil
	m.Report = set
	m.CheckName(&m.Report)
	g.Grade(m.Report.Findings)
	m.Doubts = m.CountDoubts()
	return m
}

func mapFrom(p inspect.Map, files map[string]File) materials.Map {
	m := looseMap(files[p.File], p.Layer)
	m.Component, m.Channel, m.Confidence, m.Reasons, m.UDIM = p.Component, p.Channel, p.Confidence, p.Reasons, deref(p.UDIM)
	m.Zero, m.Shared, m.Curve, m.Swapped, m.Turn = p.Zero, p.Shared, p.Curve, p.Swapped, p.Turn
	if p.Span != nil {
		m.Span = *p.Span
	}
	for _, t := range p.Tiles {
		m.Tiles = append(m.Tiles, material.Tile{UDIM: t.UDIM, File: t.File, Blob: files[t.File].Blob})
	}
	m.Direction = normals.ParseDirection(deref(p.Direction))
	if p.DirectionConfidence != nil {
		m.DirectionConfidence = *p.DirectionConfidence
	}
	return m
}

// looseMap is a picture without a channel.
func looseMap(f File, layer string) materials.Map {
	m := materials.Map{FileID: f.ID, Map: material.Map{File: f.Path, Blob: f.Blob, Layer: layer, Component: "rgb", Ratio: f.Ratio}}
	m.Claim = normals.ParseDirection(channels.ParseName(f.Path).Side)
	if f.Examined != nil && f.Examined.Look != nil {
		l := f.Examined.Look
		for i, other := range f.Examined.Layers {
			if other.Info.Layer == layer && layer != "" {
				l = &f.Examined.Layers[i]
			}
		}
		m.Width, m.Height, m.Bits, m.Float, m.Format = l.Info.W, l.Info.H, l.Info.Bits, l.Info.Float, string(l.Info.Format)
		m.TrueBits, m.Gamut = l.TrueBits, l.Gamut(f.Path)
		m.Stats = inspect.Stats{Min: l.Min, Max: l.Max, Mean: l.Mean, StdDev: l.StdDev}
		m.Direction, m.DirectionConfidence = l.Direction, l.DirectionConfidence
	}
	return m
}

func deref(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}
