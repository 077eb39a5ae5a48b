package store

import (
	"database/sql"
	"errors"

	"aldermoor/internal/library"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
)

func (t *tx) AddStep(s *materials.Step) (err error) {
	var delivery any
	if s.DeliveryID != 0 {
		delivery = s.DeliveryID
	}
	s.ID, err = t.insert(`INSERT INTO steps (delivery_id, kind, says, by, user_id, at, changes) VALUES (?, ?, ?, ?, ?, ?, ?)`, delivery, s.Kind, s.Says, s.By, s.UserID, stamp(s.At), asJSON(s.Changes))
	if err != nil {
		return err
	}
	for _, d := range s.Changes {
		if _, err := t.exec(`INSERT INTO step_materials (material_id, step_id) VALUES (?, ?)`, d.Material, s.ID); err != nil {
			return err
		}
	}
	return nil
}

const stepColumns = `s.id, coalesce(s.delivery_id, 0), s.kind, s.says, s.by, s.user_id, s.at, s.undone, s.changes`

func scanStep(scan func(...any) error) (s materials.Step, err error) {
	var at int64
	var changes string
	if err = scan(&s.ID, &s.DeliveryID, &s.Kind, &s.Says, &s.By, &s.UserID, &at, &s.Undone, &changes); err != nil {
		return s, err
	}
	s.At = moment(at)
	return s, fromJSON(changes, &s.Changes)
}

func (t *tx) Step(id int64) (materials.Step, error) {
	s, err := scanStep(t.QueryRowContext(t.ctx, `SELECT `+stepColumns+` FROM steps s WHERE s.id = ?`, id).Scan)
	if errors.Is(err, sql.ErrNoRows) {
		err = library.ErrNotFound
	}
	return s, err
}

func (t *tx) StepsOf(delivery, material int64, limit int) (list []materials.Step, err error) {
	query, of := `SELECT `+stepColumns+` FROM steps s WHERE s.delivery_id = ? ORDER BY s.id DESC LIMIT ?`, delivery
	if delivery == 0 {
		query, of = `SELECT `+stepColumns+` FROM step_materials k JOIN steps s ON s.id = k.step_id WHERE k.material_id = ? ORDER BY k.step_id DESC LIMIT ?`, material
	}
	err = t.each(query, []any{of, limit}, func(scan func(...any) error) error {
		s, err := scanStep(scan)
		list = append(list, s)
		return err
	})
	return list, err
}

func (t *tx) MarkStep(id int64, undone bool) error {
	_, err := t.exec(`UPDATE steps SET undone = ? WHERE id = ?`, undone, id)
	return err
}

func (t *tx) Rules() (list []intake.Rule, err error) {
	err = t.each(`SELECT id, version, station, ending, channel, by, created FROM rules ORDER BY station, ending`, nil, func(scan func(...any) error) error {
		var r intake.Rule
		var at int64
		err := scan(&r.ID, &r.Version, &r.Station, &r.Ending, &r.Channel, &r.By, &at)
		r.Created = moment(at)
		list = append(list, r)
		return err
	})
	return list, err
}

// correctionsAmong is how many of the latest maps are looked at for corrections.
const correctionsAmong = 50_000

func (t *tx) Corrections() (list []intake.Correction, err error) {
	err = t.each(`SELECT p.material_id, m.station, p.channel, p.document ->> '$.File', p.document ->> '$.Layer' FROM maps p JOIN materials m ON m.id = p.material_id
		WHERE p.id > (SELECT coalesce(max(id), 0) FROM maps) - ? AND p.finished = 0 AND p.document ->> '$.ByHand' ORDER BY p.id DESC`, []any{correctionsAmong}, func(scan func(...any) error) error {
		var c intake.Correction
		err := scan(&c.Material, &c.Station, &c.Channel, &c.File, &c.Layer)
		list = append(list, c)
		return err
	})
	return list, err
}

