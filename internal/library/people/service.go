// Package people decides who may do what: principals and their rights, accounts, sign-ins,
// tokens, and the audit of what was done.
package people

import "aldermoor/internal/library"

// Service lets people and programs in, and keeps their accounts.
type Service struct {
	*library.Base
	Store    library.Store[Reader, Tx]
	Demo     bool // the demo's password opens accounts
	guard    throttle
	failures hourly
}
