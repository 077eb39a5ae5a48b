package studio_test

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/handoff"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/station"
	"aldermoor/internal/library"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/studio"
)

func zipped(files ...station.File) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, f := range files {
		w, _ := z.CreateHeader(&zip.FileHeader{Name: f.Name, Method: zip.Store})
		w.Write(f.Data)
	}
	z.Close()
	return b.Bytes()
}

// files of a delivery, by path.
func (s *bench) files(delivery int64) map[string]intake.File {
	s.t.Helper()
	out := map[string]intake.File{}
	err := s.db.Read(s.t.Context(), func(tx studio.Reader) error {
		list, err := tx.Files(delivery)
		for _, f := range list {
			out[f.Path] = f
		}
		return err
	})
	if err != nil {
		s.t.Fatal(err)
	}
	return out
}

// Archives with the same paths inside keep all their files apart.
func TestArchivesWithTheSamePathsInside(t *testing.T) {
	s := newStudio(t)
	named := func(slug string) (out []station.File) {
		for _, f := range scan(t, slug) {
			if strings.HasSuffix(f.Name, ".png") {
				parts := strings.Split(f.Name, "_")
				out = append(out, station.File{Name: "scan/surface_" + parts[len(parts)-1], Data: f.Data})
			}
		}
		return out
	}
	one, two := named("slates_round"), named("quarry_glazed")
	r := s.send(station.File{Name: "monday/kit.zip", Data: zipped(one...)}, station.File{Name: "tuesday/kit.zip", Data: zipped(two...)},
		station.File{Name: "scan/surface_basecolor.png", Data: one[0].Data}, station.File{Name: "scan/surface_basecolor.png", Data: one[0].Data})
	files := s.files(r.ID)
	if len(files) < len(one)+len(two) || r.Files != len(files) {
		t.Fatalf("%d of %d files are there: %v", len(files), len(one)+len(two), files)
	}
	for _, f := range two {
		if files["kit/"+f.Name].Size != int64(len(f.Data)) {
			t.Errorf("%s of the second archive is not under its name", f.Name)
		}
	}
	maps := 0
	for _, m := range r.Materials {
		maps += len(m.Maps)
	}
	if len(r.Materials) < 2 || maps < len(one)+len(two) {
		t.Errorf("%d materials with %d maps", len(r.Materials), maps)
	}
}

// A path that occurs twice in one archive loses neither file.
func TestOnePathTwiceInOneArchive(t *testing.T) {
	s := newStudio(t)
	a, b := scan(t, "slates_round"), scan(t, "quarry_glazed")
	r := s.send(station.File{Name: "kit.zip", Data: zipped(a[0], station.File{Name: a[0].Name, Data: b[0].Data})})
	sizes := []int64{}
	for _, f := range s.files(r.ID) {
		sizes = append(sizes, f.Size)
	}
	slices.Sort(sizes)
	want := []int64{int64(len(a[0].Data)), int64(len(b[0].Data))}
	if slices.Sort(want); !slices.Equal(sizes, want) {
		t.Errorf("%v, want %v", sizes, want)
	}
}

// broken are blobs and derived files that fail while told to.
type broken struct {
	library.Blobs
	full    atomic.Int64 // how many files still fit; negative for all
	unread  atomic.Bool
	refused atomic.Int64
}

func (b *broken) Put(ctx context.Context, r io.Reader) (string, int64, error) {
	if n := b.full.Load(); n >= 0 {
		if n == 0 {
			b.refused.Add(1)
			return "", 0, fmt.Errorf("store a file: %w", syscall.ENOSPC)
		}
		b.full.Add(-1)
	}
	return b.Blobs.Put(ctx, r)
}

func (b *broken) Read(sum string) ([]byte, error) {
	if b.unread.Load() {
		return nil, errors.New("the disk does not answer")
	}
	return b.Blobs.Read(sum)
}

func (s *bench) breakable() *broken {
	b := &broken{Blobs: s.Intake.Blobs}
	b.full.Store(-1)
	s.Intake.Blobs = b
	return b
}

// A disk that fills up while an archive is unpacked makes no problems of its files: when
// there is room the unpacking goes on.
func TestUnpackingWaitsForRoom(t *testing.T) {
	s := newStudio(t)
	b := s.breakable()
	files := scan(t, "slates_round")
	b.full.Store(3) // the archive itself and two of its files
	d, err := s.Intake.Receive(t.Context(), lena, one("kit.zip", zipped(files...)), func() (string, string) { return "", "" })
	if err != nil {
		t.Fatal(err)
	}
	for b.refused.Load() == 0 {
		time.Sleep(5 * time.Millisecond)
	}
	b.full.Store(-1)
	r := s.waitSorted(d.ID)
	if r.State != intake.Sorted || len(r.Failures) != 0 || r.Files != len(files) || len(r.Materials) != 1 {
		t.Errorf("%s, failures %v, %d files of %d", r.State, r.Failures, r.Files, len(files))
	}
}

