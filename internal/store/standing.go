package store

import (
	"encoding/json"
	"errors"

	"aldermoor/internal/library"
	"aldermoor/internal/library/releases"
)

func (t *tx) Mark(release int64) (m releases.Mark, err error) {
	var changed int64
	var correction string
	err = t.one(`SELECT version, state, reason, replacement, correction, by_name, changed FROM release_marks WHERE release_id = ?`, []any{release}, &m.Version, &m.State, &m.Reason, &m.Replacement, &correction, &m.By, &changed)
	if errors.Is(err, library.ErrNotFound) {
		return releases.Mark{}, nil
	}
	if err == nil && correction != "" {
		m.Correction = new(releases.Description)
		err = fromJSON(correction, m.Correction)
	}
	m.Changed = moment(changed)
	return m, err
}

func (t *tx) SaveMark(release int64, m releases.Mark) error {
	var correction any = ""
	if m.Correction != nil {
		correction = asJSON(m.Correction)
	}
	_, err := t.exec(`INSERT INTO release_marks (release_id, version, state, reason, replacement, correction, by_name, changed) VALUES (?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (release_id) DO UPDATE SET version = excluded.version, state = excluded.state, reason = excluded.reason, replacement = excluded.replacement,
		correction = excluded.correction, by_name = excluded.by_name, changed = excluded.changed`,
		release, m.Version, m.State, m.Reason, m.Replacement, correction, m.By, stamp(m.Changed))
	t.Changed("library")
	return err
}

// marked gives releases what was decided of them since.
func (t *tx) marked(list ...*releases.Release) error {
	for _, r := range list {
		m, err := t.Mark(r.ID)
		if err != nil {
			return err
		}
		r.Carry(m)
	}
	return nil
}

func (t *tx) Reviews() (list []releases.Review, err error) {
	err = t.each(`SELECT r.material_id, m.name, r.version, r.notes, r.by_name, r.asked, r.returned, r.returned_by FROM reviews r JOIN materials m ON m.id = r.material_id WHERE m.stage <> 'deleted' ORDER BY r.asked`, nil, func(scan func(...any) error) error {
		r, err := scanReview(scan)
		list = append(list, r)
		return err
	})
	return list, err
}

func scanReview(scan func(...any) error) (r releases.Review, err error) {
	var asked int64
	err = scan(&r.MaterialID, &r.Name, &r.Version, &r.Notes, &r.By, &asked, &r.Returned, &r.ReturnedBy)
	r.Asked = moment(asked)
	return r, err
}

func (t *tx) Review(material int64) (releases.Review, error) {
	return scanReview(func(to ...any) error {
		return t.one(`SELECT r.material_id, m.name, r.version, r.notes, r.by_name, r.asked, r.returned, r.returned_by FROM reviews r JOIN materials m ON m.id = r.material_id WHERE r.material_id = ?`, []any{material}, to...)
	})
}

func (t *tx) SaveReview(r releases.Review) error {
	t.Changed("reviews")
	_, err := t.exec(`INSERT INTO reviews (material_id, version, notes, by_name, asked, returned, returned_by) VALUES (?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (material_id) DO UPDATE SET version = excluded.version, notes = excluded.notes, by_name = excluded.by_name, asked = excluded.asked, returned = excluded.returned, returned_by = excluded.returned_by`,
		r.MaterialID, r.Version, r.Notes, r.By, stamp(r.Asked), r.Returned, r.ReturnedBy)
	return err
}

func (t *tx) RemoveReview(material int64) error {
	t.Changed("reviews")
	_, err := t.exec(`DELETE FROM reviews WHERE material_id = ?`, material)
	return err
}

func (t *tx) AddTaking(k releases.Taking) error {
	t.Changed("takings")
	_, err := t.exec(`INSERT INTO takings (material_id, release_id, person, form, first, last, times) VALUES (?, ?, ?, ?, ?, ?, 1)
		ON CONFLICT (release_id, person, form) DO UPDATE SET last = excluded.last, times = times + 1`, k.MaterialID, k.ReleaseID, k.Person, k.Form, stamp(k.Last), stamp(k.Last))
	return err
}

const takingColumns = `SELECT t.material_id, t.release_id, r.number, t.person, t.form, t.last, t.times FROM takings t JOIN releases r ON r.id = t.release_id `

func (t *tx) takings(query string, args ...any) (list []releases.Taking, err error) {
	err = t.each(takingColumns+query, args, func(scan func(...any) error) error {
		var k releases.Taking
		var last int64
		err := scan(&k.MaterialID, &k.ReleaseID, &k.Number, &k.Person, &k.Form, &last, &k.Times)
		k.Last = moment(last)
		list = append(list, k)
		return err
	})
	return list, err
}

func (t *tx) TakingsOf(material int64, n int) ([]releases.Taking, error) {
	return t.takings(`WHERE t.material_id = ? ORDER BY t.last DESC LIMIT ?`, material, n)
}

func (t *tx) TakingsBy(person string, n int) ([]releases.Taking, error) {
	return t.takings(`WHERE t.person = ? ORDER BY t.last DESC LIMIT ?`, person, n)
}

func (t *tx) UsersOf(material int64) (n int, err error) {
	err = t.one(`SELECT count(DISTINCT person) FROM takings WHERE material_id = ?`, []any{material}, &n)
	return n, err
}

func (t *tx) Uses(each func(material int64, people int)) error {
	return t.each(`SELECT material_id, count(DISTINCT person) FROM takings GROUP BY material_id`, nil, func(scan func(...any) error) error {
		var id int64
		var n int
		if err := scan(&id, &n); err != nil {
			return err
		}
		each(id, n)
		return nil
	})
}

// OldCards are the releases whose cards were kept by an earlier version.
func (t *tx) OldCards(form byte, n int) (list []int64, err error) {
	err = t.each(`SELECT release_id FROM published WHERE substr(card, 1, 1) <> ? LIMIT ?`, []any{[]byte{form}, n}, func(scan func(...any) error) error {
		var id int64
		err := scan(&id)
		list = append(list, id)
		return err
	})
	return list, err
}

// MaterialsWith are the materials whose draft is filed under a word.
func (t *tx) MaterialsWith(kind releases.WordKind, word string) (list []int64, err error) {
	column := map[releases.WordKind]string{releases.Tag: "tags", releases.Category: "categories"}[kind]
	quoted, err := json.Marshal(word)
	if err != nil || column == "" {
		return nil, err
	}
	within := string(quoted[:len(quoted)-1]) + " / "
	if kind == releases.Tag {
		within = string(quoted)
	}
	err = t.each(`SELECT id FROM materials WHERE stage NOT IN ('left', 'deleted') AND (instr(`+column+`, ?) > 0 OR instr(`+column+`, ?) > 0) ORDER BY id`, []any{string(quoted), within}, func(scan func(...any) error) error {
		var id int64
		err := scan(&id)
		list = append(list, id)
		return err
	})
	return list, err
}

// PublishedWith are the published materials whose card has a word, wherever it stands there.
func (t *tx) PublishedWith(word string) (list []int64, err error) {
	err = t.each(`SELECT material_id FROM published WHERE instr(card, CAST(? AS BLOB)) > 0 ORDER BY 1`, []any{word}, func(scan func(...any) error) error {
		var id int64
		err := scan(&id)
		list = append(list, id)
		return err
	})
	return list, err
}
