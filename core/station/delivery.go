package station

import "fmt"

// Order says what a run of the station delivers.
type Order struct {
	Sets   int     // how many sets; the materials come round again with other seeds
	Px     int     // pixels on the longer side
	Seed   uint32  // the run
	Faults []Fault // planted one a set, from the second set on, every third set
}

// Delivered is one set as it leaves the station.
type Delivered struct {
	Set   string // its name
	Scan  *Scan  // what is true of it
	Files []File
}

// Deliver scans the sets of an order one after another and hands each to take,
// until take returns an error.
func Deliver(w *Writer, o Order, take func(Delivered) error) error {
	all := Materials()
	for i := range o.Sets {
		m := all[i%len(all)]
		round := i / len(all)
		opt := Options{Px: o.Px, Seed: o.Seed + uint32(round)}
		if k := (i - 1) / 3; len(o.Faults) > 0 && i%3 == 1 && k < len(o.Faults) {
			opt.Fault = o.Faults[k]
			m.Station = QuayRig // whose habits every fault contradicts
		}
		set := m.Slug
		if round > 0 {
			set = fmt.Sprintf("%s_%02d", m.Slug, round+1)
		}
		s := Take(m, opt)
		files, err := w.Files(s, set)
		if err != nil {
			return err
		}
		if err := take(Delivered{set, s, files}); err != nil {
			return err
		}
	}
	return nil
}
