package library

// PicturesReader reads the drafts whose pictures are made.
type PicturesReader interface {
	Material(id int64) (Material, error)
	MaterialOfMap(id int64) (int64, error)
}
