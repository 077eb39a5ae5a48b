package raster

import (
	"math"
	"runtime"
	"sync/atomic"
	"testing"
)

// A panic in a goroutine cannot be recovered elsewhere and would end the process.
func TestPanicsReachTheCaller(t *testing.T) {
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(4))
	catch := func(f func()) (p *Panic) {
		defer func() { p, _ = recover().(*Panic) }()
		f()
		return nil
	}
	rows := func() { Rows(8, func(y0, _ int) { _ = []int{1}[y0] }) }
	for name, f := range map[string]func(){
		"Rows":   rows,
		"Each":   func() { Each(8, func(i int) { _ = []int{1}[i] }) },
		"nested": func() { Each(2, func(int) { rows() }) },
	} {
		if p := catch(f); p == nil || p.Error() == "" || len(p.Stack) == 0 {
			t.Errorf("%s: caught %+v", name, p)
		}
	}
	var ran atomic.Int64
	catch(func() {
		Each(100, func(i int) {
			ran.Add(1)
			if i%10 == 0 {
				panic("a tenth fails")
			}
		})
	})
	if ran.Load() != 100 {
		t.Errorf("%d of 100 calls ran", ran.Load())
	}
}

func TestMendReplacesWhatIsNotFinite(t *testing.T) {
	nan, inf := float32(math.NaN()), float32(math.Inf(1))
	im := FromPlanes(Plane{3, 3, []float32{1, 2, 1, 2, nan, 2, 1, 2, 1}}, Plane{3, 3, []float32{inf, -inf, nan, inf, inf, inf, inf, inf, 5}}, Plane{3, 3, []float32{nan, nan, nan, nan, nan, nan, nan, nan, nan}})
	if n := im.MendNotFinite(); n != 1+8+9 {
		t.Errorf("%d samples were mended", n)
	}
	if v := im.Floats(0)[4]; v != 1.5 {
		t.Errorf("the mean of its neighbours is 1.5, not %v", v)
	}
	for i := range 9 {
		if im.Floats(1)[i] != 5 || im.Floats(2)[i] != 0 {
			t.Fatalf("sample %d is %v and %v", i, im.Floats(1)[i], im.Floats(2)[i])
		}
	}
	if n := im.MendNotFinite(); n != 0 {
		t.Errorf("%d are left", n)
	}
	// A hole of any size takes bounded time and leaves nothing behind.
	big := FromPlanes(NewPlane(600, 600))
	for i := range big.Floats(0) {
		if i%600 > 2 {
			big.Floats(0)[i] = nan
		} else {
			big.Floats(0)[i] = 0.25
		}
	}
	if big.MendNotFinite(); big.Floats(0)[300] != 0.25 {
		t.Errorf("the middle of the hole is %v", big.Floats(0)[300])
	}
}
