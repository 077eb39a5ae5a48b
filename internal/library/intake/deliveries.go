package intake

import (
	"aldermoor/core/inspect"
	"time"
)

// Delivery is what arrived at one time.
type Delivery struct {
	ID            int64
	Version       int64 // rises with every change of it or of its sets
	Name, Station string
	State         State
	Error         string
	Created       time.Time
	By            string

	Files, Examined, Failed int           // counts of files
	Bytes                   int64         // of all files
	Ahead                   int64         // bytes of the files that are to be looked at yet
	Left                    time.Duration // how long that will take, 0 if not known
	Sets, Doubtful, Waiting int           // sets; those with doubts not yet accepted; those not yet accepted
}

// State is how far a delivery is.
type State string

// The states of a delivery.
const (
	Receiving State = "receiving"
	Sorting   State = "sorting"
	Sorted    State = "sorted"
	Failed    State = "failed"
)

// Progress is 0..1.
func (d Delivery) Progress() float64 {
	switch {
	case d.State == Sorted || d.State == Failed:
		return 1
	case d.Files == 0:
		return 0
	}
	return 0.98 * float64(d.Examined) / float64(d.Files)
}

// Parcel is a file as it was sent, before archives are opened.
type Parcel struct {
	ID, DeliveryID int64
	Path, Blob     string
	Size           int64
	Opened         bool   // its files are listed
	Folder         string // before the paths of its files; "" unless they would be doubled
}

// File is one file of a delivery.
type File struct {
	ID, DeliveryID int64
	ParcelID       int64
	Entry          string // its path within the parcel
	Path, Blob     string
	Size           int64
	Examined       *inspect.Examined
	Ratio          float64 // compressed over raw bytes
	Problem        string
}
