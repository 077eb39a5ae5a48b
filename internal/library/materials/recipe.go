package materials

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"path"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/fact"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
	"aldermoor/core/treat"
	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
	"aldermoor/internal/wording"
)

// A material's recipe is the list of treatments that its scan gets. The scan's maps stay
// as they are; what the recipe makes of them is the material's finish, which a job makes
// anew whenever the recipe, the scan, or a figure that a treatment depends on changes.

// Treatment is one step of a recipe.
type Treatment struct {
	ID int64 `json:"id"` // within the material
	treat.Step
	By string    `json:"by"`
	At time.Time `json:"at"`
}

// Finish is what a recipe made of a scan. Its zero value is that of no recipe.
type Finish struct {
	Key     string      // of what it was made from and with; "" for nothing
	Did     []fact.Fact // what each treatment came to
	Says    []string    // the same as sentences, of recipes that were carried out before there were codes
	Share   [2]float64  // of the scan's size that a repeat has now
	Deeper  float64     // depth over the scan's depth; 0 if the scan's is not known
	Report  inspect.Set // findings, tiling and pattern of the finished maps
	Relief  float64     // depth of the finished height as a share of the scan's width
	Tried   string      // the key of what could not be made, and
	Problem string      // why not, and
	Failed  bool        // that it was not the recipe's fault: it can be retried
	Step    int64       // which treatment it was
	Maps    []Map       `json:"-"` // those that the recipe made
}

// share is how much of the scan's size a repeat has.
func (f *Finish) Kept() [2]float64 {
	if f.Share[0] <= 0 || f.Share[1] <= 0 {
		return [2]float64{1, 1}
	}
	return f.Share
}

// deeper is how many times as deep as the scan the relief is.
func (f *Finish) DepthRatio() float64 {
	if f.Deeper <= 0 {
		return 1
	}
	return f.Deeper
}

// scanned is the size and depth of the scan itself: what the finish made smaller or
// deeper is taken back. Where nobody has said a size it is one metre wide.
func (m *Material) scanned() (size scale.Size, depth float64) {
	share := m.Finish.Kept()
	if !m.Size.Known() {
		w, h := m.Pixels()
		return scale.Size{W: 1, H: float64(max(h, 1)) / float64(max(w, 1))}, m.Relief.Value
	}
	return scale.Size{W: m.Size.W / share[0], H: m.Size.H / share[1]}, m.Depth / m.Finish.DepthRatio()
}

// wants is the key of the finish that the material should have; "" for none.
func (m *Material) wants() string {
	if len(m.Recipe) == 0 {
		return ""
	}
	h := sha256.New()
	fmt.Fprintln(h, "finish 1")
	scaled := false
	for _, t := range m.Recipe {
		json.NewEncoder(h).Encode(t.Step)
		scaled = scaled || t.Kind.Scaled()
	}
	for _, p := range m.Assigned() {
		fmt.Fprintln(h, p.Blob, p.Layer, p.Component, p.Channel, p.Direction)
	}
	if size, depth := m.scanned(); scaled {
		fmt.Fprintf(h, "%.4g %.4g\n", size.H/size.W, depth/size.W)
		for _, t := range m.Recipe {
			if t.Metres > 0 || t.DepthM > 0 {
				fmt.Fprintf(h, "%.4g\n", size.W)
			}
		}
	}
	return hex.EncodeToString(h.Sum(nil)[:12])
}

// Settled says whether the finish is what the recipe asks for.
func (m *Material) Settled() bool { return m.Finish.Key == m.wants() }

// Stuck says why the recipe can't be carried out, and at which treatment; "" if it can.
func (m *Material) Stuck() (says string, step int64) {
	if m.Finish.Problem != "" && m.Finish.Tried == m.wants() {
		return m.Finish.Problem, m.Finish.Step
	}
	return "", 0
}

