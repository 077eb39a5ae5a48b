package store

import (
	"database/sql"
	"fmt"
	"slices"
	"strings"

	"aldermoor/core/material"
	"aldermoor/core/scale"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/releases"
)

const materialColumns = `id, coalesce(delivery_id, 0), set_key, name, slug, version, stage, width, height, size_source, depth, depth_source, relief, relief_trust,
	licence, author, rights, station, captured, contact, tags, categories, report, doubts, released, released_version, created, updated, known, recipe, finish, figures`

func scanMaterial(scan func(...any) error) (m materials.Material, err error) {
	var tags, categories, report, known, recipe, finish, figures string
	var created, updated int64
	if err = scan(&m.ID, &m.DeliveryID, &m.SetKey, &m.Name, &m.Slug, &m.Version, &m.Stage, &m.Size.W, &m.Size.H, &m.SizeSource, &m.Depth, &m.DepthSource,
		&m.Relief.Value, &m.Relief.Confidence, &m.Licence, &m.Author, &m.Rights, &m.Station, &m.Captured, &m.Contact, &tags, &categories, &report,
		&m.Doubts, &m.Released, &m.ReleasedVersion, &created, &updated, &known, &recipe, &finish, &figures); err != nil {
		return m, err
	}
	m.Created, m.Updated = moment(created), moment(updated)
	for _, d := range []struct {
		text string
		to   any
	}{{tags, &m.Tags}, {categories, &m.Categories}, {report, &m.Report}, {known, &m.Known}, {recipe, &m.Recipe}, {finish, &m.Finish}, {figures, &m.Figures}} {
		if err := fromJSON(d.text, d.to); err != nil {
			return m, fmt.Errorf("read material %d: %w", m.ID, err)
		}
	}
	return m, nil
}

