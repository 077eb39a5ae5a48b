package store

import (
	"strings"
	"time"

	"aldermoor/internal/jobs"
	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

const userColumns = `u.id, u.version, u.name, u.role, u.password, u.disabled, u.created, u.code, u.code_ends`

func userFields(u *people.User, created, ends *int64) []any {
	return []any{&u.ID, &u.Version, &u.Name, &u.Role, &u.Password, &u.Disabled, created, &u.Code, ends}
}

func (t *tx) user(where string, args ...any) (u people.User, err error) {
	var created, ends int64
	err = t.one(`SELECT `+userColumns+` FROM users u WHERE `+where, args, userFields(&u, &created, &ends)...)
	u.Created, u.CodeEnds = moment(created), endOf(ends)
	return u, err
}

func (t *tx) Users() (list []people.User, err error) {
	err = t.each(`SELECT `+userColumns+` FROM users u ORDER BY u.name`, nil, func(scan func(...any) error) error {
		var u people.User
		var created, ends int64
		err := scan(userFields(&u, &created, &ends)...)
		u.Created, u.CodeEnds = moment(created), endOf(ends)
		list = append(list, u)
		return err
	})
	return list, err
}

func (t *tx) User(id int64) (people.User, error)         { return t.user(`u.id = ?`, id) }
func (t *tx) UserNamed(name string) (people.User, error) { return t.user(`u.name = ?`, name) }

func (t *tx) SaveUser(u *people.User) (err error) {
	t.Changed("people")
	if u.ID == 0 {
		u.Version = 1
		u.ID, err = t.insert(`INSERT INTO users (name, role, password, disabled, created) VALUES (?, ?, ?, ?, ?)`, u.Name, u.Role, u.Password, u.Disabled, stamp(u.Created))
		return err
	}
	code := u.Code
	if code == nil {
		code = []byte{}
	}
	r, err := t.exec(`UPDATE users SET version = version + 1, role = ?, password = ?, disabled = ?, code = ?, code_ends = ? WHERE id = ? AND version = ?`,
		u.Role, u.Password, u.Disabled, code, ending(u.CodeEnds), u.ID, u.Version)
	if err == nil {
		err = t.saved(r, "users", u.ID, &u.Version)
	}
	return err
}

const tokenColumns = `k.id, k.user_id, k.label, k.scope, k.created, k.ends, k.used`

func tokenFields(k *people.Token, at *[3]int64) []any {
	return []any{&k.ID, &k.UserID, &k.Label, &k.Scope, &at[0], &at[1], &at[2]}
}

func (t *tx) AddToken(k *people.Token, hash []byte) (err error) {
	k.ID, err = t.insert(`INSERT INTO tokens (user_id, label, scope, hash, created, ends) VALUES (?, ?, ?, ?, ?, ?)`, k.UserID, k.Label, k.Scope, hash, stamp(k.Made), ending(k.Ends))
	return err
}

func (t *tx) Token(hash []byte) (k people.Token, u people.User, err error) {
	var at [3]int64
	var created, ends int64
	err = t.one(`SELECT `+tokenColumns+`, `+userColumns+` FROM tokens k JOIN users u ON u.id = k.user_id WHERE k.hash = ?`, []any{hash},
		append(tokenFields(&k, &at), userFields(&u, &created, &ends)...)...)
	k.Made, k.Ends, k.Used, u.Created, u.CodeEnds = moment(at[0]), endOf(at[1]), endOf(at[2]), moment(created), endOf(ends)
	return k, u, err
}

func (t *tx) Tokens(user int64) (list []people.Token, err error) {
	err = t.each(`SELECT `+tokenColumns+` FROM tokens k WHERE k.user_id = ? ORDER BY k.id DESC`, []any{user}, func(scan func(...any) error) error {
		var k people.Token
		var at [3]int64
		err := scan(tokenFields(&k, &at)...)
		k.Made, k.Ends, k.Used = moment(at[0]), endOf(at[1]), endOf(at[2])
		list = append(list, k)
		return err
	})
	return list, err
}

func (t *tx) AllTokens() (list []people.OwnedToken, err error) {
	err = t.each(`SELECT `+tokenColumns+`, u.name FROM tokens k JOIN users u ON u.id = k.user_id ORDER BY k.id DESC`, nil, func(scan func(...any) error) error {
		var k people.OwnedToken
		var at [3]int64
		err := scan(append(tokenFields(&k.Token, &at), &k.Owner)...)
		k.Made, k.Ends, k.Used = moment(at[0]), endOf(at[1]), endOf(at[2])
		list = append(list, k)
		return err
	})
	return list, err
}

func (t *tx) RemoveToken(user, id int64) error {
	r, err := t.exec(`DELETE FROM tokens WHERE id = ? AND user_id = ?`, id, user)
	if err != nil {
		return err
	}
	return found(r)
}

func (t *tx) UseToken(id int64, at time.Time) error {
	_, err := t.exec(`UPDATE tokens SET used = ? WHERE id = ?`, stamp(at), id)
	return err
}

const signInColumns = `i.id, i.user_id, i.at, i.seen, i.address, i.agent`

func signInFields(s *people.SignIn, at *[2]int64) []any {
	return []any{&s.ID, &s.UserID, &at[0], &at[1], &s.Address, &s.Agent}
}

func (t *tx) AddSignIn(s people.SignIn) error {
	_, err := t.exec(`INSERT INTO sign_ins (id, user_id, at, seen, address, agent) VALUES (?, ?, ?, ?, ?, ?)`, s.ID, s.UserID, stamp(s.At), stamp(s.Seen), s.Address, s.Agent)
	return err
}

func (t *tx) SignIn(id string) (s people.SignIn, u people.User, err error) {
	var at [2]int64
	var created, ends int64
	err = t.one(`SELECT `+signInColumns+`, `+userColumns+` FROM sign_ins i JOIN users u ON u.id = i.user_id WHERE i.id = ?`, []any{id},
		append(signInFields(&s, &at), userFields(&u, &created, &ends)...)...)
	s.At, s.Seen, u.Created, u.CodeEnds = moment(at[0]), moment(at[1]), moment(created), endOf(ends)
	return s, u, err
}

func (t *tx) SignIns(user int64) (list []people.SignIn, err error) {
	err = t.each(`SELECT `+signInColumns+` FROM sign_ins i WHERE i.user_id = ? ORDER BY i.seen DESC`, []any{user}, func(scan func(...any) error) error {
		var s people.SignIn
		var at [2]int64
		err := scan(signInFields(&s, &at)...)
		s.At, s.Seen = moment(at[0]), moment(at[1])
		list = append(list, s)
		return err
	})
	return list, err
}

func (t *tx) SeeSignIn(id string, at time.Time) error {
	_, err := t.exec(`UPDATE sign_ins SET seen = ? WHERE id = ?`, stamp(at), id)
	return err
}

func (t *tx) EndSignIns(user int64, id string) error {
	_, err := t.exec(`DELETE FROM sign_ins WHERE user_id = ? AND (? = '' OR id = ?)`, user, id, id)
	return err
}

func (t *tx) AddAudit(e people.AuditEntry) error {
	_, err := t.exec(`INSERT INTO audit (at, actor, action, subject, detail) VALUES (?, ?, ?, ?, ?)`, stamp(e.At), e.Actor, e.Action, e.Subject, e.Detail)
	return err
}

func (t *tx) Audit(q people.AuditQuery) (list []people.AuditEntry, err error) {
	where, args := []string{"1"}, []any{}
	if q.Actor != "" {
		where, args = append(where, "actor = ?"), append(args, q.Actor)
	}
	if q.Action != "" {
		where, args = append(where, "action = ?"), append(args, q.Action)
	}
	if q.Text != "" {
		where, args = append(where, "(instr(lower(subject), lower(?)) > 0 OR instr(lower(detail), lower(?)) > 0)"), append(args, q.Text, q.Text)
	}
	args = append(args, q.Per+1, (q.Page-1)*q.Per)
	err = t.each(`SELECT at, actor, action, subject, detail FROM audit WHERE `+strings.Join(where, " AND ")+` ORDER BY id DESC LIMIT ? OFFSET ?`, args, func(scan func(...any) error) error {
		var e people.AuditEntry
		var at int64
		err := scan(&at, &e.Actor, &e.Action, &e.Subject, &e.Detail)
		e.At = moment(at)
		list = append(list, e)
		return err
	})
	return list, err
}

func (t *tx) AuditActions() (list []string, err error) {
	err = t.each(`SELECT DISTINCT action FROM audit ORDER BY action`, nil, func(scan func(...any) error) error {
		var a string
		err := scan(&a)
		list = append(list, a)
		return err
	})
	return list, err
}

func (t *tx) AddJob(kind, key string, priority int) error {
	t.Changed("jobs")
	return jobs.Add(t.ctx, t, kind, key, priority, library.PersonOf(t.ctx))
}

func (t *tx) HasJob(kind, key string) (is bool, err error) {
	err = t.QueryRowContext(t.ctx, `SELECT EXISTS (SELECT 1 FROM jobs WHERE kind = ? AND key = ? AND state <> 'failed')`, kind, key).Scan(&is)
	return is, err
}

func (t *tx) Jobs(n int) (list []library.Job, waiting map[string]int, err error) {
	entries, waiting, err := jobs.List(t.ctx, t, n)
	for _, e := range entries {
		list = append(list, library.Job(e))
	}
	return list, waiting, err
}