// Current is the material as its recipe leaves it: with the maps that were made in the
// place of the scan's, and with what is found on them. Without a finish it is the
// material itself.
func (m *Material) Current() Material {
	out := *m
	if len(m.Finish.Maps) == 0 {
		return out
	}
	out.Maps = slices.Clone(m.Finish.Maps)
	for _, p := range m.Maps {
		if p.Channel == material.None || !slices.ContainsFunc(m.Finish.Maps, func(q Map) bool { return q.Channel == p.Channel }) {
			out.Maps = append(out.Maps, p)
		}
	}
	r, f, share := m.Report, &m.Finish.Report, m.Finish.Kept()
	r.Repetition, r.Seams = f.Repetition, f.Seams
	r.Findings, r.Tiling, r.Period, r.PeriodTrust, r.Workflow = f.Findings, f.Tiling, f.Period, f.PeriodTrust, f.Workflow
	r.SizeEvidence = slices.Clone(r.SizeEvidence)
	for i := range r.SizeEvidence {
		r.SizeEvidence[i].W *= share[0]
		r.SizeEvidence[i].H *= share[1]
	}
	out.Report = r
	if f.Relief != nil {
		out.Relief.Confidence = f.Relief.Confidence
	}
	out.Finish.Maps = nil
	return out
}

// follow sees to it that a finish is made if the material should have another one than
// it has; without a recipe it takes back what the last one did. The caller saves the
// material afterwards.
func (s *Service) follow(tx Tx, m *Material) error {
	want := m.wants()
	if want == m.Finish.Key {
		return nil
	}
	if want == "" {
		if err := tx.SaveFinish(m.ID, nil); err != nil {
			return err
		}
		m.finish(Finish{})
		m.recheck(s.Grades(tx))
		return nil
	}
	return tx.AddJob(JobTreat, fmt.Sprintf("%d %s", m.ID, want), 2)
}

// finish takes another finish: size and depth follow from what it gives up of the scan
// and how much deeper it makes it.
func (m *Material) finish(f Finish) {
	size, depth := m.scanned()
	was, is := m.Finish.Kept(), f.Kept()
	gone := m.Finish.Deeper == 0 && m.DepthSource == "recipe" // the depth came with the recipe
	m.Finish = f
	if m.Size.Known() {
		if was != is {
			m.Size = scale.Size{W: size.W * is[0], H: size.H * is[1]}
		}
		switch {
		case f.Deeper > 0:
			m.Depth = depth * f.Deeper
		case f.Relief > 0:
			m.Depth, m.DepthSource = f.Relief*size.W, "recipe"
		case gone:
			m.Depth, m.DepthSource = 0, ""
		default:
			m.Depth = depth
		}
	}
}

// SetRecipe gives a material another recipe, as one step. Treatments that it had keep who
// asked for them.
func (s *Service) SetRecipe(ctx context.Context, p people.Principal, of library.Seen, steps []Treatment) (m Material, err error) {
	return s.recipe(ctx, p, of, func([]Treatment) []Treatment { return steps })
}

// AddTreatment adds a treatment at the end of a material's recipe.
func (s *Service) AddTreatment(ctx context.Context, p people.Principal, of library.Seen, step treat.Step) (Material, error) {
	return s.recipe(ctx, p, of, func(had []Treatment) []Treatment { return append(slices.Clone(had), Treatment{Step: step}) })
}

