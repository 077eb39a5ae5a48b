package store

import (
	"database/sql"
	"errors"
	"strings"

	"aldermoor/core/likeness"
	"aldermoor/internal/library"
)

// SameFiles asks by the blobs' index: the material with the most of them, if it has
// all.
func (t *tx) SameFiles(material int64, blobs []string) (id int64, err error) {
	seen := map[string]bool{}
	args := []any{material}
	for _, b := range blobs {
		if !seen[b] {
			seen[b] = true
			args = append(args, b)
		}
	}
	if len(seen) == 0 {
		return 0, library.ErrNotFound
	}
	args = append(args, len(seen))
	err = t.QueryRowContext(t.ctx, `SELECT p.material_id FROM files f JOIN maps p ON p.file_id = f.id JOIN materials m ON m.id = p.material_id
		WHERE p.material_id <> ? AND m.stage NOT IN ('left', 'deleted') AND f.blob IN (?`+strings.Repeat(`, ?`, len(seen)-1)+`)
		GROUP BY p.material_id HAVING count(DISTINCT f.blob) = ? ORDER BY m.released DESC, p.material_id LIMIT 1`, args...).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		err = library.ErrNotFound
	}
	return id, err
}

func (t *tx) SavePrint(material int64, p likeness.Print) error {
	_, err := t.exec(`INSERT INTO prints (material_id, print) VALUES (?, ?) ON CONFLICT (material_id) DO UPDATE SET print = excluded.print`, material, asJSON(p))
	return err
}

func (t *tx) Prints(each func(material int64, p likeness.Print)) error {
	return t.each(`SELECT material_id, print FROM prints ORDER BY material_id`, nil, func(scan func(...any) error) error {
		var id int64
		var text string
		if err := scan(&id, &text); err != nil {
			return err
		}
		var p likeness.Print
		if err := fromJSON(text, &p); err != nil {
			return err
		}
		each(id, p)
		return nil
	})
}

func (t *tx) Print(material int64) (p likeness.Print, err error) {
	var text string
	err = t.one(`SELECT print FROM prints WHERE material_id = ?`, []any{material}, &text)
	if errors.Is(err, library.ErrNotFound) {
		return p, nil
	}
	if err == nil {
		err = fromJSON(text, &p)
	}
	return p, err
}