func one(name string, data []byte) func() (intake.Incoming, error) {
	sent := false
	return func() (intake.Incoming, error) {
		if sent {
			return intake.Incoming{}, io.EOF
		}
		sent = true
		return intake.Incoming{Path: name, R: bytes.NewReader(data)}, nil
	}
}

// An archive that was cut off is sent again whole: what is missing is added.
func TestADamagedArchiveIsSentAgain(t *testing.T) {
	s := newStudio(t)
	whole := zipped(scan(t, "slates_round")...)
	r := s.send(station.File{Name: "a/kit.zip", Data: whole[:len(whole)/2]}, station.File{Name: "b/sail.zip", Data: zipped(scan(t, "sailcloth")...)})
	if len(r.Failures) != 1 || len(r.Materials) != 1 {
		t.Fatalf("%v, %d materials", r.Failures, len(r.Materials))
	}
	if err := s.Intake.Resend(t.Context(), lena, r.ID, r.Version+5, r.Failures[0].File, bytes.NewReader(whole)); !errors.Is(err, library.ErrStale) {
		t.Errorf("for another version: %v", err)
	}
	if err := s.Intake.Resend(t.Context(), lena, r.ID, 0, r.Failures[0].File, bytes.NewReader(whole)); err != nil {
		t.Fatal(err)
	}
	r = s.waitSorted(r.ID)
	if len(r.Failures) != 0 || len(r.Materials) != 2 || r.Files != len(scan(t, "slates_round"))+len(scan(t, "sailcloth")) {
		t.Errorf("%v, %d materials, %d files", r.Failures, len(r.Materials), r.Files)
	}
}

// A file that is sent again goes to the set of its own folder, though another has the same
// name.
func TestAFileSentAgainFindsItsOwnSet(t *testing.T) {
	s := newStudio(t)
	var files []station.File
	var cut station.File
	for _, dir := range []string{"a/", "b/"} {
		for _, f := range scan(t, map[string]string{"a/": "slates_round", "b/": "quarry_glazed"}[dir]) {
			if !strings.HasSuffix(f.Name, ".png") {
				continue
			}
			parts := strings.Split(f.Name, "_")
			f.Name = dir + "slates_" + parts[len(parts)-1]
			if f.Name == "b/slates_normal.png" {
				cut = f
				f.Data = f.Data[:len(f.Data)/2]
			}
			files = append(files, f)
		}
	}
	r := s.send(files...)
	if len(r.Materials) != 2 || len(r.Failures) != 1 {
		t.Fatalf("%d materials, %v", len(r.Materials), r.Failures)
	}
	if err := s.Intake.Resend(t.Context(), lena, r.ID, 0, cut.Name, bytes.NewReader(cut.Data)); err != nil {
		t.Fatal(err)
	}
	r = s.waitSorted(r.ID)
	if len(r.Materials) != 2 {
		t.Errorf("%d materials after it was sent again", len(r.Materials))
	}
	for _, m := range r.Materials {
		dir := ""
		for _, p := range m.Maps {
			if d := strings.Split(p.File, "/")[0]; dir == "" {
				dir = d
			} else if d != dir {
				t.Errorf("%s has maps of both folders", m.Name)
			}
		}
		if p := m.Map(material.Normal); p == nil || p.File != dir+"/slates_normal.png" {
			t.Errorf("the normal map of %s is %+v", dir, p)
		}
	}
}

// A failed job is listed with what it is about, and is done again when a librarian asks.
func TestAFailedJobIsListedAndRetried(t *testing.T) {
	s := newStudio(t)
	r := s.send(scan(t, "slates_round")...)
	id := r.Materials[0].ID
	s.idle()
	if _, err := s.db.DB().Exec(`INSERT INTO jobs (kind, key, state, attempts, run_at, error) VALUES (?, ?, 'failed', 4, 0, 'the renderer broke')`, materials.JobPicture, fmt.Sprint(id)); err != nil {
		t.Fatal(err)
	}
	list, _, err := s.Jobs(t.Context(), lena)
	if err != nil || len(list) != 1 || list[0].Material != id || list[0].About != r.Materials[0].Name || list[0].Error != "the renderer broke" {
		t.Fatalf("%+v, %v", list, err)
	}
	if err := s.RetryJob(t.Context(), lena, list[0].ID+1); !errors.Is(err, library.ErrNotFound) {
		t.Errorf("a job that is not there: %v", err)
	}
	if err := s.RetryJob(t.Context(), lena, list[0].ID); err != nil {
		t.Fatal(err)
	}
	s.queue.Wake()
	s.idle()
	if list, _, err := s.Jobs(t.Context(), lena); err != nil || len(list) != 0 {
		t.Errorf("after the retry: %+v, %v", list, err)
	}
}

