package web

import (
	"fmt"
	"testing"
	"time"
)

func TestATokenInALoopIsSlowedDown(t *testing.T) {
	var r rates
	now := time.Unix(1000, 0)
	for i := range tokenBurst {
		if wait := r.wait("a", now); wait > 0 {
			t.Fatalf("request %d waits %v", i, wait)
		}
	}
	if wait := r.wait("a", now); wait <= 0 || wait > time.Second {
		t.Errorf("one more waits %v", wait)
	}
	if wait := r.wait("b", now); wait > 0 {
		t.Errorf("another token waits %v", wait)
	}
	if wait := r.wait("a", now.Add(time.Second)); wait > 0 {
		t.Errorf("after a second it still waits %v", wait)
	}
	for i := range 3 * mostTokens { // strangers' tokens do not fill the memory
		r.wait(fmt.Sprint("stranger ", i), now)
	}
	if len(r.all) > mostTokens {
		t.Errorf("%d tokens are remembered", len(r.all))
	}
}
