package watch_test

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"aldermoor/internal/blob"
	"aldermoor/internal/library"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/studio"
	"aldermoor/internal/store"
	"aldermoor/internal/watch"
)

var lena = people.As("lena", people.Librarian)

const rest = 150 * time.Millisecond

type folder struct {
	*studio.Studio
	t    *testing.T
	root string
	id   int64
	now  atomic.Int64 // the watcher's clock and the files' times, in nanoseconds: it stands unless a test moves it
}

// watched is a service that watches a folder of its own; nothing sorts what is taken.
func watched(t *testing.T) *folder {
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
	f := &folder{t: t, root: t.TempDir(), Studio: studio.New(studio.Config{Store: db, Blobs: disk.Blobs, Derived: disk.Derived, Scratch: disk.Scratch})}
	f.now.Store(time.Now().UnixNano())
	f.Intake.WatchRoots = []string{f.root}
	w, err := f.Intake.AddWatch(ctx, lena, f.root, "Quay Rig")
	if err != nil {
		t.Fatal(err)
	}
	f.id = w.ID
	done := make(chan struct{})
	go func() {
		(&watch.Watcher{Studio: f.Studio, Log: slog.New(slog.DiscardHandler), Rest: rest, Now: f.clock}).Run(ctx)
		close(done)
	}()
	t.Cleanup(func() { cancel(); <-done; db.Close() })
	return f
}

func (f *folder) clock() time.Time { return time.Unix(0, f.now.Load()) }

func (f *folder) write(name, data string) {
	f.t.Helper()
	p := filepath.Join(f.root, filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(p), 0o755); err != nil {
		f.t.Fatal(err)
	}
	// Until it has its time it is hidden, as the system's time is not the clock's.
	part := filepath.Join(filepath.Dir(p), "."+filepath.Base(p))
	if err := os.WriteFile(part, []byte(data), 0o644); err != nil {
		f.t.Fatal(err)
	}
	if err := os.Chtimes(part, f.clock(), f.clock()); err != nil {
		f.t.Fatal(err)
	}
	if err := os.Rename(part, p); err != nil {
		f.t.Fatal(err)
	}
}

// deliveries are the names of what was taken, with how many bytes.
func (f *folder) deliveries() (out []string) {
	list, _, err := f.Intake.Deliveries(f.t.Context(), lena, intake.DeliveryQuery{Per: 100})
	if err != nil {
		f.t.Fatal(err)
	}
	for _, d := range list {
		out = append(out, fmt.Sprintf("%s/%s/%d", d.Station, d.Name, d.Bytes))
	}
	slices.Sort(out)
	return out
}

// watch is the watched folder as it is known.
func (f *folder) watch() intake.Watch {
	list, err := f.Intake.Watches(f.t.Context(), lena)
	if err != nil || len(list) != 1 {
		f.t.Fatal(list, err)
	}
	return list[0]
}