func (t *tx) AcceptedMaps(station string, limit int) (list []intake.Correction, err error) {
	err = t.each(`SELECT p.material_id, m.station, p.channel, p.document ->> '$.File', p.document ->> '$.Layer' FROM maps p JOIN materials m ON m.id = p.material_id
		WHERE m.station = ? AND m.stage = ? AND p.finished = 0 AND p.component <> 'a' ORDER BY p.material_id DESC LIMIT ?`, []any{station, materials.Accepted, limit}, func(scan func(...any) error) error {
		var c intake.Correction
		err := scan(&c.Material, &c.Station, &c.Channel, &c.File, &c.Layer)
		list = append(list, c)
		return err
	})
	return list, err
}

// openAmong is how many deliveries with open sets a new rule is applied to.
const openAmong = 200

func (t *tx) OpenDeliveries(station string) (list []int64, err error) {
	err = t.each(`SELECT DISTINCT delivery_id FROM materials WHERE stage = ? AND delivery_id IS NOT NULL AND (? = '' OR station = ?) ORDER BY delivery_id DESC LIMIT ?`, []any{materials.Unseen, station, station, openAmong}, func(scan func(...any) error) error {
		var id int64
		err := scan(&id)
		list = append(list, id)
		return err
	})
	return list, err
}

func (t *tx) SaveRule(r *intake.Rule) (err error) {
	t.Changed("rules")
	if r.ID != 0 {
		res, err := t.exec(`UPDATE OR REPLACE rules SET version = version + 1, station = ?, ending = ?, channel = ?, by = ? WHERE id = ? AND (? = 0 OR version = ?)`,
			r.Station, r.Ending, r.Channel, r.By, r.ID, r.Version, r.Version)
		if err == nil {
			err = t.saved(res, "rules", r.ID, &r.Version)
		}
		return err
	}
	err = t.one(`INSERT INTO rules (station, ending, channel, by, created) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT (station, ending) DO UPDATE SET channel = excluded.channel, by = excluded.by, version = version + 1
		RETURNING id, version`, []any{r.Station, r.Ending, r.Channel, r.By, stamp(r.Created)}, &r.ID, &r.Version)
	return err
}

// saved reads the version that an update made; if it changed nothing, the row has gone or
// is of another version.
func (t *tx) saved(r sql.Result, table string, id int64, version *int64) error {
	n, err := r.RowsAffected()
	if err != nil {
		return err
	}
	err = t.one(`SELECT version FROM `+table+` WHERE id = ?`, []any{id}, version)
	if err == nil && n == 0 {
		err = library.ErrStale
	}
	return err
}

func (t *tx) RemoveRule(id int64) error {
	t.Changed("rules")
	res, err := t.exec(`DELETE FROM rules WHERE id = ?`, id)
	if err != nil {
		return err
	}
	return found(res)
}

// found is ErrNotFound if nothing was changed.
func found(r sql.Result) error {
	if n, err := r.RowsAffected(); err != nil || n > 0 {
		return err
	}
	return library.ErrNotFound
}

func (t *tx) Stations() (list []string, err error) {
	err = t.each(`SELECT DISTINCT station FROM deliveries WHERE station <> '' ORDER BY station`, nil, func(scan func(...any) error) error {
		var name string
		err := scan(&name)
		list = append(list, name)
		return err
	})
	return list, err
}

func (t *tx) Setting(name string, to any) (version int64, err error) {
	var text string
	if err := t.one(`SELECT value, version FROM settings WHERE name = ?`, []any{name}, &text, &version); err != nil {
		return 0, err
	}
	return version, fromJSON(text, to)
}

func (t *tx) SaveSetting(name string, value any, version int64) error {
	var had int64
	if err := t.one(`SELECT version FROM settings WHERE name = ?`, []any{name}, &had); err != nil && !errors.Is(err, library.ErrNotFound) {
		return err
	}
	if had != version {
		return library.ErrStale
	}
	_, err := t.exec(`INSERT INTO settings (name, value, version) VALUES (?, ?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value, version = excluded.version`, name, asJSON(value), had+1)
	return err
}
