package studio_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/search"
)

func (s *bench) user(name string, r people.Role) people.User {
	s.t.Helper()
	u, err := s.People.AddUser(s.t.Context(), ada, name, "a long password", r)
	if err != nil {
		s.t.Fatal(err)
	}
	return u
}

func TestAccountsKeepAnAdministrator(t *testing.T) {
	s := newStudio(t)
	ctx := t.Context()
	add := func(name, password string, r people.Role) (people.User, error) {
		return s.People.AddUser(ctx, ada, name, password, r)
	}
	u := s.user("anna", people.Administrator)
	for says, c := range map[string][2]string{"at least 10": {"bob", "short"}, "called anna already": {"anna", "a long password"}, "needs a name": {" ", "a long password"}, "at most 72": {"bob", strings.Repeat("x", 73)}, "demo's password": {"bob", people.DemoPassword}} {
		_, err := add(c[0], c[1], people.Artist)
		refused(t, err, says)
	}
	_, err := add("bob", "a long password", "wizard")
	refused(t, err, "no role")
	refused(t, s.People.ChangeUser(ctx, ada, now(u.ID), people.Artist, false), "last administrator")
	refused(t, s.People.ChangeUser(ctx, ada, now(u.ID), people.Administrator, true), "last administrator")
	s.user("eve", people.Administrator)
	seen := library.Seen{ID: u.ID, Version: u.Version}
	if err := s.People.ChangeUser(ctx, ada, seen, people.Artist, true); err != nil {
		t.Error(err)
	}
	if err := s.People.ChangeUser(ctx, ada, seen, people.Lead, true); !errors.Is(err, library.ErrStale) {
		t.Errorf("a stale change of an account: %v", err)
	}
	if _, err := s.People.SignIn(ctx, "anna", "a long password", there); !errors.Is(err, people.ErrDenied) {
		t.Errorf("a closed account was let in: %v", err)
	}
	audit, _, err := s.People.Audit(ctx, ada, people.AuditQuery{Per: 20})
	if err != nil || len(audit) < 4 || audit[0].Action != "sign-in failed" {
		t.Errorf("%v %v", audit, err)
	}
	audit, more, err := s.People.Audit(ctx, ada, people.AuditQuery{Per: 1, Action: "account added", Text: "ANNA"})
	if err != nil || more || len(audit) != 1 || audit[0].Subject != "anna" {
		t.Errorf("%v %v", audit, err)
	}
}

func TestTokensHaveAScopeAndAnEnd(t *testing.T) {
	s := newStudio(t)
	ctx := t.Context()
	s.user("eve", people.Administrator)
	command := people.Command("command line")
	secret, made, err := s.People.NewToken(ctx, command, "eve", "script", people.ScopeContribute, 10)
	if err != nil || !strings.HasPrefix(secret, "ald_") {
		t.Fatal(secret, err)
	}
	p, err := s.People.PrincipalOfToken(ctx, secret)
	if err != nil || p.Name != "eve" || !p.Token {
		t.Fatalf("%v %v", p, err)
	}
	for right, want := range map[people.Right]bool{people.Enter: true, people.SeeDrafts: true, people.Contribute: true, people.Decide: true, people.Administer: false, people.SelfManage: false} {
		if p.May(right) != want {
			t.Errorf("a token to contribute may %s: %v", right, !want)
		}
	}
	if _, err := s.People.Users(ctx, p); err == nil || !strings.Contains(err.Error(), "scope") {
		t.Errorf("beyond its scope: %v", err)
	}
	if _, _, err := s.People.NewToken(ctx, p, "eve", "another", people.ScopeRead, 0); err == nil {
		t.Error("a token made a token")
	}
	read, _, err := s.People.NewToken(ctx, command, "eve", "viewer", people.ScopeRead, 0)
	if err != nil {
		t.Fatal(err)
	}
	if p, _ := s.People.PrincipalOfToken(ctx, read); p.May(people.Contribute) || !p.May(people.SeeDrafts) {
		t.Error("a token to read may do more, or less")
	}
	if _, err := s.People.PrincipalOfToken(ctx, secret+"x"); !errors.Is(err, people.ErrDenied) {
		t.Error("any token will do")
	}
	for says, make := range map[string]func() error{
		"no account called": func() error {
			_, _, err := s.People.NewToken(ctx, command, "nobody", "x", people.ScopeRead, 0)
			return err
		},
		"scope is read": func() error { _, _, err := s.People.NewToken(ctx, command, "eve", "x", "all", 0); return err },
		"between 1 and": func() error {
			_, _, err := s.People.NewToken(ctx, command, "eve", "x", people.ScopeRead, 99999)
			return err
		},
		"what the token": func() error {
			_, _, err := s.People.NewToken(ctx, command, "eve", " ", people.ScopeRead, 0)
			return err
		},
	} {
		refused(t, make(), says)
	}
	// Its owner lists and revokes it; others cannot.
	eve, err := s.People.SignIn(ctx, "eve", "a long password", there)
	if err != nil {
		t.Fatal(err)
	}
	list, err := s.People.Tokens(ctx, eve)
	if err != nil || len(list) != 2 || list[1].Used.IsZero() || list[1].Scope != people.ScopeContribute {
		t.Errorf("%+v %v", list, err)
	}
	s.user("mallory", people.Artist)
	mallory, _ := s.People.SignIn(ctx, "mallory", "a long password", there)
	if err := s.People.RevokeToken(ctx, mallory, made.ID); !errors.Is(err, library.ErrNotFound) {
		t.Errorf("somebody else's token was revoked: %v", err)
	}
	if _, _, err := s.People.NewToken(ctx, mallory, "eve", "x", people.ScopeRead, 0); err == nil {
		t.Error("a token was made for somebody else")
	}
	if err := s.People.RevokeToken(ctx, eve, made.ID); err != nil {
		t.Error(err)
	}
	if _, err := s.People.PrincipalOfToken(ctx, secret); !errors.Is(err, people.ErrDenied) {
		t.Error("a revoked token works")
	}
	s.now = s.now.Add(366 * 24 * time.Hour)
	if _, err := s.People.PrincipalOfToken(ctx, read); !errors.Is(err, people.ErrDenied) {
		t.Error("a token outlives its end")
	}

}

