package studio_test

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"strings"
	"testing"
	"time"

	"aldermoor/core/scale"
	"aldermoor/core/station"
	"aldermoor/internal/blob"
	"aldermoor/internal/jobs"
	"aldermoor/internal/library"
	"aldermoor/internal/library/events"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/search"
	"aldermoor/internal/library/studio"
	"aldermoor/internal/store"
)

// bench is a studio on a real store and real blobs, whose clock stands still
// until it is told to go on.
type bench struct {
	*studio.Studio
	t     *testing.T
	db    *store.Store
	queue *jobs.Queue
	dir   string
	now   time.Time
}

// The people of the tests.
var (
	lena  = people.As("lena", people.Librarian)
	liv   = people.As("liv", people.Lead)
	ada   = people.As("ada", people.Administrator)
	arno  = people.As("arno", people.Artist)
	there = people.From{Address: "192.0.2.7"}
)

// now is a thing as it is, whatever was seen of it.
func now(id int64) library.Seen { return library.Seen{ID: id} }

func newStudio(t *testing.T) *bench {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	dir := t.TempDir()
	db, err := store.Open(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	disk, err := blob.Open(dir, 0)
	if err != nil {
		t.Fatal(err)
	}
	q := jobs.New(db.DB(), db.Reads(), slog.New(slog.DiscardHandler))
	s := &bench{t: t, db: db, queue: q, dir: dir, now: time.Date(2026, 3, 4, 9, 0, 0, 0, time.UTC)}
	s.Studio = studio.New(studio.Config{Store: db, Blobs: disk.Blobs, Derived: disk.Derived, Scratch: disk.Scratch, Wake: q.Wake, Jobs: q.Waiting, Now: func() time.Time { return s.now }})
	for kind, h := range s.Handlers() {
		q.Handle(kind, h)
	}
	q.OnFailure(s.JobFailed)
	if err := <-s.Search.Load(ctx); err != nil {
		t.Fatal(err)
	}
	done := make(chan struct{})
	go func() { q.Run(ctx, 2); close(done) }()
	t.Cleanup(func() { cancel(); <-done; db.Close() })
	return s
}

// send delivers files and waits until they are sorted.
func (s *bench) send(files ...station.File) intake.DeliveryReport {
	s.t.Helper()
	i := 0
	d, err := s.Intake.Receive(s.t.Context(), lena, func() (intake.Incoming, error) {
		if i == len(files) {
			return intake.Incoming{}, io.EOF
		}
		i++
		return intake.Incoming{Path: files[i-1].Name, R: bytes.NewReader(files[i-1].Data)}, nil
	}, func() (string, string) { return "", "Quay Rig" })
	if err != nil {
		s.t.Fatal(err)
	}
	return s.waitSorted(d.ID)
}

// waitSorted waits until a delivery has been sorted, or could not be.
func (s *bench) waitSorted(id int64) intake.DeliveryReport {
	s.t.Helper()
	for range 6000 {
		r, err := s.Intake.Delivery(s.t.Context(), lena, id)
		if err != nil {
			s.t.Fatal(err)
		}
		if r.State == intake.Sorted || r.State == intake.Failed {
			return r
		}
		time.Sleep(10 * time.Millisecond)
	}
	s.t.Fatal("never sorted")
	return intake.DeliveryReport{}
}

func scan(t *testing.T, slug string) []station.File {
	t.Helper()
	for _, m := range station.Materials() {
		if m.Slug == slug {
			files, err := station.NewWriter().Files(station.Take(m, station.Options{Px: 48, Seed: 1}), slug)
			if err != nil {
				t.Fatal(err)
			}
			return files
		}
	}
	t.Fatal(slug)
	return nil
}

// refused is the sentence of an error that a person can do something about.
func refused(t *testing.T, err error, says string) {
	t.Helper()
	var invalid library.Invalid
	if !errors.As(err, &invalid) || !strings.Contains(string(invalid), says) {
		t.Errorf("%v, want something of %q", err, says)
	}
}

func text(s string) *string { return &s }

func length(m float64) *materials.Length { l := materials.Length(m); return &l }

func TestADeliveryInArchivesKeepsWhatItCannotRead(t *testing.T) {
	s := newStudio(t)
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, f := range scan(t, "slates_round") {
		w, _ := z.Create(f.Name)
		w.Write(f.Data)
	}
	w, _ := z.Create("../../outside.png")
	w.Write([]byte("x"))
	w, _ = z.Create("slates_round/notes.txt")
	w.Write([]byte("scanned on a dry day"))
	z.Close()
	r := s.send(station.File{Name: "a.zip", Data: b.Bytes()}, station.File{Name: "b.zip", Data: b.Bytes()[:b.Len()/3]}, station.File{Name: ".DS_Store", Data: []byte("x")})
	if len(r.Materials) != 1 || r.Files != 8 {
		t.Errorf("%d materials, %d files", len(r.Materials), r.Files)
	}
	if len(r.Failures) != 2 {
		t.Errorf("%v", r.Failures)
	}
	m := r.Materials[0]
	if a := m.Report.Attachments; len(a) != 1 || a[0].Kind != "notes" {
		t.Errorf("%v", a)
	}
	if m.Station != "Quay Rig" || m.Doubts != 0 || m.Stage != materials.Unseen {
		t.Errorf("%q, %d doubts, %s", m.Station, m.Doubts, m.Stage)
	}
	if r.Name != "A and 2 more" && r.Name != "A and 1 more" {
		t.Errorf("called %q", r.Name)
	}
}

func TestNothingIsADeliveryWithoutFiles(t *testing.T) {
	s := newStudio(t)
	_, err := s.Intake.Receive(t.Context(), lena, func() (intake.Incoming, error) { return intake.Incoming{}, io.EOF }, func() (string, string) { return "", "" })
	refused(t, err, "No file was sent")
	broken := errors.New("the connection broke")
	n := 0
	_, err = s.Intake.Receive(t.Context(), lena, func() (intake.Incoming, error) {
		if n++; n > 1 {
			return intake.Incoming{}, broken
		}
		return intake.Incoming{Path: "a.png", R: strings.NewReader("x")}, nil
	}, func() (string, string) { return "", "" })
	if !errors.Is(err, broken) {
		t.Error(err)
	}
	if list, _, err := s.Intake.Deliveries(t.Context(), lena, intake.DeliveryQuery{Per: 10}); err != nil || len(list) != 0 {
		t.Errorf("half a delivery is there: %v %v", list, err)
	}
}

func TestSizesAndDepthsGoTogether(t *testing.T) {
	s := newStudio(t)
	m := s.send(scan(t, "slates_round")...).Materials[0]
	patch := func(c materials.Change) materials.Material {
		t.Helper()
		got, err := s.Materials.Patch(t.Context(), lena, now(m.ID), c)
		if err != nil {
			t.Fatal(err)
		}
		return got
	}
	if m.SizeSource != scale.FromTag || m.DepthSource != "normals" {
		t.Fatalf("size from %s, depth from %s", m.SizeSource, m.DepthSource)
	}
	relief := m.Depth / m.Size.W
	got := patch(materials.Change{Width: length(3.42), Height: length(2.28)})
	if got.Size != (scale.Size{W: 3.42, H: 2.28}) || got.SizeSource != scale.FromPerson || got.Depth/got.Size.W/relief < 0.999 || got.Depth/got.Size.W/relief > 1.001 {
		t.Errorf("%v from %s, %.4f m deep", got.Size, got.SizeSource, got.Depth)
	}
	// One side alone leaves the other, unless the ratio is to be kept.
	if got = patch(materials.Change{Width: length(1)}); got.Size.H != 2.28 {
		t.Errorf("%v", got.Size)
	}
	yes := true
	if got = patch(materials.Change{Width: length(2), KeepRatio: &yes}); got.Size.H != 4.56 {
		t.Errorf("%v", got.Size)
	}
	// A depth that somebody typed stays when the size changes.
	patch(materials.Change{Depth: length(0.02)})
	if got = patch(materials.Change{Width: length(1)}); got.Depth != 0.02 || got.DepthSource != string(scale.FromPerson) {
		t.Errorf("%.4f from %s", got.Depth, got.DepthSource)
	}
	if got = patch(materials.Change{SizeSource: text("resolution_tag")}); got.SizeSource != scale.FromTag || got.Size.W > 1.72 || got.Size.W < 1.70 {
		t.Errorf("back to the tag: %v from %s", got.Size, got.SizeSource)
	}
	_, err := s.Materials.Patch(t.Context(), lena, now(m.ID), materials.Change{SizeSource: text("sidecar")})
	refused(t, err, "no evidence")
	_, err = s.Materials.Patch(t.Context(), lena, now(m.ID), materials.Change{Name: text("  ")})
	refused(t, err, "needs a name")
	_, err = s.Materials.Patch(t.Context(), lena, library.Seen{ID: m.ID, Version: 1}, materials.Change{Name: text("late")})
	if !errors.Is(err, library.ErrStale) {
		t.Errorf("a stale version was taken: %v", err)
	}
	_, err = s.Materials.Patch(t.Context(), lena, now(999), materials.Change{})
	if !errors.Is(err, library.ErrNotFound) {
		t.Error(err)
	}
}

func TestReleasesNeverChange(t *testing.T) {
	s := newStudio(t)
	m := s.send(scan(t, "slates_round")...).Materials[0]
	ctx := t.Context()
	tags := []string{" Roof ", "roof", "GREY", ""}
	if got, err := s.Materials.Patch(ctx, lena, now(m.ID), materials.Change{Name: text("Hung slates"), Tags: &tags}); err != nil || fmt.Sprint(got.Tags) != "[grey roof]" {
		t.Errorf("%v %v", got.Tags, err)
	}
	first, err := s.Studio.Releases.Release(ctx, lena, now(m.ID), releases.ReleaseText{Notes: " First. "})
	if err != nil || first.Number != 1 || first.Notes != "First." {
		t.Fatalf("%+v %v", first, err)
	}
	_, err = s.Studio.Releases.Release(ctx, lena, now(m.ID), releases.ReleaseText{Notes: "Again."})
	refused(t, err, "just as it was released")
	s.now = s.now.Add(time.Hour)
	if _, err := s.Materials.Patch(ctx, lena, now(m.ID), materials.Change{Name: text("Slates of the mill")}); err != nil {
		t.Fatal(err)
	}
	second, err := s.Studio.Releases.Release(ctx, lena, now(m.ID), releases.ReleaseText{Notes: "Second."})
	if err != nil || second.Number != 2 {
		t.Fatal(err)
	}
	again, err := s.Releases.ReleaseByID(ctx, arno, first.ID)
	if err != nil || again.Material.Name != "Hung slates" || !again.Created.Equal(first.Created) {
		t.Errorf("release 1 is now %q of %v", again.Material.Name, again.Created)
	}
	list, err := s.Releases.Releases(ctx, arno, m.ID)
	if err != nil || len(list) != 2 || list[0].Number != 2 {
		t.Errorf("%v", err)
	}
	// The Library shows the latest, once, and finds it by its words.
	for q, want := range map[string]int{"": 1, "slat mill": 1, "hung": 0, "grey": 1} {
		found, err := s.Search.Find(ctx, arno, search.Query{Text: q})
		if err != nil || found.Total != want {
			t.Errorf("%q finds %d: %v", q, found.Total, err)
		}
	}
	if card, ok := s.Search.Card(first.Material.Slug); !ok || card.Number != 2 {
		t.Errorf("%+v", card)
	}
	_, err = s.Studio.Releases.Release(ctx, lena, now(m.ID), releases.ReleaseText{Notes: strings.Repeat("x", 4001)})
	refused(t, err, "4000 bytes")
	// What has been released stays on the Bench.
	_, err = s.Intake.Place(ctx, lena, m.DeliveryID, 0, []library.Seen{now(m.ID)}, materials.Unseen)
	refused(t, err, "has been released")
}

func TestListenersHearEachTopicOnceAndResume(t *testing.T) {
	s := newStudio(t)
	ctx := t.Context()
	listen := func(after int64) (*events.Listener, bool, func()) {
		t.Helper()
		l, gap, stop, err := s.Events.Listen(ctx, lena, after)
		if err != nil {
			t.Fatal(err)
		}
		return l, gap, stop
	}
	l, _, stop := listen(0)
	_, start := l.Take()
	rule := intake.Rule{Ending: "ro", Channel: "roughness"}
	for range 3 {
		if err := s.Intake.SaveRule(ctx, lena, &rule); err != nil {
			t.Fatal(err)
		}
	}
	select {
	case <-l.Ready:
	case <-time.After(time.Minute):
		t.Fatal("nothing was heard")
	}
	got, last := l.Take()
	if fmt.Sprint(got) != "[rules]" || last != start+3 {
		t.Errorf("%v up to %d, from %d on", got, last, start)
	}
	if got, _ := l.Take(); got == nil || len(got) != 0 {
		t.Errorf("%v is left", got)
	}
	stop()
	s.Intake.SaveRule(ctx, lena, &intake.Rule{Ending: "rx", Channel: "roughness"})
	if got, _ := l.Take(); len(got) != 0 {
		t.Errorf("after stopping: %v", got)
	}
	// A listener that was away hears what it missed, or that it missed too much.
	l, gap, stop := listen(last)
	if got, now := l.Take(); gap || fmt.Sprint(got) != "[rules]" || now != last+1 {
		t.Errorf("resumed: %v up to %d, gap %v", got, now, gap)
	}
	stop()
	if err := s.db.Write(ctx, func(tx studio.Tx) error { return tx.ForgetEvents(last) }); err != nil {
		t.Fatal(err)
	}
	for after, want := range map[int64]bool{last - 2: true, last: false, last + 99: true} {
		_, gap, stop := listen(after)
		if stop(); gap != want {
			t.Errorf("resumed after %d of %d: gap %v", after, last+1, gap)
		}
	}
}

// What changes between drawing a page and its listening is heard.
func TestNothingIsMissedWhileAPageIsDrawn(t *testing.T) {
	s := newStudio(t)
	ctx := t.Context()
	for _, ending := range []string{"qa", "qb"} { // the first before anything was published
		from := s.Events.Latest(ctx)
		if err := s.Intake.SaveRule(ctx, lena, &intake.Rule{Ending: ending, Channel: "roughness"}); err != nil {
			t.Fatal(err)
		}
		l, gap, stop, err := s.Events.Listen(ctx, lena, from)
		if err != nil {
			t.Fatal(err)
		}
		if topics, _ := l.Take(); from > 0 && (gap || fmt.Sprint(topics) != "[rules]") {
			t.Errorf("from %d on: %v, gap %v", from, topics, gap)
		}
		stop()
	}
}

func TestWatchesStayWithinTheirRoots(t *testing.T) {
	s := newStudio(t)
	ctx := t.Context()
	root, outside := t.TempDir(), t.TempDir()
	add := func(path, station string) (intake.Watch, error) { return s.Intake.AddWatch(ctx, lena, path, station) }
	_, err := add(root, "")
	refused(t, err, "No folder has been opened")
	s.Intake.WatchRoots = []string{root}
	if err := os.Symlink(outside, root+"/link"); err != nil {
		t.Fatal(err)
	}
	for path, says := range map[string]string{"relative": "whole path", "/etc": "outside", root + "/../other": "outside", root + "-beside": "outside", root + "/link": "outside", root + "/link/deeper": "outside"} {
		_, err := add(path, "")
		refused(t, err, says)
	}
	w, err := add(root+"/a/../b", "Quay Rig")
	if err != nil || w.Path != root+"/b" {
		t.Fatal(w, err)
	}
	_, err = add(root+"/b/", "")
	refused(t, err, "watched already")
	paused, err := s.Intake.ChangeWatch(ctx, lena, library.Seen{ID: w.ID, Version: w.Version}, true)
	if err != nil || !paused.Paused || paused.Version == w.Version {
		t.Error(paused, err)
	}
	if _, err := s.Intake.ChangeWatch(ctx, lena, library.Seen{ID: w.ID, Version: w.Version}, false); !errors.Is(err, library.ErrStale) {
		t.Errorf("a stale change: %v", err)
	}
	if list, err := s.Intake.Watches(ctx, lena); err != nil || len(list) != 1 || !list[0].Paused {
		t.Errorf("%+v %v", list, err)
	}
	if err := s.Intake.RemoveWatch(ctx, lena, library.Seen{ID: w.ID, Version: w.Version}); !errors.Is(err, library.ErrStale) {
		t.Errorf("a stale removal: %v", err)
	}
	if err := s.Intake.RemoveWatch(ctx, lena, now(w.ID)); err != nil {
		t.Error(err)
	}
	if err := s.Intake.RemoveWatch(ctx, lena, now(w.ID)); !errors.Is(err, library.ErrNotFound) {
		t.Error(err)
	}
}