func (s *Service) recipe(ctx context.Context, p people.Principal, of library.Seen, change func([]Treatment) []Treatment) (m Material, err error) {
	done, err := s.Edit(ctx, p, "recipe", []library.Seen{of}, func(tx Tx, list []*Material) (string, error) {
		m := list[0]
		steps := change(m.Recipe)
		if len(steps) > 40 {
			return "", library.Invalid("A recipe has at most 40 treatments.")
		}
		for _, t := range steps {
			var inv treat.Invalid
			if errors.As(t.Valid(), &inv) {
				return "", library.Invalid(wording.Refused(inv.Why))
			}
		}
		if slices.ContainsFunc(m.Assigned(), func(p Map) bool { return len(p.Tiles) > 1 }) && len(steps) > 0 {
			return "", library.Invalid(fmt.Sprintf("%s has UDIM tiles. Treatments work on maps that repeat, not on those of a model.", m.Name))
		}
		next := int64(1)
		for _, t := range m.Recipe {
			next = max(next, t.ID+1)
		}
		fresh := []Treatment{}
		for _, t := range steps {
			if i := slices.IndexFunc(m.Recipe, func(o Treatment) bool { return o.ID == t.ID && t.ID != 0 }); i >= 0 {
				t.By, t.At = m.Recipe[i].By, m.Recipe[i].At
			} else {
				t.ID, t.By, t.At = next, p.Name, s.Now()
				next++
			}
			fresh = append(fresh, t)
		}
		same := bytes.Equal(raw(m.Recipe), raw(fresh))
		m.Recipe = fresh
		if m.Finish.Failed && same { // asked for again as it is: it is retried
			m.Finish.Problem, m.Finish.Tried, m.Finish.Failed = "", "", false
			if err := tx.SaveMaterial(m); err != nil {
				return "", err
			}
			return "", s.follow(tx, m)
		}
		m.Finish.Problem, m.Finish.Tried, m.Finish.Failed = "", "", false
		titles := []string{}
		for _, t := range fresh {
			titles = append(titles, wording.TreatmentOf(t.Kind).Title)
		}
		if err := tx.AddAudit(people.Entry(s.Now(), p.Name, "recipe", m.Name, strings.Join(titles, "; "))); err != nil {
			return "", err
		}
		return "treatments of " + m.Name, nil
	})
	if err != nil {
		return m, err
	}
	return done[0], nil
}

// Making says how many of a material's maps its recipe has made so far, of how many; 0
// of 0 if none is being made.
func (s *Service) Making(id int64) (done, of int) {
	done, of, _, _ = s.mending.Get(fmt.Sprint(id))
	return done, of
}

