package store

import (
	"time"

	"aldermoor/internal/library/releases"
)

func (t *tx) schedules(where string, args ...any) (list []releases.Schedule, err error) {
	err = t.each(`SELECT id, due, notes, materials, by_name, role, done, result FROM schedules `+where, args, func(scan func(...any) error) error {
		var s releases.Schedule
		var due int64
		var materials string
		if err := scan(&s.ID, &due, &s.Notes, &materials, &s.By, &s.Role, &s.Done, &s.Result); err != nil {
			return err
		}
		s.Due = moment(due)
		list = append(list, s)
		return fromJSON(materials, &list[len(list)-1].Materials)
	})
	return list, err
}

func (t *tx) Schedules(n int) ([]releases.Schedule, error) {
	return t.schedules(`ORDER BY done, due DESC LIMIT ?`, n)
}

func (t *tx) DueSchedules(now time.Time) ([]releases.Schedule, error) {
	return t.schedules(`WHERE done = 0 AND due <= ? ORDER BY due`, stamp(now))
}

func (t *tx) AddSchedule(s *releases.Schedule) (err error) {
	t.Changed("reviews")
	s.ID, err = t.insert(`INSERT INTO schedules (due, notes, materials, by_name, role) VALUES (?, ?, ?, ?, ?)`, stamp(s.Due), s.Notes, asJSON(s.Materials), s.By, s.Role)
	return err
}

func (t *tx) EndSchedule(id int64, result string) error {
	t.Changed("reviews")
	_, err := t.exec(`UPDATE schedules SET done = 1, result = ? WHERE id = ? AND done = 0`, result, id)
	return err
}

func (t *tx) RemoveSchedule(id int64) error {
	t.Changed("reviews")
	_, err := t.exec(`DELETE FROM schedules WHERE id = ? AND done = 0`, id)
	return err
}
