package store

import "aldermoor/internal/library/intake"

func (t *tx) Watches() (list []intake.Watch, err error) {
	err = t.each(`SELECT id, version, path, station, paused, problem, restless, looked, (SELECT count(*) FROM taken WHERE watch_id = id) FROM watches ORDER BY path`, nil, func(scan func(...any) error) error {
		var w intake.Watch
		var looked int64
		err := scan(&w.ID, &w.Version, &w.Path, &w.Station, &w.Paused, &w.Problem, &w.Restless, &looked, &w.Taken)
		w.Looked = moment(looked)
		list = append(list, w)
		return err
	})
	return list, err
}

func (t *tx) SaveWatch(w *intake.Watch) (err error) {
	t.Changed("watches")
	if w.ID == 0 {
		w.Version = 1
		w.ID, err = t.insert(`INSERT INTO watches (path, station) VALUES (?, ?)`, w.Path, w.Station)
		return err
	}
	r, err := t.exec(`UPDATE watches SET version = version + 1, station = ?, paused = ?, problem = ?, restless = ?, looked = ? WHERE id = ? AND version = ?`, w.Station, w.Paused, w.Problem, w.Restless, stamp(w.Looked), w.ID, w.Version)
	if err == nil {
		err = t.saved(r, "watches", w.ID, &w.Version)
	}
	return err
}

func (t *tx) NoteWatch(w intake.Watch) error {
	_, err := t.exec(`UPDATE watches SET problem = ?, restless = ?, looked = ? WHERE id = ?`, w.Problem, w.Restless, stamp(w.Looked), w.ID)
	return err
}

func (t *tx) RemoveWatch(id int64) error {
	t.Changed("watches")
	res, err := t.exec(`DELETE FROM watches WHERE id = ?`, id)
	if err != nil {
		return err
	}
	return found(res)
}

func (t *tx) TakenFrom(watch int64) (map[string]intake.Taken, error) {
	files := map[string]intake.Taken{}
	err := t.each(`SELECT path, size, changed FROM taken WHERE watch_id = ?`, []any{watch}, func(scan func(...any) error) error {
		var f intake.Taken
		err := scan(&f.Path, &f.Size, &f.Changed)
		files[f.Path] = f
		return err
	})
	return files, err
}

func (t *tx) AddTaken(watch int64, files []intake.Taken) error {
	for _, f := range files {
		if _, err := t.exec(`INSERT INTO taken (watch_id, path, size, changed) VALUES (?, ?, ?, ?)
			ON CONFLICT (watch_id, path) DO UPDATE SET size = excluded.size, changed = excluded.changed`, watch, f.Path, f.Size, f.Changed); err != nil {
			return err
		}
	}
	return nil
}
