package store

import (
	"strings"

	"aldermoor/internal/library/requests"
)

const requestColumns = `SELECT id, kind, title, size, due, picture, material_id, release_id, pin_x, pin_y, view, by_name, asked, state, solved_by, changed, version FROM requests `

func scanRequest(scan func(...any) error) (r requests.Request, err error) {
	var asked, changed int64
	err = scan(&r.ID, &r.Kind, &r.Title, &r.Size, &r.Due, &r.Picture, &r.Material, &r.Release, &r.Pin[0], &r.Pin[1], &r.View, &r.By, &asked, &r.State, &r.SolvedBy, &changed, &r.Version)
	r.Asked, r.Changed = moment(asked), moment(changed)
	return r, err
}

func (t *tx) Requests(q requests.Query) (list []requests.Request, total int, err error) {
	where, args := []string{}, []any{}
	add := func(text string, v ...any) { where, args = append(where, text), append(args, v...) }
	order := `asked`
	if !q.Changed.IsZero() {
		add(`changed >= ?`, stamp(q.Changed))
		order = `changed`
	} else if q.Done {
		add(`state IN ('solved', 'declined')`)
		order = `changed DESC`
	} else {
		add(`state IN ('open', 'working')`)
	}
	if q.By != "" {
		add(`by_name = ?`, q.By)
	}
	if q.Material != 0 {
		add(`material_id = ?`, q.Material)
	}
	clause := `WHERE ` + strings.Join(where, ` AND `)
	if err := t.one(`SELECT count(*) FROM requests `+clause, args, &total); err != nil {
		return nil, 0, err
	}
	err = t.each(requestColumns+clause+` ORDER BY `+order+` LIMIT ? OFFSET ?`, append(args, q.Per, (q.Page-1)*q.Per), func(scan func(...any) error) error {
		r, err := scanRequest(scan)
		list = append(list, r)
		return err
	})
	return list, total, err
}

func (t *tx) Request(id int64) (r requests.Request, err error) {
	r, err = scanRequest(func(to ...any) error { return t.one(requestColumns+`WHERE id = ?`, []any{id}, to...) })
	if err != nil {
		return r, err
	}
	err = t.each(`SELECT by_name, at, text FROM request_messages WHERE request_id = ? ORDER BY id`, []any{id}, func(scan func(...any) error) error {
		var m requests.Message
		var at int64
		err := scan(&m.By, &at, &m.Text)
		m.At = moment(at)
		r.Messages = append(r.Messages, m)
		return err
	})
	return r, err
}

func (t *tx) AddRequest(r *requests.Request) (err error) {
	t.Changed("requests")
	r.Version = 1
	r.ID, err = t.insert(`INSERT INTO requests (kind, title, size, due, material_id, release_id, pin_x, pin_y, view, by_name, asked, state, changed) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		r.Kind, r.Title, r.Size, r.Due, r.Material, r.Release, r.Pin[0], r.Pin[1], r.View, r.By, stamp(r.Asked), r.State, stamp(r.Changed))
	return err
}

func (t *tx) SaveRequest(r *requests.Request) error {
	t.Changed("requests")
	r.Version++
	res, err := t.exec(`UPDATE requests SET picture = ?, state = ?, solved_by = ?, changed = ?, version = ? WHERE id = ?`, r.Picture, r.State, r.SolvedBy, stamp(r.Changed), r.Version, r.ID)
	if err != nil {
		return err
	}
	return found(res)
}

func (t *tx) AddMessage(request int64, m requests.Message) error {
	_, err := t.exec(`INSERT INTO request_messages (request_id, by_name, at, text) VALUES (?, ?, ?, ?)`, request, m.By, stamp(m.At), m.Text)
	return err
}