// expect lets what was written rest, and holds what is taken against want.
func (f *folder) expect(want ...string) {
	f.t.Helper()
	var got []string
	slices.Sort(want)
	for range 1200 {
		f.now.Add(int64(rest))
		f.Intake.ChangeWatch(f.t.Context(), lena, library.Seen{ID: f.id}, false) // look at once
		if got = f.deliveries(); slices.Equal(got, want) {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	time.Sleep(2 * rest) // and nothing more comes
	if got = f.deliveries(); !slices.Equal(got, want) {
		f.t.Errorf("%v, want %v", got, want)
	}
}

func TestEachFolderIsADeliveryAndLooseFilesAreOne(t *testing.T) {
	f := watched(t)
	f.write("monday/slates/a.png", "12345")
	f.write("monday/slates/b.png", "12345")
	f.write("oak.zip", "zip")
	f.write("elm_color.png", "ab")
	f.write(".hidden", "never taken")
	f.write("monday/.part", "never taken")
	base := materials.TitleOf(filepath.Base(f.root))
	f.expect("Quay Rig/Monday/10", "Quay Rig/"+base+"/5")
	// Only what is new or has changed comes again.
	f.write("monday/slates/c.png", "123")
	f.expect("Quay Rig/Monday/10", "Quay Rig/Monday/3", "Quay Rig/"+base+"/5")
	f.write("monday/slates/a.png", "1234567")
	f.expect("Quay Rig/Monday/10", "Quay Rig/Monday/3", "Quay Rig/Monday/7", "Quay Rig/"+base+"/5")
	if err := os.Remove(filepath.Join(f.root, "oak.zip")); err != nil {
		t.Fatal(err)
	}
	f.expect("Quay Rig/Monday/10", "Quay Rig/Monday/3", "Quay Rig/Monday/7", "Quay Rig/"+base+"/5")
}

func TestWhatIsBeingWrittenIsNotTaken(t *testing.T) {
	f := watched(t)
	for i := range 8 {
		f.write("tuesday/a.png", strings.Repeat("x", i+1))
		f.now.Add(int64(rest) - 1)
		f.Intake.ChangeWatch(t.Context(), lena, library.Seen{ID: f.id}, false)
		for len(f.deliveries()) == 0 && !f.watch().Restless {
			time.Sleep(time.Millisecond) // until it has looked
		}
		if got := f.deliveries(); len(got) != 0 {
			t.Fatalf("after %d writes: %v", i+1, got)
		}
	}
	f.expect("Quay Rig/Tuesday/8")
}

func TestAFolderThatIsGoneIsSaidAndTakenUpAgain(t *testing.T) {
	f := watched(t)
	away := f.root + "-away"
	if err := os.Rename(f.root, away); err != nil {
		t.Fatal(err)
	}
	f.Intake.ChangeWatch(t.Context(), lena, library.Seen{ID: f.id}, false) // look at once
	for range 2400 {
		if f.watch().Problem != "" {
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	if p := f.watch().Problem; !strings.Contains(p, f.root) || !strings.Contains(p, "is not there") {
		t.Errorf("%q", p)
	}
	if err := os.Rename(away, f.root); err != nil {
		t.Fatal(err)
	}
	f.write("wednesday/a.png", "1")
	f.Intake.ChangeWatch(t.Context(), lena, library.Seen{ID: f.id}, false)
	f.expect("Quay Rig/Wednesday/1")
	if p := f.watch().Problem; p != "" {
		t.Errorf("it still says %q", p)
	}
}

// Neither the other machine's clock nor a file that cannot be read keeps anything else from being taken.
func TestForeignClocksAndUnreadableFiles(t *testing.T) {
	f := watched(t)
	f.write("friday/a.png", "12")
	for name, at := range map[string]time.Time{"friday/a.png": f.clock().Add(300 * 24 * time.Hour)} {
		if err := os.Chtimes(filepath.Join(f.root, name), at, at); err != nil {
			t.Fatal(err)
		}
	}
	f.expect("Quay Rig/Friday/2")
	if os.Getuid() == 0 {
		return // everything can be read
	}
	f.write("locked/a.png", "1")
	if err := os.Chmod(filepath.Join(f.root, "locked"), 0); err != nil {
		t.Fatal(err)
	}
	defer os.Chmod(filepath.Join(f.root, "locked"), 0o755)
	f.write("saturday/a.png", "123")
	f.expect("Quay Rig/Friday/2", "Quay Rig/Saturday/3")
	if p := f.watch().Problem; !strings.Contains(p, "may not be read") {
		t.Errorf("it says %q", p)
	}
}

// A link in a watched folder leads nowhere, whether it was there or took a file's place.
func TestLinksLeadNowhere(t *testing.T) {
	f := watched(t)
	secret := filepath.Join(t.TempDir(), "secret.png")
	if err := os.WriteFile(secret, []byte("secret"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(secret, filepath.Join(f.root, "link.png")); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(filepath.Dir(secret), filepath.Join(f.root, "folder")); err != nil {
		t.Fatal(err)
	}
	f.write("thursday/a.png", "1")
	f.expect("Quay Rig/Thursday/1")
	// The watched folder itself becomes a link.
	if err := os.Rename(f.root, f.root+"-away"); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(filepath.Dir(secret), f.root); err != nil {
		t.Fatal(err)
	}
	f.Intake.WatchRoots = []string{filepath.Join(f.root, "..", "nowhere"), f.root + "-away"}
	f.expect("Quay Rig/Thursday/1")
	if p := f.watch().Problem; !strings.Contains(p, "outside the folders") {
		t.Errorf("it says %q", p)
	}
}
