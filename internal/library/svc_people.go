package library

// People lets people and programs in, and keeps their accounts.
type People struct {
	*Base
	Store Store[PeopleReader, PeopleTx]
	Demo  bool // the demo's password opens accounts
	guard throttle
}
