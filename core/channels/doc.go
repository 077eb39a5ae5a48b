// Package channels finds out what the files of a delivery are: which maps
// belong together, which channel each is, and which files are no maps at all.
//
// It weighs names and pixels against each other and says why. It does not open
// files: it is given what codec and Measure found.
package channels
