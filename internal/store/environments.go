package store

import "aldermoor/internal/library/pictures"

func (t *tx) Environments() (list []pictures.Environment, err error) {
	err = t.each(`SELECT id, name, blob, by_name, created FROM environments ORDER BY name`, nil, func(scan func(...any) error) error {
		e, err := scanEnvironment(scan)
		list = append(list, e)
		return err
	})
	return list, err
}

func scanEnvironment(scan func(...any) error) (e pictures.Environment, err error) {
	var created int64
	err = scan(&e.ID, &e.Name, &e.Blob, &e.By, &created)
	e.Created = moment(created)
	return e, err
}

func (t *tx) Environment(id int64) (pictures.Environment, error) {
	return scanEnvironment(func(to ...any) error {
		return t.one(`SELECT id, name, blob, by_name, created FROM environments WHERE id = ?`, []any{id}, to...)
	})
}

func (t *tx) AddEnvironment(e *pictures.Environment) error {
	t.Changed("environments")
	if _, err := t.exec(`DELETE FROM environments WHERE name = ?`, e.Name); err != nil {
		return err
	}
	id, err := t.insert(`INSERT INTO environments (name, blob, by_name, created) VALUES (?, ?, ?, ?)`, e.Name, e.Blob, e.By, stamp(e.Created))
	e.ID = id
	return err
}

func (t *tx) RemoveEnvironment(id int64) error {
	t.Changed("environments")
	res, err := t.exec(`DELETE FROM environments WHERE id = ?`, id)
	if err != nil {
		return err
	}
	return found(res)
}
