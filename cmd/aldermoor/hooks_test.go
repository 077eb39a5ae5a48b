package main

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"aldermoor/internal/blob"
	"aldermoor/internal/jobs"
	"aldermoor/internal/library/notices"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/requests"
	"aldermoor/internal/library/studio"
	"aldermoor/internal/store"
)

// A webhook is told of a request, signed, once more after it was busy.
func TestWebhooksAreTold(t *testing.T) {
	type call struct{ body, signature string }
	calls := make(chan call, 10)
	tries := 0
	hook := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		if tries++; tries == 1 {
			w.WriteHeader(503)
			return
		}
		calls <- call{string(body), r.Header.Get("X-Aldermoor-Signature")}
	}))
	defer hook.Close()
	dir, log := t.TempDir(), slog.New(slog.DiscardHandler)
	db, err := store.Open(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	disk, err := blob.Open(dir, 0)
	if err != nil {
		t.Fatal(err)
	}
	q := jobs.New(db.DB(), db.Reads(), log)
	s := studio.New(studio.Config{Store: db, Blobs: disk.Blobs, Derived: disk.Derived, Scratch: disk.Scratch, Log: log, Wake: q.Wake, Jobs: q.Waiting, Post: postHook})
	for kind, h := range s.Handlers() {
		q.Handle(kind, h)
	}
	ctx, cancel := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() { q.Run(ctx, 1); close(done) }()
	defer func() { cancel(); <-done }()
	admin := people.As("ada", people.Administrator)
	if _, err := s.Notices.SaveWebhooks(ctx, admin, 0, []notices.Webhook{{URL: hook.URL, Secret: "tide", Events: []string{"request.asked"}}}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Requests.Ask(ctx, people.As("arno", people.Artist), requests.Request{Kind: requests.Wanted, Title: "Wet slate", Pin: [2]float64{-1, -1}}, ""); err != nil {
		t.Fatal(err)
	}
	select {
	case k := <-calls:
		m := hmac.New(sha256.New, []byte("tide"))
		m.Write([]byte(k.body))
		if k.signature != "sha256="+hex.EncodeToString(m.Sum(nil)) || !strings.Contains(k.body, `"title":"Wet slate"`) || !strings.Contains(k.body, `"event":"request.asked"`) {
			t.Errorf("%+v", k)
		}
	case <-time.After(60 * time.Second):
		t.Fatal("the webhook was not told")
	}
}
