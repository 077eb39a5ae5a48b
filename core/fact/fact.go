// Package fact has what the computation says in place of sentences: a code with the figures
// and names that belong to it. It goes through JSON unchanged. internal/wording makes English
// of it.
package fact

import (
	"fmt"
	"math"
	"reflect"
	"strconv"
)

// Values are figures and names by what they are: numbers as float64, text as string,
// yes or no as bool, lists of text as []string. Which there are depends on the code.
type Values map[string]any

// Fact is a code with its values.
type Fact struct {
	Code   string `json:"code"`
	Values Values `json:"figures,omitempty"`
}

// New is a fact of name and value, by turns.
func New(code string, pairs ...any) Fact { return Fact{code, Of(pairs...)} }

// Of makes values of name and value, by turns. Numbers become float64, whatever is text by
// nature a string. A number that JSON cannot hold (NaN, infinite) is left out.
func Of(pairs ...any) Values {
	v := Values{}
	for i := 0; i+1 < len(pairs); i += 2 {
		name := pairs[i].(string)
		switch x := reflect.ValueOf(pairs[i+1]); x.Kind() {
		case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
			v[name] = float64(x.Int())
		case reflect.Float32, reflect.Float64:
			if f := x.Float(); !math.IsNaN(f) && !math.IsInf(f, 0) {
				v[name] = f
			}
		case reflect.String:
			v[name] = x.String()
		case reflect.Bool:
			v[name] = x.Bool()
		case reflect.Slice:
			list := make([]string, x.Len())
			for k := range list {
				list[k] = x.Index(k).String()
			}
			v[name] = list
		default:
			panic(fmt.Sprintf("fact: %s is of no kind that JSON gives back", name))
		}
	}
	return v
}

// Num is a figure; 0 if there is none of the name.
func (v Values) Num(name string) float64 {
	f, _ := v[name].(float64)
	return f
}

// Text is a name, or a figure as written; "" if there is none.
func (v Values) Text(name string) string {
	switch x := v[name].(type) {
	case string:
		return x
	case float64:
		return strconv.FormatFloat(x, 'g', -1, 64)
	}
	return ""
}

// Is says whether a yes or no is yes.
func (v Values) Is(name string) bool {
	b, _ := v[name].(bool)
	return b
}

// Has says whether there is a value of the name.
func (v Values) Has(name string) bool { _, ok := v[name]; return ok }

// Texts is a list; nil if there is none.
func (v Values) Texts(name string) (list []string) {
	switch x := v[name].(type) {
	case []string:
		return x
	case []any: // as JSON gives it back
		for _, t := range x {
			list = append(list, fmt.Sprint(t))
		}
	}
	return list
}

// Equal says whether both hold the same.
func (v Values) Equal(o Values) bool {
	return len(v) == len(o) && (len(v) == 0 || reflect.DeepEqual(v, o))
}
