package library

// SearchReader reads the cards of all that is published.
type SearchReader interface {
	Cards(each func(Card)) error
}
