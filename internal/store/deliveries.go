package store

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"strings"

	"aldermoor/core/inspect"
	"aldermoor/internal/library"
	"aldermoor/internal/library/intake"
)

func (t *tx) AddDelivery(d *intake.Delivery) (err error) {
	t.Changed("deliveries")
	d.Version = 1
	d.ID, err = t.insert(`INSERT INTO deliveries (name, station, state, created, by) VALUES (?, ?, ?, ?, ?)`, d.Name, d.Station, d.State, stamp(d.Created), d.By)
	return err
}

func (t *tx) AddParcel(p *intake.Parcel) (err error) {
	p.ID, err = t.insert(`INSERT INTO parcels (delivery_id, path, blob, size) VALUES (?, ?, ?, ?)`, p.DeliveryID, p.Path, p.Blob, p.Size)
	return err
}

func (t *tx) Parcels(delivery int64) (list []intake.Parcel, err error) {
	err = t.each(`SELECT id, delivery_id, path, blob, size, opened, folder FROM parcels WHERE delivery_id = ? ORDER BY id`, []any{delivery}, func(scan func(...any) error) error {
		var p intake.Parcel
		err := scan(&p.ID, &p.DeliveryID, &p.Path, &p.Blob, &p.Size, &p.Opened, &p.Folder)
		list = append(list, p)
		return err
	})
	return list, err
}

func (t *tx) SetParcel(p intake.Parcel) error {
	_, err := t.exec(`UPDATE parcels SET blob = ?, size = ?, opened = ?, folder = ? WHERE id = ?`, p.Blob, p.Size, p.Opened, p.Folder, p.ID)
	return err
}

// changed says that a delivery is otherwise than it was.
func (t *tx) changed(delivery int64) {
	t.Changed("deliveries")
	t.Changed(fmt.Sprintf("delivery:%d", delivery))
}

const deliveryColumns = `d.id, d.version, d.name, d.station, d.state, d.error, d.created, d.by,
	(SELECT count(*) FROM files f WHERE f.delivery_id = d.id), (SELECT count(*) FROM files f WHERE f.delivery_id = d.id AND (f.examined IS NOT NULL OR f.problem <> '')),
	(SELECT count(*) FROM files f WHERE f.delivery_id = d.id AND f.problem <> ''), (SELECT coalesce(sum(size), 0) FROM parcels p WHERE p.delivery_id = d.id),
	(SELECT count(*) FROM materials m WHERE m.delivery_id = d.id AND m.stage <> 'deleted'), (SELECT count(*) FROM materials m WHERE m.delivery_id = d.id AND m.stage = 'sorted' AND m.doubts > 0),
	(SELECT count(*) FROM materials m WHERE m.delivery_id = d.id AND m.stage = 'sorted'),
	(SELECT coalesce(sum(size), 0) FROM files f WHERE f.delivery_id = d.id AND f.examined IS NULL AND f.problem = '')`

func scanDelivery(scan func(...any) error) (d intake.Delivery, err error) {
	var created int64
	err = scan(&d.ID, &d.Version, &d.Name, &d.Station, &d.State, &d.Error, &created, &d.By, &d.Files, &d.Examined, &d.Failed, &d.Bytes, &d.Sets, &d.Doubtful, &d.Waiting, &d.Ahead)
	d.Created = moment(created)
	return d, err
}

func (t *tx) Delivery(id int64) (intake.Delivery, error) {
	d, err := scanDelivery(t.QueryRowContext(t.ctx, `SELECT `+deliveryColumns+` FROM deliveries d WHERE id = ? AND deleted = 0`, id).Scan)
	if err == sql.ErrNoRows {
		err = library.ErrNotFound
	}
	return d, err
}

