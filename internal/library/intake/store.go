package intake

import (
	"aldermoor/core/scale"
	"aldermoor/internal/library/materials"
)

// Reader reads deliveries, their files, rules and watched folders, and drafts.
type Reader interface {
	materials.Reader
	Parcels(delivery int64) ([]Parcel, error)
	Delivery(id int64) (Delivery, error)
	Deliveries(q DeliveryQuery) (list []Delivery, total int, err error)
	File(id int64) (File, error)
	Files(delivery int64) ([]File, error)
	Unexamined(delivery int64) (bool, error) // whether there are files that were not looked at yet
	Stations() ([]string, error)             // that deliveries have come from, by name
	Watches() ([]Watch, error)
	TakenFrom(watch int64) (map[string]Taken, error)
	MaterialsOf(delivery int64) ([]materials.Material, error)
	MaterialOfMap(id int64) (int64, error)
	FreeSlug(want string) (string, error)
	// SizesOf are the sizes of a station's materials that were read from its files, the latest first.
	SizesOf(station string, limit int) ([]scale.Size, error)
	// SameFiles is another material that has all of these files; ErrNotFound if none has.
	SameFiles(material int64, blobs []string) (int64, error)
	LeftOut(each func(material int64)) error
	// OwnersOf are the materials that have maps of a delivery's files.
	OwnersOf(delivery int64) ([]int64, error)
	Rules() ([]Rule, error)
	// Corrections are channels that people have decided on, of the latest maps.
	Corrections() ([]Correction, error)
	// AcceptedMaps are the channels of a station's accepted materials, the latest first.
	AcceptedMaps(station string, limit int) ([]Correction, error)
	// OpenDeliveries are deliveries with sets of a station (of all, for "") that nobody has accepted
	// or left out, the latest first.
	OpenDeliveries(station string) ([]int64, error)
}

// Tx changes them.
type Tx interface {
	Reader
	materials.Tx
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
	AddMaterial(m *materials.Material) error // ErrStale if the delivery has its set already
	AddMap(material int64, m *materials.Map) error
	SaveRule(r *Rule) error // as SaveWatch
	RemoveRule(id int64) error
}
