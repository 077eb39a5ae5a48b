package materials

import (
	"time"

	"aldermoor/core/inspect"
	"aldermoor/core/likeness"
	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// Reader reads drafts, steps and the studio's settings.
type Reader interface {
	Material(id int64) (Material, error)
	Drafts(q DraftQuery) (DraftList, error)    // accepted ones
	DraftIDs() ([]int64, error)                // of all that are not left out
	Namesakes(m *Material) ([]Namesake, error) // at most 3
	Prints(each func(material int64, p likeness.Print)) error
	Print(material int64) (likeness.Print, error)   // empty if there is none
	Examined(file int64) (*inspect.Examined, error) // what a file showed; nil if it was not looked at yet
	Step(id int64) (Step, error)
	// StepsOf are the steps of a delivery, or of a material if that is 0, the latest first.
	StepsOf(delivery, material int64, limit int) ([]Step, error)
	// Deletions are steps since a moment that deleted something and were not undone, the latest first.
	Deletions(after time.Time, n int) ([]Step, error)
	// Setting is what the studio has decided for all materials, by name.
	Setting(name string, to any) (version int64, err error)
}

// Tx changes them.
type Tx interface {
	Reader
	library.Recorder
	AddAudit(e people.AuditEntry) error
	// SaveMaterial writes the material back and raises its version; ErrStale if
	// m.Version is not the one in the store.
	SaveMaterial(m *Material) error
	// SaveGrades writes a material's reports and doubts back, without making another
	// version of it; ErrStale if it was changed meanwhile.
	SaveGrades(m *Material) error
	SaveMap(material int64, m Map) error
	SaveFinish(material int64, maps []Map) error // in the place of those that were made before
	MoveMaps(to int64, ids []int64) error
	SavePrint(material int64, p likeness.Print) error
	AddMaterial(m *Material) error
	FreeSlug(want string) (string, error)
	AddStep(s *Step) error
	MarkStep(id int64, undone bool) error
	RenameStep(id int64, says string) error
	SetDeliveryDeleted(id int64, at time.Time) error // the zero time: it was not
	// SaveSetting gives ErrStale if version is not the stored one (0: none is).
	SaveSetting(name string, value any, version int64) error
}
