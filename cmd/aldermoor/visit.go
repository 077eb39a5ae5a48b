package main

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"
)

// visitCommand lets many artists read the Library of a running server, for measuring.
func visitCommand() *cobra.Command {
	var url, token string
	var artists, seconds int
	c := &cobra.Command{Use: "visit", Short: "Read a Library as many artists at once, for measuring", Hidden: true, Args: cobra.NoArgs, RunE: work(func(ctx context.Context, _ []string) error {
		ctx, cancel := context.WithTimeout(ctx, time.Duration(seconds)*time.Second)
		defer cancel()
		v := visitors{url: strings.TrimSuffix(url, "/"), token: token, client: &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: artists}}}
		var wg sync.WaitGroup
		for i := range artists {
			wg.Go(func() { v.read(ctx, i, artists) })
		}
		wg.Wait()
		v.report()
		return nil
	})}
	c.Flags().StringVar(&url, "url", "http://127.0.0.1:8420", "address of the server")
	c.Flags().StringVar(&token, "token", "", "token of somebody who may read")
	c.Flags().IntVar(&artists, "artists", 200, "how many, each asking for a page a second")
	c.Flags().IntVar(&seconds, "seconds", 20, "for how long")
	return c
}

// visitors share what they measure.
type visitors struct {
	url, token string
	client     *http.Client
	mu         sync.Mutex
	took       []time.Duration
	failed     int
}

var visitedPages = []string{"/library", "/library?q=worn", "/library?page=3&sort=name", "/api/v1/library?q=sl", "/library?category=Stone", "/library?q=pale+loft&sort=largest"}

// read asks for a page a second, beginning at a time of its own within the first one.
func (v *visitors) read(ctx context.Context, i, of int) {
	next := time.NewTimer(time.Duration(i) * time.Second / time.Duration(of))
	defer next.Stop()
	for n := i; ; n++ {
		select {
		case <-ctx.Done():
			return
		case <-next.C:
			next.Reset(time.Second)
		}
		path := visitedPages[n%len(visitedPages)]
		if n%2 == 0 { // every other page is one that nobody asked for before
			sign := "?"
			if strings.Contains(path, "?") {
				sign = "&"
			}
			path += fmt.Sprintf("%smin_width_m=0.%03d%d", sign, i, n)
		}
		start := time.Now()
		err := v.ask(ctx, path)
		if ctx.Err() != nil {
			return
		}
		v.mu.Lock()
		if v.took = append(v.took, time.Since(start)); err != nil {
			v.failed++
		}
		v.mu.Unlock()
	}
}

func (v *visitors) ask(ctx context.Context, path string) error {
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, v.url+path, nil)
	if err != nil {
		return err
	}
	r.Header.Set("Authorization", "Bearer "+v.token)
	resp, err := v.client.Do(r)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	if _, err := io.Copy(io.Discard, resp.Body); err != nil {
		return err
	}
	if resp.StatusCode != http.StatusOK {
		return fmt.Errorf("%s: %s", path, resp.Status)
	}
	return nil
}

func (v *visitors) report() {
	slices.SortFunc(v.took, cmp.Compare)
	if len(v.took) == 0 {
		fmt.Println("nothing was answered")
		return
	}
	at := func(share float64) float64 {
		return float64(v.took[min(len(v.took)-1, int(share*float64(len(v.took))))].Microseconds()) / 1000
	}
	fmt.Printf("%d pages, %d errors: median %.1f ms, p95 %.1f ms, p99 %.1f ms, longest %.1f ms\n", len(v.took), v.failed, at(0.5), at(0.95), at(0.99), at(1))
}
