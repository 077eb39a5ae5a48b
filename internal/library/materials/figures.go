package materials

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"aldermoor/core/material"
	"aldermoor/internal/library"
)

// Figures are a material's surface figures, and the values of channels that have no map.
type Figures struct {
	material.Figures
	Constants map[material.Channel][3]float64 `json:"constants,omitempty"` // linear light for colours, else the first counts
}

// NewFigures change nothing.
func NewFigures() Figures { return Figures{Figures: material.Neutral()} }

// Plain says whether the figures change nothing.
func (f Figures) Plain() bool { return f.Figures == material.Neutral() && len(f.Constants) == 0 }

// Shown are the material's figures; neutral ones where it has none of its own.
func (m *Material) Shown() Figures {
	if m.Figures == nil {
		return NewFigures()
	}
	return *m.Figures
}

// setFigures changes those figures that a JSON object names: null puts one back. Parts of a group
// (emission, coat, …) are changed alone.
func (m *Material) setFigures(change json.RawMessage) error {
	now, err := object(m.Shown())
	if err != nil {
		return err
	}
	neutral, err := object(NewFigures())
	if err != nil {
		return err
	}
	var asked map[string]json.RawMessage
	if err := json.Unmarshal(change, &asked); err != nil {
		return library.Invalid("figures must be an object of surface figures.")
	}
	if err := overlay(now, asked, neutral, ""); err != nil {
		return err
	}
	text, err := json.Marshal(now)
	if err != nil {
		return err
	}
	f := NewFigures()
	d := json.NewDecoder(bytes.NewReader(text))
	d.DisallowUnknownFields()
	if err := d.Decode(&f); err != nil {
		return library.Invalid(fmt.Sprintf("The figures could not be read: %v.", strings.TrimPrefix(err.Error(), "json: ")))
	}
	m.settleRange(&f, asked)
	if name, lo, hi := f.OutOfRange(); name != "" {
		return library.Invalid(fmt.Sprintf("The %s must be between %g and %g.", strings.ReplaceAll(name, "_", " "), lo, hi))
	}
	for c, v := range f.Constants {
		if _, ok := material.Parse(string(c)); !ok || c == material.Normal || c == material.Height {
			return library.Invalid(fmt.Sprintf("%s cannot have one value everywhere.", c))
		}
		for _, k := range v {
			if !(k >= 0 && k <= 100) || !c.Colour() && k > 1 {
				return library.Invalid(fmt.Sprintf("The %s must be between 0 and 1.", strings.ReplaceAll(string(c), "_", " ")))
			}
		}
	}
	if m.Figures = &f; f.Plain() {
		m.Figures = nil
	}
	return nil
}

// object is a value as the JSON object that it is written as.
func object(v any) (out map[string]json.RawMessage, err error) {
	text, err := json.Marshal(v)
	if err == nil {
		err = json.Unmarshal(text, &out)
	}
	return out, err
}

// overlay lays asked over now; null takes the neutral value, or removes what has none.
func overlay(now, asked, neutral map[string]json.RawMessage, within string) error {
	for _, k := range slices.Sorted(maps.Keys(asked)) {
		v := bytes.TrimSpace(asked[k])
		was, known := now[k]
		if !known && within != "constants" && k != "constants" {
			return library.Invalid(fmt.Sprintf("There is no surface figure %q.", within+k))
		}
		switch {
		case string(v) == "null":
			if n, ok := neutral[k]; ok {
				now[k] = n
			} else {
				delete(now, k)
			}
		case v[0] == '{':
			var inner, part, plain map[string]json.RawMessage
			if was == nil {
				was = []byte("{}")
			}
			if json.Unmarshal(was, &inner) != nil || json.Unmarshal(v, &part) != nil {
				return library.Invalid(fmt.Sprintf("%s is no group of figures.", k))
			}
			if n, ok := neutral[k]; ok {
				if err := json.Unmarshal(n, &plain); err != nil {
					return err
				}
			}
			name := k + "."
			if k == "constants" {
				name = k
			}
			if err := overlay(inner, part, plain, name); err != nil {
				return err
			}
			text, err := json.Marshal(inner)
			if err != nil {
				return err
			}
			now[k] = text
		case within == "constants" && v[0] != '[': // one figure for all three
			now[k] = fmt.Appendf(nil, "[%[1]s,%[1]s,%[1]s]", v)
		default:
			now[k] = v
		}
	}
	return nil
}

// settleRange makes a range with equal ends, of a material without a map of roughness or glossiness, the one value
// that it is; and takes a range back when one value is set: ranges are for maps.
func (m *Material) settleRange(f *Figures, asked map[string]json.RawMessage) {
	if m.Map(material.Roughness) != nil || m.Map(material.Glossiness) != nil {
		return
	}
	var constants map[material.Channel]json.RawMessage
	_ = json.Unmarshal(asked["constants"], &constants) // was read before
	_, ranged := asked["roughness"]
	if _, given := constants[material.Roughness]; given && !ranged {
		f.Roughness = material.Neutral().Roughness
	}
	if v := f.Roughness[0]; ranged && v == f.Roughness[1] {
		if f.Constants == nil {
			f.Constants = map[material.Channel][3]float64{}
		}
		f.Constants[material.Roughness] = [3]float64{v, v, v}
		f.Roughness = material.Neutral().Roughness
	}
}