// treat carries out a material's recipe.
func (s *Service) treat(ctx context.Context, key string) error {
	number, _, _ := strings.Cut(key, " ")
	id, _ := strconv.ParseInt(number, 10, 64)
	var m Material
	var looks map[int64]*inspect.Examined
	err := s.Store.Read(ctx, func(tx Reader) (err error) {
		if m, err = tx.Material(id); err != nil {
			return err
		}
		looks = map[int64]*inspect.Examined{}
		for _, p := range m.Maps {
			if p.FileID == 0 {
				continue
			}
			e, err := tx.Examined(p.FileID)
			if err != nil {
				return err
			}
			looks[p.FileID] = e
		}
		return nil
	})
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
	var f Finish
	data, there := s.Derived.Get(finishName(want))
	var kept struct {
		Finish Finish
		Maps   []Map
	}
	if there && json.Unmarshal(data, &kept) == nil && s.allThere(kept.Maps) {
		f = kept.Finish
		f.Maps = kept.Maps
	} else if f, err = s.carryOut(ctx, &m, looks); err != nil {
		var inv treat.Invalid
		if !errors.As(err, &inv) {
			return err
		}
		return s.stuck(ctx, id, want, inv)
	} else {
		kept.Finish, kept.Maps = f, f.Maps
		if data, err = json.Marshal(kept); err != nil {
			return err
		}
		if err := s.Derived.Put(finishName(want), data); err != nil {
			return err
		}
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		now, err := tx.Material(id)
		if err != nil {
			return err
		}
		if now.wants() != want { // changed in the meantime; that change has a job of its own
			return nil
		}
		for i := range f.Maps {
			p := &f.Maps[i]
			p.ID = 0
			if was := now.Map(p.Channel); was != nil { // what was said of the scan since counts
				p.Zero = was.Zero
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
	return err
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
		return treat.Read(im, c, p.Component, p.Direction, p.Float && c.Colour(), n), nil
	}
	return out
}

// carryOut makes the maps of a material's recipe and examines them.
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
	f = Finish{Did: plan.Did, Share: plan.Share}
	switch {
	case scan.Depth > 0:
		f.Deeper = plan.After.Depth / scan.Depth
	case plan.After.Depth > 0:
		f.Relief = plan.After.Depth / scan.Size.W
	}
	looks := map[material.Channel]channels.Map{}
	made := 0
	s.mending.Set(fmt.Sprint(m.ID), 0, len(plan.Made), nil)
	keep := func(im *raster.Image, list []material.Channel) error {
		var b bytes.Buffer
		if err := codec.EncodePNG(&b, im, codec.PNGOptions{SRGB: list[0].Colour()}); err != nil {
			return err
		}
		sum, _, err := s.Blobs.Put(ctx, &b)
		if err != nil {
			return err
		}
		ratio, err := s.PutLevel(sum, "", im)
		if err != nil {
			return err
		}
		look := channels.Measure(im, codec.Info{Format: codec.PNG, W: im.W, H: im.H, Bits: im.Bits, Components: im.Components()})
		look.TrueBits = im.Bits
		for i, c := range list {
			p := s.finished(m, c, &look)
			p.Blob, p.Ratio = sum, ratio
			if p.Component = "r"; c.Colour() || c == material.Normal {
				p.Component = "rgb"
			} else if len(list) > 1 {
				p.Component = "rgb"[i : i+1]
			}
			f.Maps = append(f.Maps, p)
			looks[c] = inspected(&p, look)
			made++
		}
		s.mending.Set(fmt.Sprint(m.ID), made, len(plan.Made), nil)
		s.Events.Progressed("material:%d", m.ID)
		return nil
	}
	packed := map[material.Channel]bool{}
	for _, list := range plan.Packs {
		var planes []raster.Plane
		bits := 8
		for _, c := range list {
			sheet, err := plan.Make(ctx, c)
			if err != nil {
				return f, err
			}
			planes, bits = append(planes, sheet.Planes[0]), max(bits, sheet.Bits)
			packed[c] = true
		}
		for len(planes) < 3 {
			planes = append(planes, raster.NewPlane(planes[0].W, planes[0].H))
		}
		if err := keep(raster.FromPlanes(planes...).Quantise(bits), list); err != nil {
			return f, err
		}
	}
	for _, c := range plan.Made {
		if packed[c] {
			continue
		}
		sheet, err := plan.Make(ctx, c)
		if err != nil {
			return f, fmt.Errorf("make the %s map: %w", c, err)
		}
		if err := keep(sheet.Image(), []material.Channel{c}); err != nil {
			return f, err
		}
	}
	// Examined anew: what was made, beside what the recipe left alone.
	set := channels.Set{Name: m.Report.Name}
	blobs := map[string]Map{}
	now := *m
	now.Finish = f
	cur := now.Current()
	for _, p := range cur.Assigned() {
		cm, ok := looks[p.Channel]
		if !ok {
			cm = inspected(&p, lookOf(seen[p.FileID], p.Layer))
		}
		blobs[p.File+"\x00"+p.Layer] = p
		set.Maps = append(set.Maps, cm)
	}
	size := inspect.Size{Source: m.SizeSource}
	if m.Size.Known() {
		w, h := scan.Size.W*f.Share[0], scan.Size.H*f.Share[1]
		size.Width, size.Height = &w, &h
	}
	var failed error
	var mu sync.Mutex
	f.Report = inspect.Reexamine(set, size, func(file, layer string) *raster.Image {
		p := blobs[file+"\x00"+layer]
		im, err := s.Level(p.Blob, p.Layer)
		if err != nil {
			mu.Lock()
			defer mu.Unlock()
			failed = err
		}
		return im
	})
	if failed != nil {
		return f, failed
	}
	f.Report.Maps = nil
	if slices.ContainsFunc(steps, func(t treat.Step) bool { return t.Kind == treat.NormalFromPicture }) {
		f.Report.Findings = append(f.Report.Findings, inspect.Finding{Code: "normals_estimated", Severity: inspect.Note, Maps: []string{}})
	}
	return f, nil
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
