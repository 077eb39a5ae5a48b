package releases

import (
	"time"

	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/notices"
	"aldermoor/internal/library/people"
)

// Reader reads what is published.
type Reader interface {
	materials.Reader
	notices.Reader
	HasJob(kind, key string) (bool, error) // that waits or runs
	UserNamed(name string) (people.User, error)
	Release(id int64) (Release, error)
	ReleasesOf(material int64) ([]Release, error) // latest first
	Profiles() ([]Profile, error)                 // the latest version of each that is offered, by id
	Profile(id string, version int) (Profile, error)
	Mark(release int64) (Mark, error)      // zero if nothing is decided of it
	Reviews() ([]Review, error)            // the longest waiting first
	Review(material int64) (Review, error) //
	TakingsOf(material int64, n int) ([]Taking, error)
	UsersOf(material int64) (people int, err error)
	TakingsBy(person string, n int) ([]Taking, error)
	Schedules(n int) ([]Schedule, error) // those that wait first
	DueSchedules(now time.Time) ([]Schedule, error)
	MaterialsWith(kind WordKind, word string) ([]int64, error) // drafts that are filed under a word, or a category in it
	PublishedWith(word string) ([]int64, error)                // published materials that have a word somewhere
	OldCards(form byte, n int) (releases []int64, err error)   // whose cards are kept in another form
}

// Tx publishes.
type Tx interface {
	Reader
	materials.Tx
	notices.Tx
	AddRelease(r *Release) error
	Publish(c Card) error
	AddProfile(p Profile) error
	RemoveProfile(id string) error
	SaveMark(release int64, m Mark) error
	SaveReview(r Review) error
	RemoveReview(material int64) error
	AddTaking(t Taking) error
	AddSchedule(s *Schedule) error
	EndSchedule(id int64, result string) error
	RemoveSchedule(id int64) error // if it is not done
}
