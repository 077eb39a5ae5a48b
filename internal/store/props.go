package store

import "aldermoor/internal/library/pictures"

const propColumns = `SELECT id, kind, name, file, blob, size, radius, by_name, created FROM props `

func (t *tx) Props(kind pictures.PropKind) (list []pictures.Prop, err error) {
	err = t.each(propColumns+`WHERE kind = ? ORDER BY name`, []any{kind}, func(scan func(...any) error) error {
		p, err := scanProp(scan)
		list = append(list, p)
		return err
	})
	return list, err
}

func scanProp(scan func(...any) error) (p pictures.Prop, err error) {
	var created int64
	err = scan(&p.ID, &p.Kind, &p.Name, &p.File, &p.Blob, &p.Size, &p.Radius, &p.By, &created)
	p.Created = moment(created)
	return p, err
}

func (t *tx) Prop(kind pictures.PropKind, id int64) (pictures.Prop, error) {
	return scanProp(func(to ...any) error {
		return t.one(propColumns+`WHERE kind = ? AND id = ?`, []any{kind, id}, to...)
	})
}

func (t *tx) AddProp(p *pictures.Prop) error {
	t.Changed("props")
	if _, err := t.exec(`DELETE FROM props WHERE kind = ? AND name = ?`, p.Kind, p.Name); err != nil {
		return err
	}
	id, err := t.insert(`INSERT INTO props (kind, name, file, blob, size, radius, by_name, created) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`, p.Kind, p.Name, p.File, p.Blob, p.Size, p.Radius, p.By, stamp(p.Created))
	p.ID = id
	return err
}

func (t *tx) RemoveProp(id int64) error {
	t.Changed("props")
	res, err := t.exec(`DELETE FROM props WHERE id = ?`, id)
	if err != nil {
		return err
	}
	return found(res)
}
