package materials

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"path"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/treat"
	"aldermoor/internal/library"
	"aldermoor/internal/wording"
)

// treat carries out a material's recipe.
func (s *Service) treat(ctx context.Context, key string) error {
	number, _, _ := strings.Cut(key, " ")
	id, _ := strconv.ParseInt(number, 10, 64)
	m, seen, err := s.examined(ctx, id)
	if errors.Is(err, library.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	want := m.wants()
	if want == m.Finish.Key || want == "" {
		return nil
	}
	defer s.mending.Set(fmt.Sprint(id), 0, 0, nil)
	f, ok := s.keptFinish(want)
	if !ok {
		f, err = s.carryOut(ctx, &m, seen)
		var inv treat.Invalid
		if errors.As(err, &inv) {
			return s.stuck(ctx, id, want, inv)
		}
		if err == nil {
			err = s.keepFinish(want, f)
		}
		if err != nil {
			return err
		}
	}
	return s.putFinish(ctx, id, want, f)
}

// examined is a material, and what the files of its maps showed, by their ids.
func (s *Service) examined(ctx context.Context, id int64) (m Material, seen map[int64]*inspect.Examined, err error) {
	err = s.Store.Read(ctx, func(tx Reader) (err error) {
		if m, err = tx.Material(id); err != nil {
			return err
		}
		seen = map[int64]*inspect.Examined{}
		for _, p := range m.Maps {
			if p.FileID == 0 {
				continue
			}
			e, err := tx.Examined(p.FileID)
			if err != nil {
				return err
			}
			seen[p.FileID] = e
		}
		return nil
	})
	return m, seen, err
}

// keptDocument is a finish as it is kept by its key, for when a recipe is put back.
type keptDocument struct {
	Finish Finish
	Maps   []Map
}

// keptFinish is a finish that was made before, if all its maps are still there.
func (s *Service) keptFinish(key string) (f Finish, ok bool) {
	var kept keptDocument
	data, there := s.Derived.Get(finishName(key))
	if !there || json.Unmarshal(data, &kept) != nil || !s.allThere(kept.Maps) {
		return f, false
	}
	kept.Finish.Maps = kept.Maps
	return kept.Finish, true
}

func (s *Service) keepFinish(key string, f Finish) error {
	data, err := json.Marshal(keptDocument{f, f.Maps})
	if err != nil {
		return err
	}
	return s.Derived.Put(finishName(key), data)
}

// putFinish gives a material what its recipe made, unless it wants something else by now;
// the change that made it so has a job of its own.
func (s *Service) putFinish(ctx context.Context, id int64, want string, f Finish) error {
	return s.Store.Write(ctx, func(tx Tx) error {
		now, err := tx.Material(id)
		if err != nil || now.wants() != want {
			return err
		}
		for i := range f.Maps {
			p := &f.Maps[i]
			p.ID = 0
			if was := now.Map(p.Channel); was != nil { // what was said of the scan since counts
				p.Zero = f.ZeroOf(was.Zero)
			}
		}
		if err := tx.SaveFinish(id, f.Maps); err != nil {
			return err
		}
		now.finish(f)
		now.Finish.Key = now.wants()
		now.recheck(s.Grades(tx))
		now.Updated = s.Now()
		if err := tx.SaveMaterial(&now); err != nil {
			return err
		}
		if now.Stage == Accepted {
			return tx.AddJob(JobPicture, strconv.FormatInt(id, 10), 0)
		}
		return nil
	})
}

func finishName(key string) string { return "finish/" + key + ".json" }

func (s *Service) allThere(maps []Map) bool {
	return !slices.ContainsFunc(maps, func(p Map) bool { return !s.Blobs.Has(p.Blob) })
}

// stuck notes why a recipe can't be carried out.
func (s *Service) stuck(ctx context.Context, id int64, want string, inv treat.Invalid) error {
	err := s.Store.Write(ctx, func(tx Tx) error {
		m, err := tx.Material(id)
		if err != nil || m.wants() != want {
			return err
		}
		m.Finish.Tried, m.Finish.Problem, m.Finish.Failed = want, wording.Refused(inv.Why), false
		if inv.Step < len(m.Recipe) {
			m.Finish.Step = m.Recipe[inv.Step].ID
		}
		return tx.SaveMaterial(&m)
	})
	return err
}

// scan is a material's scan as treatments take it.
func (s *Service) scan(m *Material) treat.Scan {
	size, depth := m.scanned()
	out := treat.Scan{Material: m.Surface(), Tiles: [2]bool{true, true}}
	out.Size, out.Depth = size, depth
	if t := m.Report.Tiling; t != nil {
		out.Tiles = [2]bool{t.X > inspect.Meets, t.Y > inspect.Meets}
	}
	out.Load = func(c material.Channel, n int) (*treat.Sheet, error) {
		p := m.Map(c)
		if p == nil {
			return nil, fmt.Errorf("%s has no %s map", m.Name, c)
		}
		var im *raster.Image
		if n > 0 && n <= LevelSize {
			var err error
			if im, err = s.Level(p.Blob, p.Layer); err != nil {
				return nil, err
			}
		}
		if im == nil {
			var err error
			if im, err = s.Whole(p.Blob, p.Layer); err != nil {
				return nil, err
			}
		}
		return treat.Read(p.Picture(c, im), c, p.Component, p.Direction, p.Float && c.Colour(), n), nil
	}
	return out
}

// carryOut makes the maps of a material's recipe and examines them. seen is what the files
// of the scan's maps showed, by their ids.
func (s *Service) carryOut(ctx context.Context, m *Material, seen map[int64]*inspect.Examined) (f Finish, err error) {
	steps := make([]treat.Step, len(m.Recipe))
	for i, t := range m.Recipe {
		steps[i] = t.Step
	}
	scan := s.scan(m)
	plan, err := treat.Decide(ctx, scan, steps)
	if err != nil {
		return f, err
	}
	f = Finish{Did: plan.Did, Share: plan.Share, Zero: plan.Zero}
	switch {
	case scan.Depth > 0:
		f.Deeper = plan.After.Depth / scan.Depth
	case plan.After.Depth > 0:
		f.Relief = plan.After.Depth / scan.Size.W
	}
	k := &making{s: s, m: m, plan: plan, f: &f, made: map[material.Channel]channels.Map{}}
	if err := k.all(ctx); err != nil {
		return f, err
	}
	size := inspect.Size{Source: m.SizeSource}
	if m.Size.Known() {
		w, h := scan.Size.W*f.Share[0], scan.Size.H*f.Share[1]
		size.Width, size.Height = &w, &h
	}
	if err := k.reexamine(size, seen); err != nil {
		return f, err
	}
	if slices.ContainsFunc(steps, func(t treat.Step) bool { return t.Kind == treat.NormalFromPicture }) {
		f.Report.Findings = append(f.Report.Findings, inspect.Finding{Code: "normals_estimated", Severity: inspect.Note, Maps: []string{}})
	}
	return f, nil
}

// making is a finish while its maps are made.
type making struct {
	s    *Service
	m    *Material
	plan *treat.Plan
	f    *Finish
	made map[material.Channel]channels.Map // what each new map showed
}

// all makes every map of the plan: packed ones into one file, each other into its own.
func (k *making) all(ctx context.Context) error {
	k.s.mending.Set(fmt.Sprint(k.m.ID), 0, len(k.plan.Made), nil)
	for _, list := range k.plan.Packs {
		im, err := k.packed(ctx, list)
		if err == nil {
			err = k.keep(ctx, im, list)
		}
		if err != nil {
			return err
		}
	}
	for _, c := range k.plan.Made {
		if _, done := k.made[c]; done {
			continue
		}
		sheet, err := k.plan.Make(ctx, c)
		if err != nil {
			return fmt.Errorf("make the %s map: %w", c, err)
		}
		if err := k.keep(ctx, sheet.Image(), []material.Channel{c}); err != nil {
			return err
		}
		library.GiveWay(ctx)
	}
	return nil
}

// packed is a picture of up to three grey channels; what is left over is black.
func (k *making) packed(ctx context.Context, list []material.Channel) (*raster.Image, error) {
	var planes []raster.Plane
	bits := 8
	for _, c := range list {
		sheet, err := k.plan.Make(ctx, c)
		if err != nil {
			return nil, err
		}
		planes, bits = append(planes, sheet.Planes[0]), max(bits, sheet.Bits)
	}
	for len(planes) < 3 {
		planes = append(planes, raster.NewPlane(planes[0].W, planes[0].H))
	}
	return raster.FromPlanes(planes...).Quantise(bits), nil
}

// keep stores a picture as the map of the channels that it holds.
func (k *making) keep(ctx context.Context, im *raster.Image, list []material.Channel) error {
	var b bytes.Buffer
	if err := codec.EncodePNG(&b, im, codec.PNGOptions{SRGB: list[0].Colour()}); err != nil {
		return err
	}
	sum, _, err := k.s.Blobs.Put(ctx, &b)
	if err != nil {
		return err
	}
	ratio, err := k.s.PutLevel(sum, "", im)
	if err != nil {
		return err
	}
	look := channels.Measure(im, codec.Info{Format: codec.PNG, W: im.W, H: im.H, Bits: im.Bits, Components: im.Components()})
	look.TrueBits = im.Bits
	for i, c := range list {
		p := k.s.finished(k.m, c, &look)
		if c == material.Height {
			p.Zero = k.f.ZeroOf(p.Zero)
		}
		p.Blob, p.Ratio = sum, ratio
		if p.Component = "r"; c.Colour() || c == material.Normal {
			p.Component = "rgb"
		} else if len(list) > 1 {
			p.Component = "rgb"[i : i+1]
		}
		k.f.Maps = append(k.f.Maps, p)
		k.made[c] = inspected(&p, look)
	}
	k.s.mending.Set(fmt.Sprint(k.m.ID), len(k.made), len(k.plan.Made), nil)
	k.s.Events.Progressed("material:%d", k.m.ID)
	return nil
}

// reexamine examines what was made, beside what the recipe left alone.
func (k *making) reexamine(size inspect.Size, seen map[int64]*inspect.Examined) error {
	set := channels.Set{Name: k.m.Report.Name}
	blobs := map[string]Map{}
	now := *k.m
	now.Finish = *k.f
	cur := now.Current()
	for _, p := range cur.Assigned() {
		cm, ok := k.made[p.Channel]
		if !ok {
			cm = inspected(&p, lookOf(seen[p.FileID], p.Layer))
		}
		blobs[p.File+"\x00"+p.Layer] = p
		set.Maps = append(set.Maps, cm)
	}
	var failed atomic.Pointer[error]
	k.f.Report = inspect.Reexamine(set, size, k.s.Copies(func(file, layer string) string { return blobs[file+"\x00"+layer].Blob }, &failed))
	k.f.Report.Maps = nil
	if err := failed.Load(); err != nil {
		return *err
	}
	return nil
}

// finished is the map that a recipe makes of a channel: named after the one that was
// there, as a PNG.
func (s *Service) finished(m *Material, c material.Channel, look *channels.Look) Map {
	var p Map
	dir := ""
	if len(m.Maps) > 0 {
		p.FileID = m.Assigned()[0].FileID
		dir = path.Dir(m.Assigned()[0].File)
	}
	p.File = path.Join(dir, m.Slug+"-"+string(c)+".png")
	p.Confidence, p.Reasons = 1, []channels.Reason{channels.Because("rule", c, 1, "recipe")}
	if was := m.Map(c); was != nil {
		p.FileID = was.FileID
		p.File = strings.TrimSuffix(was.File, path.Ext(was.File)) + "-" + string(c) + ".png"
		p.Zero = was.Zero
		if c == material.Emissive { // light above 1 keeps its strength: see material.Map.Span
			p.Span = was.Span
		}
	}
	if c == material.Height && p.Zero == nil {
		z := 0.0
		p.Zero = &z
	}
	p.Channel, p.Format = c, string(codec.PNG)
	in := look.Info
	p.Width, p.Height, p.Bits, p.TrueBits = in.W, in.H, in.Bits, in.Bits
	p.Stats = inspect.Stats{Min: look.Min, Max: look.Max, Mean: look.Mean, StdDev: look.StdDev}
	if c == material.Normal {
		p.Direction, p.DirectionConfidence = normals.Up, 1
	}
	return p
}

// lookOf is what was seen of a picture when it was examined.
func lookOf(e *inspect.Examined, layer string) channels.Look {
	if e == nil || e.Look == nil {
		return channels.Look{}
	}
	for i := range e.Layers {
		if e.Layers[i].Info.Layer == layer && layer != "" {
			return e.Layers[i]
		}
	}
	return *e.Look
}

// inspected is a map as the checks take it.
func inspected(p *Map, look channels.Look) channels.Map {
	return channels.Map{File: p.File, Component: p.Component, Claim: p.Claim, Facing: p.Direction, Sure: p.DirectionConfidence, Look: look, Decided: p.ByHand,
		Verdict: channels.Verdict{Channel: p.Channel, Confidence: p.Confidence}}
}
