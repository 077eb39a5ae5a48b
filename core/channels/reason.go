package channels

import "aldermoor/core/material"

// Reason is one piece of evidence on what a map is.
type Reason struct {
	Kind    string           `json:"kind"` // name, pixels, peer or rule
	Says    string           `json:"says"`
	Weight  float64          `json:"weight"` // −1 (strongly against) .. 1 (strongly for)
	Channel material.Channel `json:"channel"`
}
