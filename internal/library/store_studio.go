package library

// StudioReader is all that can be asked within a transaction.
type StudioReader interface {
	PeopleReader
	EventsReader
	IntakeReader
	ReleasesReader
	SearchReader
	CountMaterials() (unseen, unreleased int, err error)
	// KnownBlobs calls f with each blob that a row names.
	KnownBlobs(f func(sum string)) error
}

// StudioTx is all that can be done within a transaction that writes.
type StudioTx interface {
	StudioReader
	PeopleTx
	EventsTx
	IntakeTx
	ReleasesTx
}

// StudioStore keeps rows.
type StudioStore interface {
	Store[StudioReader, StudioTx]
	// OnCommit sets what is told the topics of each committed transaction, in the order
	// of the commits.
	OnCommit(f func([]Event))
}