func TestGuessingIsSlowedDownByAccountAndAddressTogether(t *testing.T) {
	s := newStudio(t)
	ctx := t.Context()
	s.user("anna", people.Artist)
	far, near := people.From{Address: "198.51.100.1"}, people.From{Address: "192.0.2.7"}
	many := func(err error) bool { var k people.TooMany; return errors.As(err, &k) }
	for i := range 5 {
		if _, err := s.People.SignIn(ctx, "anna", "wrong", far); !errors.Is(err, people.ErrDenied) {
			t.Fatalf("try %d: %v", i+1, err)
		}
	}
	// Now even the right one has to wait from there: but not from elsewhere, nor another
	// account.
	if _, err := s.People.SignIn(ctx, "anna", "a long password", far); !many(err) {
		t.Errorf("guessing was not slowed down: %v", err)
	}
	if _, err := s.People.SignIn(ctx, "anna", "a long password", near); err != nil {
		t.Errorf("the owner is locked out from elsewhere: %v", err)
	}
	s.user("bert", people.Artist)
	if _, err := s.People.SignIn(ctx, "bert", "a long password", far); err != nil {
		t.Errorf("a neighbour is locked out: %v", err)
	}
	s.now = s.now.Add(3 * time.Second)
	if _, err := s.People.SignIn(ctx, "ANNA", "a long password", far); err != nil {
		t.Error(err)
	}
	for range 4 { // the right one has cleared the count
		s.People.SignIn(ctx, "anna", "wrong", far)
	}
	if _, err := s.People.SignIn(ctx, "anna", "a long password", far); err != nil {
		t.Error(err)
	}
}

func TestFortyGuessesAtOnce(t *testing.T) {
	s := newStudio(t)
	s.user("anna", people.Artist)
	var tried atomic.Int64
	var wg sync.WaitGroup
	for i := range 40 {
		wg.Go(func() {
			if _, err := s.People.SignIn(t.Context(), "anna", fmt.Sprint("guess ", i), there); errors.Is(err, people.ErrDenied) {
				tried.Add(1)
			}
		})
	}
	wg.Wait()
	if tried.Load() > 5 {
		t.Errorf("%d of forty guesses were tried", tried.Load())
	}
}

func TestPasswordsAreChangedAndReset(t *testing.T) {
	s := newStudio(t)
	ctx := t.Context()
	u := s.user("anna", people.Artist)
	enter := func(password string) (people.Principal, error) { return s.People.SignIn(ctx, "anna", password, there) }
	first, err := enter("a long password")
	if err != nil {
		t.Fatal(err)
	}
	second, _ := enter("a long password")
	if err := s.People.ChangePassword(ctx, first, "wrong", "another password", there); !errors.Is(err, people.ErrDenied) {
		t.Errorf("%v", err)
	}
	if err := s.People.ChangePassword(ctx, first, "a long password", "another password", there); err != nil {
		t.Fatal(err)
	}
	if _, err := s.People.PrincipalOfSignIn(ctx, second.SignIn); !errors.Is(err, library.ErrNotFound) {
		t.Errorf("another sign-in outlives the password: %v", err)
	}
	if _, err := s.People.PrincipalOfSignIn(ctx, first.SignIn); err != nil {
		t.Errorf("the own sign-in has ended: %v", err)
	}
	if _, err := enter("a long password"); err == nil {
		t.Error("the old password works")
	}
	// A reset makes the password useless at once, and its code works once.
	if _, err := s.People.ResetPassword(ctx, arno, now(u.ID)); err == nil {
		t.Error("an artist resets passwords")
	}
	code, err := s.People.ResetPassword(ctx, ada, now(u.ID))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := enter("another password"); err == nil {
		t.Error("the password works after a reset")
	}
	if _, err := s.People.PrincipalOfSignIn(ctx, first.SignIn); err == nil {
		t.Error("a sign-in outlives the reset")
	}
	if _, err := s.People.UseCode(ctx, "anna", "WRONGCODE", "third password", there); !errors.Is(err, people.ErrDenied) {
		t.Errorf("%v", err)
	}
	_, err = s.People.UseCode(ctx, "anna", code, "short", there)
	refused(t, err, "at least 10")
	if _, err := s.People.UseCode(ctx, "anna", " "+strings.ToLower(code)+" ", "third password", there); err != nil {
		t.Errorf("the code does not work: %v", err)
	}
	if _, err := s.People.UseCode(ctx, "anna", code, "fourth password", there); err == nil {
		t.Error("the code works twice")
	}
	if _, err := enter("third password"); err != nil {
		t.Error(err)
	}
	code, _ = s.People.ResetPassword(ctx, ada, now(u.ID))
	s.now = s.now.Add(25 * time.Hour)
	if _, err := s.People.UseCode(ctx, "anna", code, "fourth password", there); err == nil {
		t.Error("the code works after a day")
	}
}

