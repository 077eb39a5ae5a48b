package pictures

import "aldermoor/internal/library/materials"

// Reader reads the drafts whose pictures are made.
type Reader interface {
	Material(id int64) (materials.Material, error)
	MaterialOfMap(id int64) (int64, error)
}