// What fails on the server, not in the files, is said as such and done again when asked.
func TestWhatFailedHereIsRetried(t *testing.T) {
	s := newStudio(t)
	files := scan(t, "slates_round")
	r := s.send(files...)
	if err := s.Intake.Retry(t.Context(), lena, r.ID, 0); err != nil || s.waitSorted(r.ID).Version != r.Version {
		t.Errorf("a retry of what is well changes something: %v", err)
	}
	for _, f := range s.files(r.ID) {
		if strings.HasSuffix(f.Path, "_height.png") {
			s.JobFailed(t.Context(), intake.JobExamine, fmt.Sprint(f.ID), errors.New("internal error: index out of range"))
		}
	}
	r = s.waitSorted(r.ID)
	if len(r.Failures) != 1 || !r.Retry || !strings.Contains(r.Failures[0].Error, "_height.png could not be examined: internal error") {
		t.Fatalf("%v, to be retried %v", r.Failures, r.Retry)
	}
	s.JobFailed(t.Context(), intake.JobSort, fmt.Sprint(r.ID), errors.New("the program ended three times while this was being done"))
	if r = s.waitSorted(r.ID); r.State != intake.Failed || !strings.Contains(r.Error, "Retry it") {
		t.Fatalf("%s: %q", r.State, r.Error)
	}
	if err := s.Intake.Retry(t.Context(), lena, r.ID, r.Version); err != nil {
		t.Fatal(err)
	}
	if r = s.waitSorted(r.ID); r.State != intake.Sorted || len(r.Failures) != 0 || r.Error != "" || len(r.Materials) != 1 {
		t.Errorf("%s: %q, %v, %d materials", r.State, r.Error, r.Failures, len(r.Materials))
	}
}

// A picture that lacks a map, because the map could not be read just then, is not kept.
func TestAPictureIsNotKeptWithoutAMapThatCouldNotBeRead(t *testing.T) {
	s := newStudio(t)
	b := s.breakable()
	m := s.send(scan(t, "slates_round")...).Materials[0]
	s.idle()
	os.RemoveAll(filepath.Join(s.dir, "derived"))
	b.unread.Store(true)
	if _, err := s.Pictures.Swatch(t.Context(), &m, 1, 64); err == nil {
		t.Fatal("a picture without its maps was given")
	}
	b.unread.Store(false)
	good, err := s.Pictures.Swatch(t.Context(), &m, 1, 64)
	if err != nil {
		t.Fatal(err)
	}
	// The same as in a studio where nothing failed.
	calm := newStudio(t)
	n := calm.send(scan(t, "slates_round")...).Materials[0]
	want, err := calm.Pictures.Swatch(t.Context(), &n, 1, 64)
	if err != nil || !bytes.Equal(good, want) {
		t.Errorf("the picture differs from what it should be: %v", err)
	}
}

