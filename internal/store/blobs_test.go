package store

import (
	"slices"
	"testing"
)

// A column whose name says that it holds blobs, or documents, is on the list of those that are looked at before a blob
// is removed, or is known to hold none.
func TestBlobColumnsAreComplete(t *testing.T) {
	s, err := Open(t.Context(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	named := []string{"blob", "picture", "file", "document", "snapshot", "changes", "report", "finish", "examined", "recipe"}
	none := []string{"props.file", "profiles.document", "files.examined", "materials.recipe"} // names of files, statistics, figures
	var there []string
	rows, err := s.read.QueryContext(t.Context(), `SELECT m.name || '.' || c.name, c.name FROM sqlite_master m JOIN pragma_table_info(m.name) c WHERE m.type = 'table'`)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	for rows.Next() {
		var full, column string
		if err := rows.Scan(&full, &column); err != nil {
			t.Fatal(err)
		}
		if slices.Contains(named, column) && !slices.Contains(none, full) {
			there = append(there, full)
		}
	}
	var listed []string
	for _, k := range blobColumns {
		listed = append(listed, k.table+"."+k.column)
	}
	slices.Sort(there)
	slices.Sort(listed)
	if !slices.Equal(there, listed) {
		t.Errorf("columns that may name blobs: %v, listed: %v", there, listed)
	}
}
