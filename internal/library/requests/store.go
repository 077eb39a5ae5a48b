package requests

import (
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// Reader reads requests and notices.
type Reader interface {
	Requests(q Query) (list []Request, total int, err error) // without messages
	Request(id int64) (Request, error)
	Notices(person string, n int) ([]Notice, error) // the latest first
	Unseen(person string) (int, error)
	Hook(id int64) (Hook, error)
	Setting(name string, to any) (version int64, err error)
}

// Tx changes them.
type Tx interface {
	Reader
	library.Recorder
	AddAudit(e people.AuditEntry) error
	AddRequest(r *Request) error
	SaveRequest(r *Request) error // raises the version
	AddMessage(request int64, m Message) error
	AddNotice(n Notice) error
	SeeNotices(person string, upTo int64) error
	AddHook(h *Hook) error
	RemoveHook(id int64) error
	SaveSetting(name string, value any, version int64) error
	Takers(material int64) ([]string, error) // who took a material
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

// Hook is a message that another program is still to be told.
type Hook struct {
	ID   int64
	URL  string
	Body string
	Made time.Time
}
