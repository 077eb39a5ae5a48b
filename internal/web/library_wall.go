package web

import "sync"

// walls keeps walls as they were written, until something is published: many artists look
// at the same ones, and writing sixty cards takes longer than finding them.
type walls struct {
	mu      sync.Mutex
	edition uint64
	kept    map[string][]byte
}

// wallsKept is how many walls are kept, each of some 120 KB.
const wallsKept = 96

func (w *walls) get(edition uint64, key string) ([]byte, bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.edition != edition {
		w.edition, w.kept = edition, nil
	}
	b, ok := w.kept[key]
	return b, ok
}

func (w *walls) put(edition uint64, key string, b []byte) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.edition != edition {
		return
	}
	if w.kept == nil || len(w.kept) >= wallsKept {
		w.kept = map[string][]byte{}
	}
	w.kept[key] = b
}
