package materials

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"

	"aldermoor/core/fact"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/treat"
	"aldermoor/internal/library"
	"aldermoor/internal/wording"
)

// Trial is what a recipe would make of one map, on a reduced copy.
type Trial struct {
	Channel material.Channel // the one that was asked for, or the first that the last treatment makes
	Image   *raster.Image    // as it would be stored
	Share   [2]float64       // of the scan's size that would be left
	Did     fact.Fact        // what the last treatment comes to
}

// sheets are small copies of the maps that recipes were tried on last: somebody who chooses asks again and again.
type sheets struct {
	mu   sync.Mutex
	keys []string
	list []*treat.Sheet
}

// sheetsKept is how many copies are kept, of 3 MB each at most.
const sheetsKept = 16

func (k *sheets) get(key string, read func() (*treat.Sheet, error)) (*treat.Sheet, error) {
	k.mu.Lock()
	if i := slices.Index(k.keys, key); i >= 0 {
		defer k.mu.Unlock()
		return k.list[i], nil
	}
	k.mu.Unlock()
	s, err := read()
	if err != nil {
		return nil, err
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	k.keys, k.list = append(k.keys, key), append(k.list, s)
	if len(k.keys) > sheetsKept {
		k.keys, k.list = slices.Delete(k.keys, 0, 1), slices.Delete(k.list, 0, 1)
	}
	return s, nil
}

// Try shows what a recipe would make of one of a material's maps, and changes nothing. It passes the gate of what people
// wait for.
func (s *Service) Try(ctx context.Context, id int64, steps []Treatment, c material.Channel) (t Trial, err error) {
	var m Material
	if err := s.Store.Read(ctx, func(tx Reader) (err error) {
		m, err = tx.Material(id)
		return err
	}); err != nil {
		return t, err
	}
	if err := m.takes(steps); err != nil {
		return t, err
	}
	if len(steps) == 0 {
		return t, library.Invalid("There is no treatment to try.")
	}
	list := make([]treat.Step, len(steps))
	for i, k := range steps {
		list[i] = k.Step
	}
	scan := s.scan(&m)
	load := scan.Load
	scan.Load = func(c material.Channel, n int) (*treat.Sheet, error) {
		p := m.Map(c)
		if p == nil || n > treat.TryAt {
			return load(c, n)
		}
		key := p.Blob + "\x00" + p.Layer + "\x00" + p.Component + "\x00" + string(c) + "\x00" + fmt.Sprint(p.Direction)
		return s.tried.get(key, func() (*treat.Sheet, error) { return load(c, n) })
	}
	err = s.Work.Do(ctx, func() error {
		shown, sheet, plan, err := treat.Try(ctx, scan, list, c)
		var inv treat.Invalid
		if errors.As(err, &inv) {
			return library.Invalid(wording.Refused(inv.Why))
		}
		if err != nil {
			return err
		}
		t = Trial{shown, sheet.Image(), plan.Share, plan.Did[len(plan.Did)-1]}
		return nil
	})
	return t, err
}
