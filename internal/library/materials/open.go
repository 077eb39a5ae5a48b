package materials

import (
	"cmp"
	"slices"

	"aldermoor/core/fact"
	"aldermoor/core/inspect"
)

// Namesake is an accepted material that has another one's name, capitals aside.
type Namesake struct {
	ID   int64
	Slug string // "" while it is not released
}

// Open is what is open in a material before it is released: the warnings and stops of its checks, and what its description
// lacks or shares, by the studio's severities; what weighs most comes first. Notes are left out.
func (m *Material) Open(g Grades, namesakes []Namesake) []inspect.Finding {
	list := slices.Clone(m.Current().Report.Findings)
	var lacks []inspect.Finding
	if m.Licence == "" {
		lacks = append(lacks, inspect.Finding{Code: "licence_missing", Maps: []string{}})
	}
	if len(m.Categories) == 0 {
		lacks = append(lacks, inspect.Finding{Code: "category_missing", Maps: []string{}})
	}
	if n := len(namesakes); n > 0 {
		lacks = append(lacks, inspect.Finding{Code: "name_taken", Maps: []string{}, Figures: fact.Of("others", float64(n))})
	}
	g.Grade(lacks)
	weight := map[inspect.Severity]int{inspect.Stop: 2, inspect.Warn: 1}
	list = slices.DeleteFunc(append(list, lacks...), func(f inspect.Finding) bool { return weight[f.Severity] == 0 })
	slices.SortStableFunc(list, func(a, b inspect.Finding) int { return cmp.Compare(weight[b.Severity], weight[a.Severity]) })
	return list
}
