package requests

import "aldermoor/internal/library/notices"

// Reader reads requests and notices.
type Reader interface {
	Requests(q Query) (list []Request, total int, err error) // without messages
	Request(id int64) (Request, error)
	notices.Reader
}

// Tx changes them.
type Tx interface {
	Reader
	notices.Tx
	AddRequest(r *Request) error
	SaveRequest(r *Request) error // raises the version
	AddMessage(request int64, m Message) error
}
