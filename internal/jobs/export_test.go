package jobs

import (
	"context"
	"time"
)

// Reclaim is reclaim, for tests.
func (q *Queue) Reclaim(ctx context.Context) (int64, error) { return q.reclaim(ctx) }

// SetSlice sets how long a job has its worker until it may give it back, for tests.
func (q *Queue) SetSlice(d time.Duration) { q.slice = d }

// SetRoomPause sets how long a job waits when the disk is full, for tests.
func (q *Queue) SetRoomPause(d time.Duration) { q.room = d }
