package search

// looks finds the cards of a look without going through all of them: cards of one look are a chain.
type looks struct {
	first map[string]int32 // the first card of a chain, by look
	next  []int32          // the card behind each in its chain; −1 for none
}

// add puts card i, whose look it is, at the head of its chain.
func (l *looks) add(look string, i int32) {
	if l.first == nil {
		l.first = map[string]int32{}
	}
	for int(i) >= len(l.next) {
		l.next = append(l.next, -1)
	}
	l.next[i] = -1
	if head, ok := l.first[look]; ok {
		l.next[i] = head
	}
	l.first[look] = i
}

// remove takes card i out of the chain of its look.
func (l *looks) remove(look string, i int32) {
	head, ok := l.first[look]
	if !ok {
		return
	}
	if head == i {
		if l.next[i] < 0 {
			delete(l.first, look)
		} else {
			l.first[look] = l.next[i]
		}
		return
	}
	for k := head; k >= 0; k = l.next[k] {
		if l.next[k] == i {
			l.next[k] = l.next[i]
			return
		}
	}
}

// each calls f with the cards of a look.
func (l *looks) each(look string, f func(i int32)) {
	head, ok := l.first[look]
	if !ok {
		return
	}
	for k := head; k >= 0; k = l.next[k] {
		f(k)
	}
}
