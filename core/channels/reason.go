package channels

import (
	"aldermoor/core/fact"
	"aldermoor/core/material"
)

// Reason is one piece of evidence on what a map is.
type Reason struct {
	Kind string `json:"kind"` // name, pixels, peer or rule
	fact.Fact
	Weight  float64          `json:"weight"` // −1 (strongly against) .. 1 (strongly for)
	Channel material.Channel `json:"channel"`
	Says    string           `json:"says"` // in English: left to internal/wording
}

// Because is a reason for (or with a negative weight, against) a channel: a code and its
// figures and names, by turns.
func Because(kind string, c material.Channel, weight float64, code string, pairs ...any) Reason {
	return Reason{Kind: kind, Fact: fact.New(code, pairs...), Weight: weight, Channel: c}
}
