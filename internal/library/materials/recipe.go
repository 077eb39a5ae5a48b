package materials

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"aldermoor/core/fact"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
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
	Zero    [2]float64  // what became of the scan's zero level, times the first plus the second; both 0 where it stayed
	Report  inspect.Set // findings, tiling and pattern of the finished maps
	Relief  float64     // depth of the finished height as a share of the scan's width
	Tried   string      // the key of what could not be made, and
	Problem string      // why not, and
	Failed  bool        // that it was not the recipe's fault: it can be retried
	Step    int64       // which treatment it was
	Maps    []Map       `json:"-"` // those that the recipe made
}

// Kept is how much of the scan's size a repeat has.
func (f *Finish) Kept() [2]float64 {
	if f.Share[0] <= 0 || f.Share[1] <= 0 {
		return [2]float64{1, 1}
	}
	return f.Share
}

// ZeroOf is the zero level of the finished height by that of the scan's, which is nil for one at 0.
func (f *Finish) ZeroOf(scan *float64) *float64 {
	if f.Zero == [2]float64{} || f.Zero == [2]float64{1, 0} {
		return scan
	}
	z := 0.0
	if scan != nil {
		z = *scan
	}
	z = min(max(z*f.Zero[0]+f.Zero[1], 0), 1) // a height that was cut off has none below
	return &z
}

// scanZero is the zero level of the scan by that of the finished height.
func (f *Finish) scanZero(zero float64) float64 {
	if f.Zero[0] == 0 || len(f.Maps) == 0 {
		return zero
	}
	return min(max((zero-f.Zero[1])/f.Zero[0], 0), 1)
}

// DepthRatio is how many times as deep as the scan the relief is.
func (f *Finish) DepthRatio() float64 {
	if f.Deeper <= 0 {
		return 1
	}
	return f.Deeper
}

// scanned is the size and depth of the scan itself: what the finish made smaller or
// deeper is taken back. Where the size is unknown it is one metre wide.
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
		if err := m.takes(steps); err != nil {
			return "", err
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

// takes says what is wrong with a recipe for the material, before anything is carried out.
func (m *Material) takes(steps []Treatment) error {
	if len(steps) > 40 {
		return library.Invalid("A recipe has at most 40 treatments.")
	}
	for _, t := range steps {
		var inv treat.Invalid
		if errors.As(t.Valid(), &inv) {
			return library.Invalid(wording.Refused(inv.Why))
		}
	}
	if slices.ContainsFunc(m.Assigned(), func(p Map) bool { return len(p.Tiles) > 1 }) && len(steps) > 0 {
		return library.Invalid(fmt.Sprintf("%s has UDIM tiles. Treatments work on maps that repeat, not on those of a model.", m.Name))
	}
	return nil
}

// Making says how many of a material's maps its recipe has made so far, of how many; 0
// of 0 if none is being made.
func (s *Service) Making(id int64) (done, of int) {
	done, of, _, _ = s.mending.Get(fmt.Sprint(id))
	return done, of
}
