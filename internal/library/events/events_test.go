package events

import (
	"testing"

	"aldermoor/internal/library"
)

func TestListenersMissNoTopic(t *testing.T) {
	l := &Listener{pending: map[string]bool{}, Ready: make(chan struct{}, 1)}
	for i := range 100 {
		l.add(library.Event{ID: int64(i + 1), Topic: "delivery:7"})
	}
	l.add(library.Event{ID: 101, Topic: "library"})
	<-l.Ready
	if got, last := l.Take(); len(got) != 2 || last != 101 {
		t.Errorf("%v, up to %d", got, last)
	}
}
