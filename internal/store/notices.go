package store

import (
	"errors"
	"time"

	"aldermoor/internal/jobs"
	"aldermoor/internal/library"
	"aldermoor/internal/library/notices"
)

func (t *tx) Notices(person string, n int) (list []notices.Notice, err error) {
	err = t.each(`SELECT id, person, text, href, at, seen FROM notices WHERE person = ? ORDER BY id DESC LIMIT ?`, []any{person, n}, func(scan func(...any) error) error {
		var k notices.Notice
		var at int64
		err := scan(&k.ID, &k.Person, &k.Text, &k.Href, &at, &k.Seen)
		k.At = moment(at)
		list = append(list, k)
		return err
	})
	return list, err
}

func (t *tx) Unseen(person string) (n int, err error) {
	err = t.one(`SELECT count(*) FROM notices WHERE person = ? AND seen = 0`, []any{person}, &n)
	return n, err
}

func (t *tx) AddNotice(n notices.Notice) error {
	t.Changed("notices")
	_, err := t.exec(`INSERT INTO notices (person, text, href, at) VALUES (?, ?, ?, ?)`, n.Person, n.Text, n.Href, stamp(n.At))
	return err
}

func (t *tx) SeeNotices(person string, upTo int64) error {
	_, err := t.exec(`UPDATE notices SET seen = 1 WHERE person = ? AND id <= ? AND seen = 0`, person, upTo)
	return err
}

func (t *tx) ForgetNotices(before time.Time) error {
	_, err := t.exec(`DELETE FROM notices WHERE seen = 1 AND at < ?`, stamp(before))
	return err
}

func (t *tx) Takers(material int64) (list []string, err error) {
	err = t.each(`SELECT DISTINCT person FROM takings WHERE material_id = ?`, []any{material}, func(scan func(...any) error) error {
		var who string
		err := scan(&who)
		list = append(list, who)
		return err
	})
	return list, err
}

const hookColumns = `SELECT m.id, m.receiver_id, r.url, m.event, m.body, m.made, m.state, m.attempts, m.problem, m.tried
	FROM hook_messages m JOIN hook_receivers r ON r.id = m.receiver_id `

func scanHook(scan func(...any) error) (h notices.Hook, err error) {
	var made, tried int64
	err = scan(&h.ID, &h.Receiver, &h.URL, &h.Event, &h.Body, &made, &h.State, &h.Attempts, &h.Problem, &tried)
	h.Made, h.Tried = moment(made), endOf(tried)
	return h, err
}

func (t *tx) Hooks(before int64, n int) (list []notices.Hook, err error) {
	err = t.each(hookColumns+`WHERE ? = 0 OR m.id < ? ORDER BY m.id DESC LIMIT ?`, []any{before, before, n}, func(scan func(...any) error) error {
		h, err := scanHook(scan)
		list = append(list, h)
		return err
	})
	return list, err
}

func (t *tx) Hook(id int64) (notices.Hook, error) {
	return scanHook(func(to ...any) error { return t.one(hookColumns+`WHERE m.id = ?`, []any{id}, to...) })
}

func (t *tx) NextHook(receiver int64) (notices.Hook, error) {
	return scanHook(func(to ...any) error {
		return t.one(hookColumns+`WHERE m.receiver_id = ? AND m.state = 'waiting' ORDER BY m.id LIMIT 1`, []any{receiver}, to...)
	})
}

func (t *tx) AddHook(h *notices.Hook) (err error) {
	t.Changed("webhooks")
	err = t.one(`INSERT INTO hook_receivers (url) VALUES (?) ON CONFLICT (url) DO UPDATE SET url = url RETURNING id`, []any{h.URL}, &h.Receiver)
	if err != nil {
		return err
	}
	h.ID, err = t.insert(`INSERT INTO hook_messages (receiver_id, event, body, made) VALUES (?, ?, ?, ?)`, h.Receiver, h.Event, h.Body, stamp(h.Made))
	return err
}

func (t *tx) SaveHook(h notices.Hook) error {
	t.Changed("webhooks")
	r, err := t.exec(`UPDATE hook_messages SET state = ?, attempts = ?, problem = ?, tried = ? WHERE id = ?`, h.State, h.Attempts, h.Problem, ending(h.Tried), h.ID)
	if err != nil {
		return err
	}
	return found(r)
}

func (t *tx) EndHooks(receiver int64, problem string) error {
	t.Changed("webhooks")
	_, err := t.exec(`UPDATE hook_messages SET state = 'failed', problem = CASE problem WHEN '' THEN ? ELSE problem END WHERE receiver_id = ? AND state = 'waiting'`, problem, receiver)
	return err
}

func (t *tx) ForgetHooks(before time.Time) error {
	_, err := t.exec(`DELETE FROM hook_messages WHERE state <> 'waiting' AND made < ?`, stamp(before))
	return err
}

func (t *tx) Receivers() (map[string]notices.ReceiverState, error) {
	all := map[string]notices.ReceiverState{}
	err := t.each(`SELECT r.id, r.url, count(*) FILTER (WHERE m.state = 'waiting'), count(*) FILTER (WHERE m.state = 'failed'),
		coalesce(max(m.tried) FILTER (WHERE m.state = 'told'), 0) FROM hook_receivers r JOIN hook_messages m ON m.receiver_id = r.id GROUP BY r.id`, nil, func(scan func(...any) error) error {
		var k notices.ReceiverState
		var url string
		var told int64
		err := scan(&k.Receiver, &url, &k.Waiting, &k.Failed, &told)
		k.Told = endOf(told)
		all[url] = k
		return err
	})
	return all, err
}

func (t *tx) NextTry(kind, key string) (at time.Time, waits bool, err error) {
	var runAt int64
	err = t.one(`SELECT run_at FROM jobs WHERE kind = ? AND key = ? AND state = 'waiting'`, []any{kind, key}, &runAt)
	if errors.Is(err, library.ErrNotFound) {
		return at, false, nil
	}
	return endOf(runAt), true, err
}

func (t *tx) HurryJob(kind, key string) error {
	t.Changed("jobs")
	return jobs.Hurry(t.ctx, t, kind, key, 1, library.PersonOf(t.ctx))
}
