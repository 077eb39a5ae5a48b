package store

import "regexp"

// blobColumns are all columns that name blobs: those that hold a name, and those whose documents hold names. A blob that
// none of them names is nobody's, and is removed. A test fails for a column that is missing here.
var blobColumns = []struct {
	table, column string
	document      bool
}{
	{"files", "blob", false},
	{"parcels", "blob", false},
	{"made", "blob", false},
	{"props", "blob", false},
	{"requests", "picture", false},
	{"maps", "document", true},
	{"materials", "finish", true},
	{"materials", "report", true},
	{"releases", "snapshot", true},
	{"steps", "changes", true},
}

// blobName is what a blob's name looks like within a document.
var blobName = regexp.MustCompile(`\b[0-9a-f]{64}\b`)

// KnownBlobs implements studio.Reader.
func (t *tx) KnownBlobs(f func(sum string)) error { return t.blobsOf(false, f) }

// NamedBlobs implements studio.Reader.
func (t *tx) NamedBlobs(f func(sum string)) error { return t.blobsOf(true, f) }

// blobsOf calls f with the blobs that columns name; with documents those in documents too, some of them several times.
func (t *tx) blobsOf(documents bool, f func(sum string)) error {
	for _, k := range blobColumns {
		if k.document && !documents {
			continue
		}
		where := ` WHERE ` + k.column + ` <> ''`
		err := t.each(`SELECT `+k.column+` FROM `+k.table+where, nil, func(scan func(...any) error) error {
			var text string
			if err := scan(&text); err != nil {
				return err
			}
			if !k.document {
				f(text)
				return nil
			}
			for _, sum := range blobName.FindAllString(text, -1) {
				f(sum)
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// Unmade implements studio.Reader.
func (t *tx) Unmade() (list []string, err error) {
	used := map[string]bool{}
	for _, k := range blobColumns {
		if k.table == "made" {
			continue
		}
		err := t.each(`SELECT `+k.column+` FROM `+k.table+` WHERE `+k.column+` <> ''`, nil, func(scan func(...any) error) error {
			var text string
			err := scan(&text)
			for _, sum := range blobName.FindAllString(text, -1) {
				used[sum] = true
			}
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	err = t.each(`SELECT blob FROM made`, nil, func(scan func(...any) error) error {
		var sum string
		err := scan(&sum)
		if !used[sum] {
			list = append(list, sum)
		}
		return err
	})
	return list, err
}

// ForgetMade implements studio.Tx.
func (t *tx) ForgetMade(list []string) error {
	for _, sum := range list {
		if _, err := t.exec(`DELETE FROM made WHERE blob = ?`, sum); err != nil {
			return err
		}
	}
	return nil
}
