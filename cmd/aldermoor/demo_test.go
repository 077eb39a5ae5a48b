package main

import (
	"context"
	"strings"
	"sync"
	"testing"
	"time"

	"aldermoor/internal/library/people"
	"aldermoor/internal/library/search"
)

// The first visitor of the demo sees a full wall: six materials at once, and twenty soon.
func TestTheDemoIsStockedAtOnce(t *testing.T) {
	if testing.Short() {
		t.Skip("takes a while")
	}
	ctx, cancel := context.WithCancel(t.Context())
	a, err := openApp(ctx, t.TempDir(), defaultLimits(), logger(false))
	if err != nil {
		t.Fatal(err)
	}
	var wg sync.WaitGroup
	defer func() { cancel(); wg.Wait(); a.close() }()
	a.studio.People.Demo = true
	if err := demoAccounts(ctx, a.studio); err != nil {
		t.Fatal(err)
	}
	start := time.Now()
	wg.Go(func() { a.queue.Run(ctx, 2) })
	wg.Go(func() {
		if err := deliverDemo(ctx, a.studio, 256); err != nil && ctx.Err() == nil {
			t.Error(err)
		}
	})
	by := people.As("artist", people.Artist)
	until := func(n int, most time.Duration) search.Found {
		for {
			f, err := a.studio.Search.Find(ctx, by, search.Query{Per: 60})
			if err != nil {
				t.Fatal(err)
			}
			if f.Total >= n {
				t.Logf("%d materials after %v", n, time.Since(start).Round(100*time.Millisecond))
				return f
			}
			if time.Since(start) > most {
				t.Fatalf("%d of %d materials after %v", f.Total, n, most)
			}
			time.Sleep(50 * time.Millisecond)
		}
	}
	// The bounds are those of a quiet machine, four times over.
	until(6, 20*time.Second)
	for _, c := range until(20, 2*time.Minute).Items {
		if strings.Contains(c.Name, "_") || !c.Size.Known() || len(c.Categories) == 0 {
			t.Errorf("%+v is not described", c)
		}
	}
}
