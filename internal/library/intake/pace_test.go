package intake

import (
	"testing"
	"time"
)

func TestPaceSaysHowLongTheRestTakes(t *testing.T) {
	var p pace
	at := func(s float64) time.Time { return time.Unix(1000, 0).Add(time.Duration(s * float64(time.Second))) }
	if got := p.left(100, at(0)); got != 0 {
		t.Errorf("before the first file: %v", got)
	}
	p.add(at(0), at(0.5), 10)
	if got := p.left(100, at(0.5)); got != 0 {
		t.Errorf("after half a second: %v", got)
	}
	// Two at a time, 10 bytes a second each.
	for i := range 10 {
		p.add(at(float64(i)), at(float64(i+1)), 10)
		p.add(at(float64(i)), at(float64(i+1)), 10)
	}
	if got := p.left(200, at(10)); got < 9*time.Second || got > 10*time.Second {
		t.Errorf("200 bytes at 20 a second: %v", got)
	}
	// A stand is not forgotten at once, and what is long past does not count.
	if got := p.left(200, at(60)); got != 0 {
		t.Errorf("after a pause: %v", got)
	}
}
