package store

import (
	"database/sql"

	"aldermoor/internal/library"
)

func (t tx) AddStep(s *library.Step) (err error) {
	// A new decision ends the way forward.
	if _, err := t.exec(`DELETE FROM steps WHERE delivery_id = ? AND undone = 1`, s.DeliveryID); err != nil {
		return err
	}
	s.ID, err = t.insert(`INSERT INTO steps (delivery_id, says, by, at, before, after) VALUES (?, ?, ?, ?, ?, ?)`, s.DeliveryID, s.Says, s.By, stamp(s.At), doc(s.Before), doc(s.After))
	return err
}

func (t tx) NextStep(delivery int64, back bool) (s library.Step, err error) {
	query := `SELECT id, delivery_id, says, by, at, undone, before, after FROM steps WHERE delivery_id = ? AND undone = 1 ORDER BY id LIMIT 1`
	if back {
		query = `SELECT id, delivery_id, says, by, at, undone, before, after FROM steps WHERE delivery_id = ? AND undone = 0 ORDER BY id DESC LIMIT 1`
	}
	var at int64
	var before, after string
	err = t.one(query, []any{delivery}, &s.ID, &s.DeliveryID, &s.Says, &s.By, &at, &s.Undone, &before, &after)
	if err != nil {
		return s, err
	}
	s.At = moment(at)
	if err := undoc(before, &s.Before); err != nil {
		return s, err
	}
	return s, undoc(after, &s.After)
}

func (t tx) MarkStep(id int64, undone bool) error {
	_, err := t.exec(`UPDATE steps SET undone = ? WHERE id = ?`, undone, id)
	return err
}

func (t tx) Rules() (list []library.Rule, err error) {
	err = t.each(`SELECT id, station, ending, channel, by, created FROM rules ORDER BY station, ending`, nil, func(scan func(...any) error) error {
		var r library.Rule
		var at int64
		err := scan(&r.ID, &r.Station, &r.Ending, &r.Channel, &r.By, &at)
		r.Created = moment(at)
		list = append(list, r)
		return err
	})
	return list, err
}

func (t tx) SaveRule(r *library.Rule) (err error) {
	if r.ID != 0 {
		res, err := t.exec(`UPDATE OR REPLACE rules SET station = ?, ending = ?, channel = ?, by = ? WHERE id = ?`, r.Station, r.Ending, r.Channel, r.By, r.ID)
		if err != nil {
			return err
		}
		return found(res)
	}
	r.ID, err = t.insert(`INSERT INTO rules (station, ending, channel, by, created) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT (station, ending) DO UPDATE SET channel = excluded.channel, by = excluded.by`, r.Station, r.Ending, r.Channel, r.By, stamp(r.Created))
	return err
}

func (t tx) RemoveRule(id int64) error {
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

func (t tx) Stations() (list []string, err error) {
	err = t.each(`SELECT DISTINCT station FROM deliveries WHERE station <> '' ORDER BY station`, nil, func(scan func(...any) error) error {
		var name string
		err := scan(&name)
		list = append(list, name)
		return err
	})
	return list, err
}

func (t tx) Setting(name string, to any) error {
	var text string
	if err := t.one(`SELECT value FROM settings WHERE name = ?`, []any{name}, &text); err != nil {
		return err
	}
	return undoc(text, to)
}

func (t tx) SaveSetting(name string, value any) error {
	_, err := t.exec(`INSERT INTO settings (name, value) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value`, name, doc(value))
	return err
}
