// Package fault holds the errors that all readers of pictures share, so that a
// reader can say what kind of trouble a file is in without knowing who asked.
package fault

// FormatError reports a file that is damaged.
type FormatError string

func (e FormatError) Error() string { return string(e) }

// UnsupportedError reports a sound file of a kind that is not read.
type UnsupportedError string

func (e UnsupportedError) Error() string { return string(e) }

// LimitError reports a file or picture larger than the limits allow.
type LimitError string

func (e LimitError) Error() string { return string(e) }

// Short is what every reader says of a file that ends before it should.
const Short = FormatError("the file ends too early: it was cut off or is still being written")
