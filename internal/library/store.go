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
var ErrNotFound = errors.New("not found")

// ErrStale says that the thing has changed since the version that a write was made for.
var ErrStale = errors.New("changed by somebody else")

// Store keeps rows. Write runs f in a transaction that no other write overlaps, and
// keeps what it did only if it returns nil. Read runs f on a state that does not change
// under it.
type Store interface {
	Write(ctx context.Context, f func(Tx) error) error
	Read(ctx context.Context, f func(Reader) error) error
	// OnCommit sets what is told the topics of each committed transaction, in the order
	// of the commits.
	OnCommit(f func([]Event))
}

// Reader is what can be asked within a transaction. What is not there gives ErrNotFound.
type Reader interface {
	AccountReader
	DeliveryReader
	MaterialReader
	ReleaseReader
	StepReader
	SettingReader
	// EventsAfter are the events with higher numbers, at most limit, and the lowest
	// number that is still kept.
	EventsAfter(id int64, limit int) (list []Event, oldest int64, err error)
	// LastEvent is the highest number so far.
	LastEvent() (int64, error)
}

// Tx is what can be done within a transaction that writes.
type Tx interface {
	Reader
	AccountWriter
	DeliveryWriter
	MaterialWriter
	ReleaseWriter
	StepWriter
	SettingWriter
	// AddJob makes sure that a job will be done; see internal/jobs.
	AddJob(kind, key string, priority int) error
	// Changed adds a topic to what the transaction changed, once.
	Changed(topic string)
	// ForgetEvents removes those up to a number.
	ForgetEvents(upTo int64) error
}

// AccountReader reads people, their tokens and sign-ins, and what they did.
type AccountReader interface {
	Users() ([]User, error)
	User(id int64) (User, error)
	UserNamed(name string) (User, error)
	Token(hash []byte) (Token, User, error)
	Tokens(user int64) ([]Token, error)
	SignIn(id string) (SignIn, User, error)
	SignIns(user int64) ([]SignIn, error)
	Audit(q AuditQuery) ([]AuditEntry, error)
	AuditActions() ([]string, error)
}

// AccountWriter changes them.
type AccountWriter interface {
	SaveUser(u *User) error // adds it if its ID is 0; else ErrStale if its version is not the stored one
	AddToken(t *Token, hash []byte) error
	RemoveToken(user, id int64) error
	UseToken(id int64, at time.Time) error
	AddSignIn(s SignIn) error
	SeeSignIn(id string, at time.Time) error
	EndSignIns(user int64, id string) error // the one of that id, or all if it is empty
	AddAudit(e AuditEntry) error
}

// DeliveryReader reads deliveries, their files, and watched folders.
type DeliveryReader interface {
	Parcels(delivery int64) ([]Parcel, error)
	Delivery(id int64) (Delivery, error)
	Deliveries(limit int) ([]Delivery, error)
	File(id int64) (File, error)
	Files(delivery int64) ([]File, error)
	Unexamined(delivery int64) (bool, error) // whether there are files that were not looked at yet
	Stations() ([]string, error)             // that deliveries have come from, by name
	// KnownBlobs calls f with each blob that a row names.
	KnownBlobs(f func(sum string)) error
	Watches() ([]Watch, error)
	TakenFrom(watch int64) (map[string]Taken, error)
}

// DeliveryWriter changes them.
type DeliveryWriter interface {
	AddDelivery(d *Delivery) error
	AddParcel(p *Parcel) error
	SetParcel(p Parcel) error // its contents, and whether it was opened
	SetDelivery(id int64, s State, station, problem string) error
	AddFile(f *File) error // ErrStale if the delivery has the path
	MoveFile(f File) error // to its Path
	SaveExamined(f File) error
	ReplaceFile(f File) error // its contents, and that it was not examined yet
	RemoveFile(id int64) error
	SaveWatch(w *Watch) error // adds it if its ID is 0; else ErrStale if its version is not the stored one
	NoteWatch(w Watch) error  // what a look at it showed; no new version
	RemoveWatch(id int64) error
	AddTaken(watch int64, files []Taken) error
}