func (t *tx) AddMaterial(m *materials.Material) error {
	var delivery any
	if m.DeliveryID != 0 {
		delivery = m.DeliveryID
	}
	id, err := t.insert(`INSERT INTO materials (delivery_id, set_key, name, slug, version, stage, width, height, size_source, depth, depth_source, relief, relief_trust,
		licence, author, rights, station, captured, contact, tags, categories, report, doubts, created, updated, released, released_version, figures, folded, called)
		VALUES (?, ?, ?, ?, 1, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		delivery, m.SetKey, m.Name, m.Slug, m.Stage, m.Size.W, m.Size.H, m.SizeSource, m.Depth, m.DepthSource, m.Relief.Value, m.Relief.Confidence,
		m.Licence, m.Author, m.Rights, m.Station, m.Captured, m.Contact, asJSON(m.Tags), asJSON(m.Categories), asJSON(m.Report), m.Doubts, stamp(m.Created), stamp(m.Updated), m.Released, m.ReleasedVersion, asJSON(m.Figures), folded(m), called(m))
	if taken(err) {
		return library.ErrStale
	}
	if err != nil {
		return err
	}
	m.ID, m.Version = id, 1
	t.touched(m)
	for i := range m.Maps {
		if err := t.AddMap(m.ID, &m.Maps[i]); err != nil {
			return err
		}
	}
	return nil
}

// called is a material's name in small letters.
func called(m *materials.Material) string { return strings.ToLower(strings.TrimSpace(m.Name)) }

// folded is what a draft is found by on the Bench, in small letters.
func folded(m *materials.Material) string {
	return strings.ToLower(m.Name + " " + strings.Join(m.Tags, " ") + " " + strings.Join(m.Categories, " "))
}

// touched says that a material is otherwise than it was.
func (t *tx) touched(m *materials.Material) {
	t.Changed(fmt.Sprintf("material:%d", m.ID))
	if m.DeliveryID != 0 {
		t.changed(m.DeliveryID)
	}
}

func (t *tx) AddMap(material int64, p *materials.Map) (err error) {
	return t.addMap(material, p, false)
}

func (t *tx) addMap(material int64, p *materials.Map, finished bool) (err error) {
	var file any
	if p.FileID != 0 {
		file = p.FileID
	}
	p.ID, err = t.insert(`INSERT INTO maps (material_id, file_id, component, channel, document, finished) VALUES (?, ?, ?, ?, ?, ?)`, material, file, p.Component, p.Channel, asJSON(p), finished)
	return err
}

func (t *tx) SaveFinish(material int64, maps []materials.Map) error {
	if _, err := t.exec(`DELETE FROM maps WHERE material_id = ? AND finished = 1`, material); err != nil {
		return err
	}
	for i := range maps {
		if err := t.addMap(material, &maps[i], true); err != nil {
			return err
		}
		if _, err := t.exec(`INSERT OR IGNORE INTO made (blob) VALUES (?)`, maps[i].Blob); err != nil {
			return err
		}
	}
	return nil
}

func (t *tx) Material(id int64) (materials.Material, error) {
	m, err := scanMaterial(t.QueryRowContext(t.ctx, `SELECT `+materialColumns+` FROM materials WHERE id = ?`, id).Scan)
	if err == sql.ErrNoRows {
		return m, library.ErrNotFound
	}
	if err != nil {
		return m, err
	}
	return m, t.maps(`SELECT id, material_id, channel, document, finished FROM maps WHERE material_id = ? ORDER BY id`, []any{id}, []*materials.Material{&m})
}

// maps fills in the maps of materials by one query.
func (t *tx) maps(query string, args []any, to []*materials.Material) error {
	at := map[int64]*materials.Material{}
	for _, m := range to {
		at[m.ID] = m
	}
	return t.each(query, args, func(scan func(...any) error) error {
		var p materials.Map
		var id, of int64
		var channel, document string
		var finished bool
		if err := scan(&id, &of, &channel, &document, &finished); err != nil {
			return err
		}
		if err := fromJSON(document, &p); err != nil {
			return err
		}
		p.ID, p.Channel = id, material.Channel(channel)
		if m := at[of]; m != nil && finished {
			m.Finish.Maps = append(m.Finish.Maps, p)
		} else if m != nil {
			m.Maps = append(m.Maps, p)
		}
		return nil
	})
}

func (t *tx) materials(where string, args ...any) (list []materials.Material, err error) {
	err = t.each(`SELECT `+materialColumns+` FROM materials WHERE `+where, args, func(scan func(...any) error) error {
		m, err := scanMaterial(scan)
		list = append(list, m)
		return err
	})
	return list, err
}

func (t *tx) MaterialsOf(delivery int64) ([]materials.Material, error) {
	list, err := t.materials(`delivery_id = ? AND stage <> 'deleted' ORDER BY set_key`, delivery)
	if err != nil {
		return nil, err
	}
	to := make([]*materials.Material, len(list))
	for i := range list {
		to[i] = &list[i]
	}
	return list, t.maps(`SELECT p.id, p.material_id, p.channel, p.document, p.finished FROM maps p JOIN materials m ON m.id = p.material_id WHERE m.delivery_id = ? AND m.stage <> 'deleted' ORDER BY p.id`, []any{delivery}, to)
}

// inState is a condition for each state of a draft.
var inState = map[materials.DraftState]string{
	materials.AnyState: `1`, materials.NeedsWork: `doubts > 0`, materials.Unreleased: `released = 0`,
	materials.Edited: `released > 0 AND version > released_version`, materials.Released: `released > 0 AND version <= released_version`,
}

func (t *tx) Drafts(q materials.DraftQuery) (list materials.DraftList, err error) {
	where, args := `stage = 'accepted'`, []any{}
	if text := strings.TrimSpace(q.Text); text != "" {
		where += ` AND instr(folded, ?) > 0`
		args = append(args, strings.ToLower(text))
	}
	if q.Station != "" {
		where += ` AND station = ?`
		args = append(args, q.Station)
	}
	if !q.Changed.IsZero() {
		where += ` AND updated >= ?`
		args = append(args, stamp(q.Changed))
	}
	const bench, named = ` FROM materials INDEXED BY materials_bench WHERE `, ` FROM materials INDEXED BY materials_named WHERE `
	columns, to := "", make([]any, len(materials.DraftStates))
	counts := make([]int, len(to))
	for i, s := range materials.DraftStates {
		columns += `, coalesce(sum(` + inState[s] + `), 0)`
		to[i] = &counts[i]
	}
	if err := t.one(`SELECT `+columns[2:]+bench+where, args, to...); err != nil {
		return list, err
	}
	list.Counts = map[materials.DraftState]int{}
	for i, s := range materials.DraftStates {
		list.Counts[s] = counts[i]
	}
	list.Total = list.Counts[q.State]
	order := map[materials.DraftOrder]string{
		materials.Newest: `updated DESC`, materials.ByWork: `doubts DESC, updated DESC`, materials.ByName: `name COLLATE NOCASE`, materials.BySize: `width * height DESC`,
	}[q.Order]
	from := bench
	if q.Order == materials.ByName {
		from = named
	}
	var ids []any
	place := map[int64]int{}
	err = t.each(`SELECT id`+from+where+` AND `+inState[q.State]+` ORDER BY `+order+`, id DESC LIMIT ? OFFSET ?`, append(args, q.Per, (q.Page-1)*q.Per), func(scan func(...any) error) error {
		var id int64
		err := scan(&id)
		place[id] = len(ids)
		ids = append(ids, id)
		return err
	})
	if err != nil {
		return list, err
	}
	if list.Items, err = t.materials(`id IN (`+marks(len(ids))+`)`, ids...); err != nil {
		return list, err
	}
	slices.SortFunc(list.Items, func(a, b materials.Material) int { return place[a.ID] - place[b.ID] })
	of := make([]*materials.Material, len(list.Items))
	for i := range list.Items {
		of[i] = &list.Items[i]
	}
	if err := t.maps(`SELECT id, material_id, channel, document, finished FROM maps WHERE material_id IN (`+marks(len(ids))+`) ORDER BY id`, ids, of); err != nil {
		return list, err
	}
	// Each station is found by its index alone: there are few, of many drafts.
	err = t.each(`WITH RECURSIVE s(v) AS (SELECT min(station) FROM materials INDEXED BY materials_stations WHERE stage = 'accepted' AND station <> ''
		UNION ALL SELECT (SELECT min(station) FROM materials INDEXED BY materials_stations WHERE stage = 'accepted' AND station <> '' AND station > s.v) FROM s WHERE s.v IS NOT NULL)
		SELECT v FROM s WHERE v IS NOT NULL`, nil, func(scan func(...any) error) error {
		var k string
		err := scan(&k)
		list.Stations = append(list.Stations, k)
		return err
	})
	return list, err
}

func (t *tx) SaveMaterial(m *materials.Material) error {
	r, err := t.exec(`UPDATE materials SET version = version + 1, name = ?, stage = ?, width = ?, height = ?, size_source = ?, depth = ?, depth_source = ?,
		licence = ?, author = ?, rights = ?, station = ?, captured = ?, contact = ?, tags = ?, categories = ?, report = ?, doubts = ?,
		released = ?, released_version = ?, updated = ?, known = ?, relief = ?, relief_trust = ?, recipe = ?, finish = ?, figures = ?, folded = ?, called = ? WHERE id = ? AND version = ?`,
		m.Name, m.Stage, m.Size.W, m.Size.H, m.SizeSource, m.Depth, m.DepthSource, m.Licence, m.Author, m.Rights, m.Station, m.Captured, m.Contact,
		asJSON(m.Tags), asJSON(m.Categories), asJSON(m.Report), m.Doubts, m.Released, m.ReleasedVersion, stamp(m.Updated), asJSON(m.Known), m.Relief.Value, m.Relief.Confidence, asJSON(m.Recipe), asJSON(m.Finish), asJSON(m.Figures), folded(m), called(m), m.ID, m.Version)
	if err != nil {
		return err
	}
	if n, err := r.RowsAffected(); err != nil || n == 0 {
		return library.ErrStale
	}
	m.Version++
	t.touched(m)
	return nil
}

// marks are the question marks of n values.
func marks(n int) string { return strings.TrimSuffix(strings.Repeat("?,", n), ",") }

func (t *tx) DraftIDs() (ids []int64, err error) {
	err = t.each(`SELECT id FROM materials WHERE stage NOT IN ('left', 'deleted') ORDER BY id`, nil, func(scan func(...any) error) error {
		var id int64
		err := scan(&id)
		ids = append(ids, id)
		return err
	})
	return ids, err
}

func (t *tx) Namesakes(m *materials.Material) (list []materials.Namesake, err error) {
	err = t.each(`SELECT id, CASE WHEN released > 0 THEN slug ELSE '' END FROM materials WHERE stage = 'accepted' AND called = ? AND id <> ? ORDER BY id DESC LIMIT 3`, []any{called(m), m.ID},
		func(scan func(...any) error) error {
			var k materials.Namesake
			err := scan(&k.ID, &k.Slug)
			list = append(list, k)
			return err
		})
	return list, err
}

func (t *tx) LeftOut(each func(int64)) error {
	return t.each(`SELECT id FROM materials WHERE stage IN ('left', 'deleted')`, nil, func(scan func(...any) error) error {
		var id int64
		err := scan(&id)
		each(id)
		return err
	})
}

func (t *tx) OwnersOf(delivery int64) (ids []int64, err error) {
	err = t.each(`SELECT DISTINCT p.material_id FROM files f JOIN maps p ON p.file_id = f.id WHERE f.delivery_id = ? ORDER BY 1`, []any{delivery}, func(scan func(...any) error) error {
		var id int64
		err := scan(&id)
		ids = append(ids, id)
		return err
	})
	return ids, err
}

func (t *tx) SaveGrades(m *materials.Material) error {
	r, err := t.exec(`UPDATE materials SET report = ?, finish = ?, doubts = ? WHERE id = ? AND version = ?`, asJSON(m.Report), asJSON(m.Finish), m.Doubts, m.ID, m.Version)
	if err != nil {
		return err
	}
	if n, err := r.RowsAffected(); err != nil || n == 0 {
		return library.ErrStale
	}
	t.touched(m)
	return nil
}

func (t *tx) MoveMaps(to int64, ids []int64) error {
	for _, id := range ids {
		if _, err := t.exec(`UPDATE maps SET material_id = ? WHERE id = ? AND finished = 0`, to, id); err != nil {
			return err
		}
	}
	return nil
}

func (t *tx) SaveMap(material int64, p materials.Map) error {
	_, err := t.exec(`UPDATE maps SET component = ?, channel = ?, document = ? WHERE id = ? AND material_id = ?`, p.Component, p.Channel, asJSON(p), p.ID, material)
	return err
}

func (t *tx) MaterialOfMap(id int64) (material int64, err error) {
	err = t.one(`SELECT material_id FROM maps WHERE id = ?`, []any{id}, &material)
	return material, err
}

func (t *tx) FreeSlug(want string) (string, error) {
	var there bool
	if err := t.one(`SELECT EXISTS (SELECT 1 FROM materials WHERE slug = ?)`, []any{want}, &there); err != nil || !there {
		return want, err
	}
	// Doubling and then halving, so that a thousand of one name do not ask a thousand times.
	free := func(i int) (bool, error) {
		err := t.one(`SELECT EXISTS (SELECT 1 FROM materials WHERE slug = ?)`, []any{fmt.Sprintf("%s-%d", want, i)}, &there)
		return !there, err
	}
	lo, hi := 1, 2
	for {
		ok, err := free(hi)
		if err != nil {
			return "", err
		}
		if ok {
			break
		}
		lo, hi = hi, 2*hi
	}
	for hi-lo > 1 {
		mid := (lo + hi) / 2
		ok, err := free(mid)
		if err != nil {
			return "", err
		}
		if ok {
			hi = mid
		} else {
			lo = mid
		}
	}
	return fmt.Sprintf("%s-%d", want, hi), nil
}

func (t *tx) SizesOf(station string, limit int) (list []scale.Size, err error) {
	err = t.each(`SELECT width, height FROM materials WHERE station = ? AND stage NOT IN ('left', 'deleted') AND size_source IN ('resolution_tag', 'sidecar', 'name') ORDER BY id DESC LIMIT ?`,
		[]any{station, limit}, func(scan func(...any) error) error {
			var s scale.Size
			err := scan(&s.W, &s.H)
			list = append(list, s)
			return err
		})
	return list, err
}

func (t *tx) CountMaterials() (unseen, unreleased int, err error) {
	// Named, as the planner would rather read all accepted materials.
	err = t.one(`SELECT (SELECT count(*) FROM materials INDEXED BY materials_unseen WHERE stage = 'sorted'),
		(SELECT count(*) FROM materials INDEXED BY materials_unreleased WHERE stage = 'accepted' AND (released = 0 OR version > released_version))`, nil, &unseen, &unreleased)
	return unseen, unreleased, err
}

func (t *tx) AddRelease(r *releases.Release) (err error) {
	r.ID, err = t.insert(`INSERT INTO releases (material_id, number, notes, created, by, snapshot, word) VALUES (?, ?, ?, ?, ?, ?, ?)`, r.MaterialID, r.Number, r.Notes, stamp(r.Created), r.By, asJSON(r.Material), r.Override)
	if taken(err) {
		return library.ErrStale
	}
	return err
}

const releaseColumns = `id, material_id, number, notes, created, by, snapshot, word`

func scanRelease(scan func(...any) error) (r releases.Release, err error) {
	var snapshot string
	var created int64
	if err = scan(&r.ID, &r.MaterialID, &r.Number, &r.Notes, &created, &r.By, &snapshot, &r.Override); err != nil {
		return r, err
	}
	r.Created = moment(created)
	return r, fromJSON(snapshot, &r.Material)
}

func (t *tx) Release(id int64) (releases.Release, error) {
	r, err := scanRelease(t.QueryRowContext(t.ctx, `SELECT `+releaseColumns+` FROM releases WHERE id = ?`, id).Scan)
	if err == sql.ErrNoRows {
		err = library.ErrNotFound
	}
	if err == nil {
		err = t.marked(&r)
	}
	return r, err
}

func (t *tx) ReleasesOf(material int64) (list []releases.Release, err error) {
	err = t.each(`SELECT `+releaseColumns+` FROM releases WHERE material_id = ? ORDER BY number DESC`, []any{material}, func(scan func(...any) error) error {
		r, err := scanRelease(scan)
		list = append(list, r)
		return err
	})
	for i := range list {
		if err == nil {
			err = t.marked(&list[i])
		}
	}
	return list, err
}

func (t *tx) Publish(c releases.Card) error {
	card, err := c.MarshalBinary()
	if err != nil {
		return err
	}
	if _, err := t.exec(`INSERT INTO published (material_id, release_id, card, released) VALUES (?, ?, ?, ?)
		ON CONFLICT (material_id) DO UPDATE SET release_id = excluded.release_id, card = excluded.card, released = excluded.released`,
		c.MaterialID, c.ReleaseID, card, stamp(c.Released)); err != nil {
		return err
	}
	t.Changed("library")
	return nil
}

func (t *tx) Traits(each func(look string, data []byte)) error {
	return t.each(`SELECT look, data FROM traits`, nil, func(scan func(...any) error) error {
		var look string
		var data sql.RawBytes
		if err := scan(&look, &data); err != nil {
			return err
		}
		each(look, data)
		return nil
	})
}

func (t *tx) PutTraits(look string, data []byte) error {
	_, err := t.exec(`INSERT INTO traits (look, data) VALUES (?, ?) ON CONFLICT (look) DO UPDATE SET data = excluded.data`, look, data)
	return err
}

func (t *tx) Cards(each func(releases.Card)) error {
	var r releases.CardReader
	return t.each(`SELECT card FROM published ORDER BY material_id`, nil, func(scan func(...any) error) error {
		var kept sql.RawBytes
		if err := scan(&kept); err != nil {
			return err
		}
		c, err := r.Read(kept)
		if err != nil {
			return err
		}
		each(c)
		return nil
	})
}
