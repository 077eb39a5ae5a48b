package studio

import (
	"testing"
	"time"
)

// The share done and the time left follow from how the number of jobs falls.
func TestWorkUnderWay(t *testing.T) {
	var p pulse
	at := time.Date(2026, 3, 4, 9, 0, 0, 0, time.UTC)
	for _, step := range []struct {
		after time.Duration
		jobs  int
		done  float64
		left  time.Duration
	}{
		{0, 10, 0, 0}, {time.Second, 40, 0, 0}, {2 * time.Second, 39, 1.0 / 40, 0}, {11 * time.Second, 30, 0.25, 30 * time.Second},
		{31 * time.Second, 10, 0.75, 10 * time.Second}, {41 * time.Second, 0, 0, 0}, {50 * time.Second, 4, 0, 0},
	} {
		c := Counts{Jobs: step.jobs}
		p.track(&c, at.Add(step.after))
		if c.Done != step.done || c.Left != step.left {
			t.Errorf("after %v with %d jobs: %.3f done, %v left; want %.3f, %v", step.after, step.jobs, c.Done, c.Left, step.done, step.left)
		}
	}
}
