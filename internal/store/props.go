package store

import (
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/pictures"
)

const propColumns = `SELECT id, kind, name, file, blob, size, radius, by_name, created, deleted, deleted_by FROM props `

func (t *tx) Props(kind pictures.PropKind) (list []pictures.Prop, err error) {
	err = t.each(propColumns+`WHERE kind = ? AND deleted = 0 ORDER BY name`, []any{kind}, func(scan func(...any) error) error {
		p, err := scanProp(scan)
		list = append(list, p)
		return err
	})
	return list, err
}

func scanProp(scan func(...any) error) (p pictures.Prop, err error) {
	var created, deleted int64
	err = scan(&p.ID, &p.Kind, &p.Name, &p.File, &p.Blob, &p.Size, &p.Radius, &p.By, &created, &deleted, &p.DeletedBy)
	p.Created, p.Deleted = moment(created), endOf(deleted)
	return p, err
}

func (t *tx) Prop(kind pictures.PropKind, id int64) (pictures.Prop, error) {
	return scanProp(func(to ...any) error {
		return t.one(propColumns+`WHERE kind = ? AND id = ?`, []any{kind, id}, to...)
	})
}

func (t *tx) AddProp(p *pictures.Prop) error {
	t.Changed("props")
	if _, err := t.exec(`UPDATE props SET deleted = ?, deleted_by = ? WHERE kind = ? AND name = ? AND deleted = 0`, stamp(p.Created), p.By, p.Kind, p.Name); err != nil {
		return err
	}
	id, err := t.insert(`INSERT INTO props (kind, name, file, blob, size, radius, by_name, created) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`, p.Kind, p.Name, p.File, p.Blob, p.Size, p.Radius, p.By, stamp(p.Created))
	p.ID = id
	return err
}

func (t *tx) SaveProp(p pictures.Prop) error {
	t.Changed("props")
	r, err := t.exec(`UPDATE props SET deleted = ?, deleted_by = ? WHERE id = ?`, ending(p.Deleted), p.DeletedBy, p.ID)
	if taken(err) {
		return library.ErrStale
	}
	if err != nil {
		return err
	}
	return found(r)
}

func (t *tx) DeletedProps(after time.Time) (list []pictures.Prop, err error) {
	err = t.each(propColumns+`WHERE deleted >= ? AND deleted > 0 ORDER BY deleted DESC`, []any{stamp(after)}, func(scan func(...any) error) error {
		p, err := scanProp(scan)
		list = append(list, p)
		return err
	})
	return list, err
}