// MaterialReader reads drafts.
type MaterialReader interface {
	Material(id int64) (Material, error)
	MaterialsOf(delivery int64) ([]Material, error)
	Drafts(limit int) ([]Material, error) // accepted ones, the latest first, without maps
	DraftIDs() ([]int64, error)           // of all that are not left out
	MaterialOfMap(id int64) (int64, error)
	FreeSlug(want string) (string, error)
	// SizesOf are the sizes of a station's materials that were read from its files, the latest first.
	SizesOf(station string, limit int) ([]scale.Size, error)
	CountMaterials() (unseen, unreleased int, err error)
	// SameFiles is another material that has all of these files; ErrNotFound if none has.
	SameFiles(material int64, blobs []string) (int64, error)
	Prints(each func(material int64, p likeness.Print)) error
	Print(material int64) (likeness.Print, error) // empty if there is none
	LeftOut(each func(material int64)) error
	// OwnersOf are the materials that have maps of a delivery's files.
	OwnersOf(delivery int64) ([]int64, error)
}

// MaterialWriter changes them.
type MaterialWriter interface {
	AddMaterial(m *Material) error // ErrStale if the delivery has its set already
	// SaveMaterial writes the material back and raises its version; ErrStale if
	// m.Version is not the one in the store.
	SaveMaterial(m *Material) error
	// SaveGrades writes a material's reports and doubts back, without making another
	// version of it; ErrStale if it was changed meanwhile.
	SaveGrades(m *Material) error
	SaveMap(material int64, m Map) error
	AddMap(material int64, m *Map) error
	SaveFinish(material int64, maps []Map) error // in the place of those that were made before
	MoveMaps(to int64, ids []int64) error
	SavePrint(material int64, p likeness.Print) error
}

// ReleaseReader reads what is published.
type ReleaseReader interface {
	Release(id int64) (Release, error)
	ReleasesOf(material int64) ([]Release, error) // latest first
	Cards(each func(Card)) error
}

// ReleaseWriter publishes.
type ReleaseWriter interface {
	AddRelease(r *Release) error
	Publish(c Card) error
}

// StepReader reads recorded steps and the rules that were made of them.
type StepReader interface {
	Step(id int64) (Step, error)
	// StepsOf are the steps of a delivery, or of a material if that is 0, the latest first.
	StepsOf(delivery, material int64, limit int) ([]Step, error)
	Rules() ([]Rule, error)
}

// StepWriter records them.
type StepWriter interface {
	AddStep(s *Step) error
	MarkStep(id int64, undone bool) error
	SaveRule(r *Rule) error // as SaveWatch
	RemoveRule(id int64) error
}

// SettingReader reads what the studio has decided for all materials, by name.
type SettingReader interface {
	Setting(name string, to any) (version int64, err error)
}

// SettingWriter changes it; ErrStale if version is not the stored one (0: none is).
type SettingWriter interface {
	SaveSetting(name string, value any, version int64) error
}

// Blobs keeps files by their contents.
type Blobs interface {
	Put(ctx context.Context, r io.Reader) (sum string, n int64, err error)
	Adopt(ctx context.Context, file string) (sum string, n int64, err error)
	Read(sum string) ([]byte, error)
	Open(sum string) (Blob, error)
	Has(sum string) bool
}

// Blob is an open file.
type Blob = interface {
	io.ReaderAt
	io.Closer
	Size() int64
}

// Derived keeps files that can be made again; see internal/blob.
type Derived interface {
	Get(name string) (data []byte, ok bool)
	Put(name string, data []byte) error
	Has(name string) bool
	Open(name string) (Blob, error)
	Keep(name string, write func(*os.File) error) error
}

// Scratch keeps what it reads where it can be read at will, until done is called.
type Scratch interface {
	Keep(r io.Reader) (at io.ReaderAt, size int64, done func(), err error)
}
