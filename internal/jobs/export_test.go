package jobs

import "context"

// Reclaim is reclaim, for tests.
func (q *Queue) Reclaim(ctx context.Context) (int64, error) { return q.reclaim(ctx) }
