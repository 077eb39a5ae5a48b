package notices

import (
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// Reader reads what people and other programs are told.
type Reader interface {
	Notices(person string, n int) ([]Notice, error) // the latest first
	Unseen(person string) (int, error)
	Takers(material int64) ([]string, error) // who took a material
	Setting(name string, to any) (version int64, err error)
	Hooks(before int64, n int) ([]Hook, error)                    // messages with ids below before, or all for 0, the latest first
	Hook(id int64) (Hook, error)                                  //
	NextHook(receiver int64) (Hook, error)                        // the oldest message that a receiver is to be told
	Receivers() (map[string]ReceiverState, error)                 // by address
	NextTry(kind, key string) (at time.Time, waits bool, e error) // of a job
}

// Tx writes it.
type Tx interface {
	Reader
	library.Recorder
	AddAudit(e people.AuditEntry) error
	AddNotice(n Notice) error
	SeeNotices(person string, upTo int64) error
	ForgetNotices(before time.Time) error // those that were seen
	AddHook(h *Hook) error                // sets its id and receiver
	SaveHook(h Hook) error
	EndHooks(receiver int64, problem string) error // those that wait have failed
	ForgetHooks(before time.Time) error            // those that do not wait
	HurryJob(kind, key string) error               // adds it, or ends its pause
	SaveSetting(name string, value any, version int64) error
}

// Notice is something that a person is told.
type Notice struct {
	ID     int64
	Person string
	Text   string
	Href   string
	At     time.Time
	Seen   bool
}

// Hook is a message to a webhook.
type Hook struct {
	ID       int64
	Receiver int64 // the number of its address
	URL      string
	Event    string
	Body     string
	Made     time.Time
	State    HookState
	Attempts int       // that failed
	Problem  string    // of the last attempt
	Tried    time.Time // the last attempt; zero for none
}

// HookState is what became of a message.
type HookState string

// The states of a message.
const (
	HookWaits  HookState = "waiting"
	HookTold   HookState = "told"
	HookFailed HookState = "failed"
)

// ReceiverState is how messages to an address stand.
type ReceiverState struct {
	Receiver int64
	Waiting  int
	Failed   int
	Told     time.Time // the last one; zero for none
}
