// Package licences holds the licence texts of everything that is shipped in the program:
// fonts, icons, scripts, Go and its modules. They are collected by npm run build.
package licences

import (
	_ "embed"
	"encoding/json"
	"fmt"
)

//go:embed licences.json
var collected []byte

// Licence is the licence of one part.
type Licence struct {
	Name    string `json:"name"`
	Version string `json:"version"`
	Text    string `json:"text"`
}

// All gives the licences: first those of what pages load, then those of Go modules.
func All() ([]Licence, error) {
	var all []Licence
	if err := json.Unmarshal(collected, &all); err != nil {
		return nil, fmt.Errorf("read the licences: %w", err)
	}
	return all, nil
}
