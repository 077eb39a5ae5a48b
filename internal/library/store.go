package library

import (
	"context"
	"errors"
	"io"
	"os"
	"time"

	"aldermoor/core/likeness"
	"aldermoor/core/scale"
)

// ErrNotFound says that there is no such thing.
var ErrNotFound = errors.New("there is no such thing")

// ErrStale says that somebody else has changed the thing in the meantime.
var ErrStale = errors.New("somebody else has changed this in the meantime")

// Store keeps rows. Write runs f in a transaction that no other write overlaps,
// and keeps what it did only if it returns nil. Read runs f on a state that does
// not change under it.
type Store interface {
	Write(ctx context.Context, f func(Tx) error) error
	Read(ctx context.Context, f func(Tx) error) error
}

// Tx is what can be done within a transaction. What is asked for and is not
// there gives ErrNotFound.
type Tx interface {
	Accounts
	Deliveries
	Materials
	Releases
	Decisions
	Folders
	Settings
	// AddJob makes sure that a job will be done; see internal/jobs.
	AddJob(kind, key string, priority int) error
}

// Accounts are people, their tokens, and what they did.
type Accounts interface {
	Users() ([]User, error)
	User(id int64) (User, error)
	UserNamed(name string) (User, error)
	SaveUser(u *User) error // adds it if its ID is 0
	AddToken(user int64, label string, hash []byte, at time.Time) error
	UserOfToken(hash []byte) (User, error)
	AddAudit(e AuditEntry) error
	Audit(limit int) ([]AuditEntry, error)
}

// AuditEntry is one line of the record of who did what.
type AuditEntry struct {
	At                             time.Time
	Actor, Action, Subject, Detail string
}

// Deliveries are deliveries and their files.
type Deliveries interface {
	AddDelivery(d *Delivery) error
	AddParcel(p *Parcel) error
	Parcels(delivery int64) ([]Parcel, error)
	Delivery(id int64) (Delivery, error)
	Deliveries(limit int) ([]Delivery, error)
	SetDelivery(id int64, s State, station, problem string) error
	AddFile(f *File) error // does nothing if the delivery has the path
	File(id int64) (File, error)
	Files(delivery int64) ([]File, error)
	SaveExamined(f File) error
	ReplaceFile(f File) error // its contents, and that it was not examined yet
	Unexamined(delivery int64) (int, error)
	// KnownBlobs calls f with each blob that a row names.
	KnownBlobs(f func(sum string)) error
}

// Decisions are the steps taken in Intake, and the rules that were made of them.
type Decisions interface {
	AddStep(s *Step) error // forgets the steps that were undone
	// NextStep is the latest step that is not undone, or the earliest that is.
	NextStep(delivery int64, back bool) (Step, error)
	MarkStep(id int64, undone bool) error
	Rules() ([]Rule, error)
	SaveRule(r *Rule) error
	RemoveRule(id int64) error
	Stations() ([]string, error) // that deliveries have come from, by name
}

// Settings are what the studio has decided for all materials, by name.
type Settings interface {
	Setting(name string, to any) error
	SaveSetting(name string, value any) error
}

// Folders are watched folders, and what was taken from them.
type Folders interface {
	Watches() ([]Watch, error)
	SaveWatch(w *Watch) error // adds it if its ID is 0
	RemoveWatch(id int64) error
	TakenFrom(watch int64) (map[string]Taken, error)
	AddTaken(watch int64, files []Taken) error
}

// Materials are drafts.
type Materials interface {
	AddMaterial(m *Material) error // ErrStale if the delivery has its set already
	Material(id int64) (Material, error)
	MaterialsOf(delivery int64) ([]Material, error)
	Drafts(limit int) ([]Material, error) // accepted ones, the latest first, without maps
	// SaveMaterial writes the material back and raises its version; ErrStale if
	// m.Version is not the one in the store.
	SaveMaterial(m *Material) error
	// EachDraft calls f for each material that is not left out; SaveGrades writes its
	// reports and doubts back, without making another version of it.
	EachDraft(f func(*Material) error) error
	SaveGrades(m *Material) error
	SaveMap(material int64, m Map) error
	AddMap(material int64, m *Map) error
	SaveFinish(material int64, maps []Map) error // in the place of those that were made before
	MaterialOfMap(id int64) (int64, error)
	FreeSlug(want string) (string, error)
	// SizesOf are the sizes of a station's materials that were read from its files, the latest first.
	SizesOf(station string, limit int) ([]scale.Size, error)
	CountMaterials() (unseen, accepted int, err error)
	// SameFiles is another material that has all of these files; ErrNotFound if none has.
	SameFiles(material int64, blobs []string) (int64, error)
	SwapMaps(a, b int64) error
	SavePrint(material int64, p likeness.Print) error
	Prints(each func(material int64, p likeness.Print)) error
}

// Releases are what is published.
type Releases interface {
	AddRelease(r *Release) error
	Release(id int64) (Release, error)
	ReleasesOf(material int64) ([]Release, error) // latest first
	Publish(c Card) error
	Cards() ([]Card, error)
	// Search gives the materials whose words begin with the words of q, best first.
	Search(q string) ([]int64, error)
}

// Blobs keeps files by their contents, and beside them what was derived.
type Blobs interface {
	Put(ctx context.Context, r io.Reader) (sum string, n int64, err error)
	Adopt(ctx context.Context, file string) (sum string, n int64, err error)
	Read(sum string) ([]byte, error)
	Open(sum string) (*os.File, error)
	Aside(r io.Reader) (at io.ReaderAt, size int64, done func(), err error)
	Derived(name string, make func() ([]byte, error)) ([]byte, error)
	PutDerived(name string, data []byte) error
	DerivedPath(name string) (string, bool)
	Verify(ctx context.Context, wrong func(sum, says string)) (int, error)
}