func TestSignInsAreListedAndEnded(t *testing.T) {
	s := newStudio(t)
	ctx := t.Context()
	s.user("anna", people.Artist)
	here, _ := s.People.SignIn(ctx, "anna", "a long password", people.From{Address: "192.0.2.7", Agent: "Here"})
	away, _ := s.People.SignIn(ctx, "anna", "a long password", people.From{Address: "192.0.2.8", Agent: "Away"})
	list, own, err := s.People.SignIns(ctx, here)
	if err != nil || len(list) != 2 || !slices.ContainsFunc(list, func(in people.SignIn) bool { return in.ID == own && in.Agent == "Here" }) {
		t.Fatalf("%+v %v", list, err)
	}
	for _, in := range list {
		if in.ID == away.SignIn || in.ID == here.SignIn {
			t.Error("what is listed can be used to enter")
		}
		if in.ID != own {
			if err := s.People.EndSignIn(ctx, here, in.ID); err != nil {
				t.Fatal(err)
			}
		}
	}
	if _, err := s.People.PrincipalOfSignIn(ctx, away.SignIn); !errors.Is(err, library.ErrNotFound) {
		t.Errorf("%v", err)
	}
	if _, err := s.People.PrincipalOfSignIn(ctx, here.SignIn); err != nil {
		t.Errorf("%v", err)
	}
}

func TestTheDemosPasswordOpensNothingElse(t *testing.T) {
	s := newStudio(t)
	s.People.Demo = true
	if _, err := s.People.AddUser(t.Context(), ada, "anna", people.DemoPassword, people.Lead); err != nil {
		t.Fatal(err)
	}
	if _, err := s.People.SignIn(t.Context(), "anna", people.DemoPassword, there); err != nil {
		t.Errorf("in the demo: %v", err)
	}
	s.People.Demo = false
	_, err := s.People.SignIn(t.Context(), "anna", people.DemoPassword, there)
	refused(t, err, "demo's password")
}

// Who may do what is one table; every method asks it.
func TestMethodsAskForTheirRights(t *testing.T) {
	s := newStudio(t)
	ctx := t.Context()
	m := s.send(scan(t, "slates_round")...).Materials[0]
	denied := func(name string, err error) {
		t.Helper()
		var f people.Forbidden
		if !errors.As(err, &f) {
			t.Errorf("%s: %v", name, err)
		}
	}
	_, err := s.Materials.Material(ctx, arno, m.ID)
	denied("a draft", err)
	_, err = s.Pictures.Shown(ctx, arno, m.ID)
	if !errors.Is(err, library.ErrNotFound) {
		t.Errorf("a draft's pictures: %v", err)
	}
	_, err = s.Pictures.MapOf(ctx, arno, m.Maps[0].ID)
	denied("a draft's map", err)
	_, err = s.Materials.Patch(ctx, arno, now(m.ID), materials.Change{})
	denied("a change", err)
	_, err = s.Studio.Releases.Release(ctx, arno, now(m.ID), releases.ReleaseText{})
	denied("a release", err)
	_, _, err = s.Intake.Deliveries(ctx, arno, intake.DeliveryQuery{Per: 5})
	denied("deliveries", err)
	_, err = s.Materials.History(ctx, arno, 1, 0, 5)
	denied("steps", err)
	_, _, err = s.People.Audit(ctx, liv, people.AuditQuery{})
	denied("the audit", err)
	_, err = s.Search.Find(ctx, people.Principal{}, search.Query{})
	denied("the Library, by nobody", err)
	if _, err := s.Studio.Releases.Release(ctx, lena, now(m.ID), releases.ReleaseText{}); err != nil {
		t.Fatal(err)
	}
	if got, err := s.Pictures.Shown(ctx, arno, m.ID); err != nil || got.Name != m.Name {
		t.Errorf("what is released: %v", err)
	}
}
