package intake

import (
	"sync"
	"time"
)

// paceOver is the stretch of time over which the pace of examination is taken.
const paceOver = 20 * time.Second

// pace knows how many bytes have been examined lately.
type pace struct {
	mu   sync.Mutex
	done []stretch
}

// stretch is one file's examination.
type stretch struct {
	from, to time.Time
	bytes    int64
}

func (p *pace) add(from, to time.Time, bytes int64) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.done = append(p.done, stretch{from, to, bytes})
	for len(p.done) > 0 && to.Sub(p.done[0].to) > paceOver {
		p.done = p.done[1:]
	}
}

// left is how long the given bytes will take at the pace of the last files; 0 if that
// is not known yet.
func (p *pace) left(bytes int64, now time.Time) time.Duration {
	p.mu.Lock()
	defer p.mu.Unlock()
	var n int64
	start := now
	for _, s := range p.done {
		if now.Sub(s.to) > paceOver {
			continue
		}
		n += s.bytes
		if s.from.Before(start) {
			start = s.from
		}
	}
	took := now.Sub(start)
	if n == 0 || took < time.Second || bytes <= 0 {
		return 0
	}
	return time.Duration(float64(bytes) / float64(n) * float64(took)).Round(time.Second)
}
