package web

import (
	"testing"
	"time"
)

// What is kept for the page after a form is given once, to the person who sent it, and expires.
func TestSaidOnce(t *testing.T) {
	var o onces
	now := time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)
	key := o.put("ada", "a token", now)
	if got := o.take("bo", key, now); got != nil {
		t.Errorf("somebody else got %v", got)
	}
	if got := o.take("ada", key, now); got != "a token" {
		t.Errorf("ada got %v", got)
	}
	if got := o.take("ada", key, now); got != nil {
		t.Errorf("ada got %v once more", got)
	}
	key = o.put("ada", "late", now)
	if got := o.take("ada", key, now.Add(time.Hour)); got != nil {
		t.Errorf("an hour later there was %v", got)
	}
	for range 3 * onceMost {
		o.put("ada", 1, now)
	}
	if len(o.kept) > onceMost {
		t.Errorf("%d are kept", len(o.kept))
	}
}