func (t *tx) Deliveries(q intake.DeliveryQuery) (list []intake.Delivery, total int, err error) {
	where, args := `d.deleted = 0`, []any{}
	if text := strings.TrimSpace(q.Text); text != "" {
		where, args = `d.deleted = 0 AND instr(fold(d.station || ', ' || d.name), ?) > 0`, []any{strings.ToLower(text)}
	}
	if err := t.one(`SELECT count(*) FROM deliveries d WHERE `+where, args, &total); err != nil {
		return nil, 0, err
	}
	err = t.each(`SELECT `+deliveryColumns+` FROM deliveries d WHERE `+where+` ORDER BY d.id DESC LIMIT ? OFFSET ?`, append(args, q.Per, (q.Page-1)*q.Per), func(scan func(...any) error) error {
		d, err := scanDelivery(scan)
		list = append(list, d)
		return err
	})
	return list, total, err
}

func (t *tx) SetDelivery(id int64, s intake.State, station, problem string) error {
	t.changed(id)
	_, err := t.exec(`UPDATE deliveries SET version = version + 1, state = ?, station = CASE WHEN ? = '' THEN station ELSE ? END, error = ? WHERE id = ?`, s, station, station, problem, id)
	return err
}

func (t *tx) AddFile(f *intake.File) (err error) {
	f.ID, err = t.insert(`INSERT INTO files (delivery_id, parcel_id, entry, path, blob, size, problem) VALUES (?, ?, ?, ?, ?, ?, ?)`, f.DeliveryID, f.ParcelID, f.Entry, f.Path, f.Blob, f.Size, f.Problem)
	if taken(err) {
		return library.ErrStale
	}
	t.Changed(fmt.Sprintf("delivery:%d", f.DeliveryID))
	return err
}

func (t *tx) MoveFile(f intake.File) error {
	_, err := t.exec(`UPDATE files SET path = ? WHERE id = ?`, f.Path, f.ID)
	return err
}

func (t *tx) RemoveFile(id int64) error {
	_, err := t.exec(`DELETE FROM files WHERE id = ?`, id)
	return err
}

const fileColumns = `id, delivery_id, parcel_id, entry, path, blob, size, examined, ratio, problem`

func scanFile(scan func(...any) error) (f intake.File, err error) {
	var examined sql.NullString
	if err = scan(&f.ID, &f.DeliveryID, &f.ParcelID, &f.Entry, &f.Path, &f.Blob, &f.Size, &examined, &f.Ratio, &f.Problem); err != nil || !examined.Valid {
		return f, err
	}
	f.Examined = new(inspect.Examined)
	return f, json.Unmarshal([]byte(examined.String), f.Examined)
}

func (t *tx) File(id int64) (intake.File, error) {
	f, err := scanFile(t.QueryRowContext(t.ctx, `SELECT `+fileColumns+` FROM files WHERE id = ?`, id).Scan)
	if err == sql.ErrNoRows {
		err = library.ErrNotFound
	}
	return f, err
}

func (t *tx) Examined(file int64) (*inspect.Examined, error) {
	f, err := t.File(file)
	return f.Examined, err
}

func (t *tx) Files(delivery int64) (list []intake.File, err error) {
	err = t.each(`SELECT `+fileColumns+` FROM files WHERE delivery_id = ? ORDER BY path`, []any{delivery}, func(scan func(...any) error) error {
		f, err := scanFile(scan)
		list = append(list, f)
		return err
	})
	return list, err
}

func (t *tx) SaveExamined(f intake.File) error {
	t.Changed(fmt.Sprintf("delivery:%d", f.DeliveryID))
	_, err := t.exec(`UPDATE files SET examined = ?, ratio = ?, problem = ? WHERE id = ?`, asJSON(f.Examined), f.Ratio, f.Problem, f.ID)
	return err
}

func (t *tx) ReplaceFile(f intake.File) error {
	_, err := t.exec(`UPDATE files SET blob = ?, size = ?, examined = NULL, ratio = 0, problem = '' WHERE id = ?`, f.Blob, f.Size, f.ID)
	return err
}

func (t *tx) Unexamined(delivery int64) (some bool, err error) {
	err = t.one(`SELECT EXISTS (SELECT 1 FROM files WHERE delivery_id = ? AND examined IS NULL AND problem = '')`, []any{delivery}, &some)
	return some, err
}
