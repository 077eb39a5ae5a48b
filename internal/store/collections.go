package store

import (
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/collections"
)

const collectionColumns = `SELECT id, name, colour, owner, shared, stars, version, changed, (SELECT count(*) FROM collection_items WHERE collection_id = c.id) FROM collections c `

func scanCollection(scan func(...any) error) (c collections.Collection, err error) {
	var changed int64
	err = scan(&c.ID, &c.Name, &c.Colour, &c.Owner, &c.Shared, &c.Stars, &c.Version, &changed, &c.Count)
	c.Changed = moment(changed)
	return c, err
}

func (t *tx) Collections(owner string) (list []collections.Collection, err error) {
	err = t.each(collectionColumns+`WHERE owner = ? OR shared = 1 ORDER BY stars DESC, name COLLATE NOCASE`, []any{owner}, func(scan func(...any) error) error {
		c, err := scanCollection(scan)
		list = append(list, c)
		return err
	})
	if err != nil {
		return nil, err
	}
	at := make(map[int64]int, len(list))
	for i, c := range list {
		at[c.ID] = i
	}
	err = t.each(`SELECT collection_id, material_id FROM collection_items WHERE position < 8 AND collection_id IN (SELECT id FROM collections WHERE owner = ? OR shared = 1) ORDER BY position`, []any{owner}, func(scan func(...any) error) error {
		var id, material int64
		if err := scan(&id, &material); err != nil {
			return err
		}
		c := &list[at[id]]
		c.First = append(c.First, material)
		return nil
	})
	return list, err
}

func (t *tx) collection(where string, arg any) (c collections.Collection, err error) {
	c, err = scanCollection(func(to ...any) error { return t.one(collectionColumns+where, []any{arg}, to...) })
	if err != nil {
		return c, err
	}
	err = t.each(`SELECT material_id FROM collection_items WHERE collection_id = ? ORDER BY position`, []any{c.ID}, func(scan func(...any) error) error {
		var id int64
		err := scan(&id)
		c.Items = append(c.Items, id)
		return err
	})
	return c, err
}

func (t *tx) Collection(id int64) (collections.Collection, error) {
	return t.collection(`WHERE id = ?`, id)
}

func (t *tx) Stars(owner string) (collections.Collection, error) {
	return t.collection(`WHERE stars = 1 AND owner = ?`, owner)
}

func (t *tx) AddCollection(c *collections.Collection) (err error) {
	c.Version = 1
	if c.ID, err = t.insert(`INSERT INTO collections (name, colour, owner, shared, stars, changed) VALUES (?, ?, ?, ?, ?, ?)`, c.Name, c.Colour, c.Owner, c.Shared, c.Stars, stamp(c.Changed)); err != nil {
		if taken(err) {
			return library.ErrStale
		}
		return err
	}
	return t.putItems(c)
}

func (t *tx) SaveCollection(c *collections.Collection) error {
	c.Version++
	res, err := t.exec(`UPDATE collections SET name = ?, colour = ?, shared = ?, version = ?, changed = ? WHERE id = ?`, c.Name, c.Colour, c.Shared, c.Version, stamp(c.Changed), c.ID)
	if err == nil {
		err = found(res)
	}
	if err == nil {
		_, err = t.exec(`DELETE FROM collection_items WHERE collection_id = ?`, c.ID)
	}
	if err != nil {
		return err
	}
	return t.putItems(c)
}

func (t *tx) putItems(c *collections.Collection) error {
	t.Changed("collections")
	for i, id := range c.Items {
		if _, err := t.exec(`INSERT INTO collection_items (collection_id, material_id, position) VALUES (?, ?, ?)`, c.ID, id, i); err != nil {
			return err
		}
	}
	return nil
}

func (t *tx) RemoveCollection(id int64) error {
	t.Changed("collections")
	if _, err := t.exec(`DELETE FROM collection_items WHERE collection_id = ?`, id); err != nil {
		return err
	}
	_, err := t.exec(`DELETE FROM collections WHERE id = ?`, id)
	return err
}

func (t *tx) Searches(owner string) ([]collections.Search, error) {
	return t.searches(`WHERE owner = ? ORDER BY name COLLATE NOCASE`, owner)
}

func (t *tx) AllSearches() ([]collections.Search, error) { return t.searches(`ORDER BY id`) }

func (t *tx) searches(where string, args ...any) (list []collections.Search, err error) {
	err = t.each(`SELECT id, owner, name, address, seen, created, told FROM saved_searches `+where, args, func(scan func(...any) error) error {
		var s collections.Search
		var seen, created, told int64
		err := scan(&s.ID, &s.Owner, &s.Name, &s.Address, &seen, &created, &told)
		if s.Seen, s.Created = moment(seen), moment(created); told != 0 {
			s.Told = moment(told)
		}
		list = append(list, s)
		return err
	})
	return list, err
}

func (t *tx) AddSearch(s *collections.Search) (err error) {
	t.Changed("searches")
	s.ID, err = t.insert(`INSERT INTO saved_searches (owner, name, address, seen, created) VALUES (?, ?, ?, ?, ?)`, s.Owner, s.Name, s.Address, stamp(s.Seen), stamp(s.Created))
	return err
}

func (t *tx) SaveSearch(s *collections.Search) error {
	told := int64(0)
	if !s.Told.IsZero() {
		told = stamp(s.Told)
	}
	_, err := t.exec(`UPDATE saved_searches SET name = ?, address = ?, seen = ?, told = ? WHERE id = ? AND owner = ?`, s.Name, s.Address, stamp(s.Seen), told, s.ID, s.Owner)
	return err
}

func (t *tx) LookedAt(person string, n int) (list []int64, err error) {
	err = t.each(`SELECT material_id FROM looked_at WHERE person = ? ORDER BY at DESC LIMIT ?`, []any{person, n}, func(scan func(...any) error) error {
		var id int64
		err := scan(&id)
		list = append(list, id)
		return err
	})
	return list, err
}

func (t *tx) AddLook(person string, material int64, at time.Time, keep int) error {
	if _, err := t.exec(`INSERT INTO looked_at (person, material_id, at) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET at = excluded.at`, person, material, stamp(at)); err != nil {
		return err
	}
	_, err := t.exec(`DELETE FROM looked_at WHERE person = ? AND at < (SELECT min(at) FROM (SELECT at FROM looked_at WHERE person = ? ORDER BY at DESC LIMIT ?))`, person, person, keep)
	return err
}

func (t *tx) RemoveSearch(owner string, id int64) error {
	t.Changed("searches")
	_, err := t.exec(`DELETE FROM saved_searches WHERE id = ? AND owner = ?`, id, owner)
	return err
}
