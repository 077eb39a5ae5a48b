package store

import (
	"fmt"
	"time"

	"aldermoor/internal/library/materials"
)

func (t *tx) Deletions(after time.Time, n int) (list []materials.Step, err error) {
	err = t.each(`SELECT `+stepColumns+` FROM steps s INDEXED BY steps_deleted WHERE s.kind IN ('delete', 'delete delivery') AND s.undone = 0 AND s.at >= ? ORDER BY s.id DESC LIMIT ?`,
		[]any{stamp(after), n}, func(scan func(...any) error) error {
			s, err := scanStep(scan)
			list = append(list, s)
			return err
		})
	return list, err
}

func (t *tx) RenameStep(id int64, says string) error {
	_, err := t.exec(`UPDATE steps SET says = ? WHERE id = ?`, says, id)
	return err
}

func (t *tx) SetDeliveryDeleted(id int64, at time.Time) error {
	t.changed(id)
	r, err := t.exec(`UPDATE deliveries SET deleted = ?, version = version + 1 WHERE id = ?`, ending(at), id)
	if err != nil {
		return err
	}
	return found(r)
}

// purgedAtOnce is how many rows of a kind one transaction removes for good.
const purgedAtOnce = 200

// PurgeDeleted removes for good what was deleted before a moment, some at a time; more says that there is more. What
// something else rests on stays.
func (t *tx) PurgeDeleted(before time.Time) (more bool, err error) {
	old := stamp(before)
	var ids []any
	some := func(query string, args ...any) error {
		ids = nil
		err := t.each(query, append(args, purgedAtOnce), func(scan func(...any) error) error {
			var id int64
			err := scan(&id)
			ids = append(ids, id)
			return err
		})
		more = more || len(ids) == purgedAtOnce
		return err
	}
	remove := func(queries ...string) error {
		for _, q := range queries {
			if len(ids) == 0 {
				return nil
			}
			if _, err := t.exec(fmt.Sprintf(q, marks(len(ids))), ids...); err != nil {
				return err
			}
		}
		return nil
	}
	// Drafts: with their maps, prints and places in steps, which go with them.
	if err := some(`SELECT id FROM materials m WHERE m.stage = 'deleted' AND m.updated < ? AND m.released = 0
		AND NOT EXISTS (SELECT 1 FROM materials v WHERE v.parent_id = m.id) LIMIT ?`, old); err != nil {
		return false, err
	}
	if err := remove(`DELETE FROM reviews WHERE material_id IN (%s)`, `DELETE FROM materials WHERE id IN (%s)`); err != nil {
		return false, err
	}
	// Deliveries whose sets have all gone, and whose files nobody uses.
	if err := some(`SELECT id FROM deliveries d WHERE d.deleted > 0 AND d.deleted < ? AND NOT EXISTS (SELECT 1 FROM materials m WHERE m.delivery_id = d.id)
		AND NOT EXISTS (SELECT 1 FROM files f JOIN maps p ON p.file_id = f.id WHERE f.delivery_id = d.id) LIMIT ?`, old); err != nil {
		return false, err
	}
	if err := remove(`DELETE FROM steps WHERE delivery_id IN (%s)`, `DELETE FROM deliveries WHERE id IN (%s)`); err != nil {
		return false, err
	}
	// Steps that changed nothing that is still here.
	if err := some(`SELECT id FROM steps s INDEXED BY steps_deleted WHERE s.kind IN ('delete', 'delete delivery') AND s.undone = 0 AND s.at < ?
		AND NOT EXISTS (SELECT 1 FROM step_materials k WHERE k.step_id = s.id) LIMIT ?`, old); err != nil {
		return false, err
	}
	if err := remove(`DELETE FROM steps WHERE id IN (%s)`); err != nil {
		return false, err
	}
	if _, err := t.exec(`DELETE FROM props WHERE deleted > 0 AND deleted < ?`, old); err != nil {
		return false, err
	}
	return more, nil
}

// keptTimes are how long rows are kept that only tell what was, in days, and the column that says when that was.
var keptTimes = []struct {
	table, column, where string
	days                 int
}{
	{"sign_ins", "seen", "", 90},
	{"tokens", "ends", "ends > 0", 90},
	{"jobs", "run_at", "state = 'failed' AND run_at > 0", 30}, // since the last attempt that was to be repeated
	{"steps", "at", "", 400},
	{"audit", "at", "", 1100},
}

// ForgetOld removes what has been kept for its time.
func (t *tx) ForgetOld(now time.Time) error {
	for _, k := range keptTimes {
		where := k.column + ` < ?`
		if k.where != "" {
			where += ` AND ` + k.where
		}
		if _, err := t.exec(`DELETE FROM `+k.table+` WHERE id IN (SELECT id FROM `+k.table+` WHERE `+where+` LIMIT 5000)`, stamp(now.AddDate(0, 0, -k.days))); err != nil {
			return fmt.Errorf("forget old rows of %s: %w", k.table, err)
		}
	}
	return nil
}