// A handoff's files are made once, by a job; one that is torn or gone is made again, and
// another version of the writer does not use them.
func TestAHandoffIsMadeOnce(t *testing.T) {
	s := newStudio(t)
	ctx := t.Context()
	m := s.send(scan(t, "slates_round")...).Materials[0]
	r, err := s.Studio.Releases.Release(ctx, lena, now(m.ID), releases.ReleaseText{})
	if err != nil {
		t.Fatal(err)
	}
	profile, err := releases.ParseOrder("", "source", "y+", "", "")
	if err != nil {
		t.Fatal(err)
	}
	take := func() (releases.Made, error) { return s.Releases.Take(ctx, arno, &r, profile, time.Minute) }
	read := func() []byte {
		t.Helper()
		made, err := take()
		if err != nil {
			t.Fatal(err)
		}
		z, done, err := made.Zip()
		if err != nil {
			t.Fatal(err)
		}
		defer done()
		data := make([]byte, z.Size())
		if _, err := z.ReadAt(data, 0); err != nil && err != io.EOF {
			t.Fatal(err)
		}
		return data
	}
	if _, err := s.Releases.Take(ctx, people.Principal{}, &r, profile, 0); err == nil {
		t.Error("nobody takes it")
	}
	first := read()
	z, err := zip.NewReader(bytes.NewReader(first), int64(len(first)))
	if err != nil {
		t.Fatal(err)
	}
	made, _ := take()
	for i, f := range z.File { // the same bytes in the zip and file by file
		rc, _ := f.Open()
		data, err := io.ReadAll(rc)
		b, openErr := made.Open(made.Files[i].Path)
		if err != nil || openErr != nil {
			t.Fatal(err, openErr)
		}
		alone := make([]byte, b.Size())
		b.ReadAt(alone, 0)
		b.Close()
		if !bytes.Equal(data, alone) || handoff.FileOf(made.Files[i].Path, data).SHA256 != made.Files[i].SHA256 || f.Name != made.Folder+"/"+made.Files[i].Path {
			t.Errorf("%s differs", f.Name)
		}
	}
	if _, err := made.Open("../../aldermoor.db"); !errors.Is(err, library.ErrNotFound) {
		t.Errorf("a file outside: %v", err)
	}
	var kept []string
	filepath.WalkDir(filepath.Join(s.dir, "derived", "handoff"), func(p string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			kept = append(kept, p)
		}
		return nil
	})
	if len(kept) != len(made.Files)+1 || !strings.Contains(kept[0], fmt.Sprintf("/w%d/", handoff.Version)) {
		t.Errorf("%v", kept)
	}
	// A file that goes, or a manifest that is torn, has all made again; with the same bytes.
	for _, hurt := range []func(string) bool{
		func(p string) bool { return strings.HasSuffix(p, ".mtlx") && os.Remove(p) == nil },
		func(p string) bool { return strings.HasSuffix(p, "manifest.json") && os.Truncate(p, 40) == nil },
	} {
		if !slices.ContainsFunc(kept, hurt) {
			t.Fatal("nothing was hurt")
		}
		if !bytes.Equal(read(), first) {
			t.Error("made again it has other bytes")
		}
	}
	log, _, err := s.People.Audit(ctx, ada, people.AuditQuery{Action: "download", Per: 50})
	if err != nil || len(log) == 0 || log[0].Actor != "arno" {
		t.Errorf("downloads on record: %v %v", log, err)
	}
}

// Somebody who leaves is not worked for, and too many at once are turned away.
func TestNoWorkForACallerThatLeaves(t *testing.T) {
	s := newStudio(t)
	m := s.send(scan(t, "slates_round")...).Materials[0]
	gone, leave := context.WithCancel(t.Context())
	leave()
	if _, err := s.Pictures.Swatch(gone, &m, 1, 512); !errors.Is(err, context.Canceled) {
		t.Errorf("%v", err)
	}
	if _, err := s.Pictures.Swatch(t.Context(), &m, 0.3, 64); err == nil {
		t.Error("a swatch at an extent that is not offered")
	}
	// Sizes in between are made at the next larger one.
	a, errA := s.Pictures.Swatch(t.Context(), &m, 1, 100)
	b, errB := s.Pictures.Swatch(t.Context(), &m, 1, 128)
	if errA != nil || errB != nil || !bytes.Equal(a, b) {
		t.Errorf("100 and 128 pixels differ: %v %v", errA, errB)
	}
}

// The server finds the same figures of the same files as inspect does: both look at the same reduced copies.
func TestFiguresAreThoseOfInspect(t *testing.T) {
	s := newStudio(t)
	for _, slug := range []string{"slates_round", "setts_moss", "hull_clinker"} {
		_, files := taken(t, slug, station.Options{Px: 1500, Seed: 3})
		m := s.send(files...).Materials[0]
		small := map[string]*raster.Image{}
		var seen []inspect.Examined
		for _, f := range files {
			x, err := inspect.Examine(f.Name, inspect.SourceOf(f.Data), codec.DefaultLimits, func(layer string, im *raster.Image) error {
				small[channels.Address(f.Name, layer)] = inspect.Reduced(im)
				return nil
			})
			if err != nil {
				t.Fatal(err)
			}
			seen = append(seen, x)
		}
		set := inspect.Assemble(seen, inspect.Copies{Reduced: func(file, layer string) *raster.Image { return small[channels.Address(file, layer)] }}).Sets[0]
		if set.Depth == nil || set.Depth.Value != m.Depth || *set.Size.Width != m.Size.W {
			t.Errorf("%s: the server says %.6f m deep, %.4f m wide; inspect %+v, %v", slug, m.Depth, m.Size.W, set.Depth, *set.Size.Width)
		}
	}
}
