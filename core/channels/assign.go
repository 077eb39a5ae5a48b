package channels

import (
	"math"
	"slices"
	"strings"

	"aldermoor/core/material"
)

// This file decides which picture of a group is which channel: for all of them together, so that
// each channel is there once and what speaks for each picture adds up to the most.

// denied is the most that a channel is sure of against which a picture's pixels speak.
const denied = 0.8

// unit is the pictures of a group that are one map, in several tiers, tiles, directions or
// formats. They have one channel.
type unit struct {
	members []int
	score   []float64 // of each channel, in the order of material.All: the members' mean
}

// assign decides on the channels of a group's pictures. Taken are those that components of
// packed maps have.
func assign(group []entry, taken []material.Channel) []Verdict {
	all := material.All()
	reasons := make([][]Reason, len(group))
	company := companyOf(group)
	for i, e := range group {
		reasons[i] = append(evidence(e), company.companions(e, i)...)
	}
	units := unite(group)
	for u := range units {
		units[u].score = make([]float64, len(all))
		for _, i := range units[u].members {
			for _, r := range reasons[i] {
				if k := slices.Index(all, r.Channel); k >= 0 {
					units[u].score[k] += r.Weight / float64(len(units[u].members))
				}
			}
		}
		named, _, _ := group[units[u].members[0]].name.claim()
		for _, c := range taken {
			if c != material.None && c != named {
				units[u].score[slices.Index(all, c)] -= packedHas
			}
		}
	}
	preferLarger(group, units)
	best, confidence := match(units)
	out := make([]Verdict, len(group))
	for u, un := range units {
		for _, i := range un.members {
			v := Verdict{Channel: material.None, Confidence: confidence[u]}
			if best[u] >= 0 {
				v.Channel = all[best[u]]
			}
			for _, r := range reasons[i] {
				if r.Channel == v.Channel || r.Code == "habit_open" || r.Code == "habit_unknown" || v.Channel == material.None && r.Weight > 0 {
					v.Reasons = append(v.Reasons, r)
				}
			}
			if k := highest(un.score); best[u] >= 0 && k != best[u] && un.score[k] > un.score[best[u]] {
				v.Reasons = append(v.Reasons, Because("peer", v.Channel, un.score[k]-un.score[best[u]], "free"))
			}
			if v.Channel != material.None && group[i].Look.Against(v.Channel).Code != "" {
				v.Confidence = min(v.Confidence, denied)
			}
			out[i] = v
		}
	}
	return out
}

// preferLarger takes something off the smaller ones of units that name the same channel outright:
// of "wall_col" and "wall_diffuse" the larger is the source.
func preferLarger(group []entry, units []unit) {
	area := func(u unit) (most int) {
		for _, i := range u.members {
			most = max(most, group[i].Look.Info.W*group[i].Look.Info.H)
		}
		return most
	}
	largest := map[material.Channel]int{}
	for _, u := range units {
		c, _, _ := group[u.members[0]].name.claim()
		largest[c] = max(largest[c], area(u))
	}
	for _, u := range units {
		c, weight, _ := group[u.members[0]].name.claim()
		if most, own := largest[c], area(u); weight >= outright && own < most {
			u.score[slices.Index(material.All(), c)] -= min(0.4, 0.08*math.Log2(float64(most)/float64(max(own, 1))))
		}
	}
}

// unite makes units of a group: of pictures that say the same channel in the same words, or that
// say nothing and differ in tier, tile or format alone.
func unite(group []entry) (units []unit) {
	at := map[string]int{}
	for i, e := range group {
		var words []string
		for _, w := range e.name.said() {
			words = append(words, w.text)
		}
		if words == nil {
			for _, w := range e.name.all {
				if w.role == own || w.says() {
					words = append(words, w.text)
				}
			}
			words = append(words, "")
		}
		k := strings.Join(words, " ") + "\x00" + e.Look.Info.Layer
		u, ok := at[k]
		if !ok {
			u = len(units)
			at[k] = u
			units = append(units, unit{})
		}
		units[u].members = append(units[u].members, i)
	}
	if len(units) > mostUnits {
		return units
	}
	return oneOfAlike(group, units)
}

// oneOfAlike makes one unit of units that name the same channel outright and are the same picture.
func oneOfAlike(group []entry, units []unit) (out []unit) {
next:
	for _, u := range units {
		e := group[u.members[0]]
		c, weight, _ := e.name.claim()
		for k := range out {
			o := group[out[k].members[0]]
			d, other, _ := o.name.claim()
			a, b := e.asMap(), o.asMap()
			if c == d && min(weight, other) >= outright && len(e.Look.Thumb) > 0 && a.sameShape(b) && a.like(b) {
				out[k].members = append(out[k].members, u.members...)
				continue next
			}
		}
		out = append(out, u)
	}
	return out
}

func highest(score []float64) (k int) {
	for i, s := range score {
		if s > score[k] {
			k = i
		}
	}
	return k
}

// saying is what one picture of a group says of the others.
type saying struct {
	sure   bool // it names a channel other than the base colour, which its pixels do not deny
	base   bool // it names the base colour outright
	letter bool // it names its channel by one letter, and its pixels confirm that
	normal bool // it is a normal map by its pixels
}

// company is what the pictures of a group say of one another, each looked at once.
type company struct {
	each                       []saying
	sure, bases, letters, size int
	colours                    int     // in colour, or with a name that says base colour
	normals                    []*Look // the first two
}

func companyOf(group []entry) (c company) {
	c.size = len(group)
	for _, o := range group {
		named, w, word := o.name.claim()
		if said := o.saidChannel(); said != material.None {
			named, w, word = said, 1, ""
		}
		s := saying{base: named == material.BaseColor && w >= outright, normal: o.Look.normalLike()}
		s.sure = named != material.None && named != material.BaseColor && (w >= wholeWord || o.Look.Against(named).Code == "")
		s.letter = len(word) == 1 && (named == material.Normal && o.Look.UnitLength > 0.9 || named == material.BaseColor && o.Look.looksBase())
		for _, k := range []struct {
			is bool
			n  *int
		}{{s.sure, &c.sure}, {s.base, &c.bases}, {s.letter, &c.letters}} {
			if k.is {
				*k.n++
			}
		}
		if s.normal && len(c.normals) < 2 {
			c.normals = append(c.normals, o.Look)
		}
		if s.base || o.Look.kind() == colours {
			c.colours++
		}
		c.each = append(c.each, s)
	}
	return c
}

// companions are what the other pictures of a group say of picture i: a name with no word for a
// channel is the base colour's, and a grey picture whose shape follows the normals' slopes is height.
func (c company) companions(e entry, i int) (out []Reason) {
	l, own := e.Look, c.each[i]
	less := func(n int, own bool) int {
		if own {
			return n - 1
		}
		return n
	}
	named, _, text := e.name.claim()
	if said := e.saidChannel(); said != material.None {
		named, text = said, ""
	}
	sure, base, letter := less(c.sure, own.sure), less(c.bases, own.base) > 0, less(c.letters, own.letter) > 0
	var normal *Look
	for _, n := range c.normals {
		if n != l && normal == nil {
			normal = n
		}
	}
	if named == material.None && e.name.unknown == "" && !l.normalLike() && l.Info.Layer == "" && sure > 0 && !base {
		w := lastOne
		if l.Info.Components == 1 {
			w = lastSole
		}
		out = append(out, Because("peer", material.BaseColor, w, "last_one"))
	}
	if c.size == 1 && named == material.None && e.name.unknown == "" && !l.normalLike() && l.Info.Layer == "" {
		w := loneBase
		if l.Info.Components < 3 {
			w = loneSole
		}
		out = append(out, Because("peer", material.BaseColor, w, "lone_colour"))
	}
	if letter && len(text) == 1 {
		out = append(out, Because("peer", named, lettersAgree, "letters"))
		for _, o := range e.name.also() {
			out = append(out, Because("peer", o.channel, lettersOther, "letters"))
		}
	}
	if l.grey() && l.Info.Components >= 3 && c.colours == 0 && len(c.normals) > 0 && named == material.None && e.name.habit() == nil {
		out = append(out, Because("peer", material.BaseColor, onlyColour, "only_colour"))
	}
	if l.grey() && named == material.None && e.name.unknown != "" {
		out = append(out, Because("peer", material.Roughness, commonest, "commonest"))
	}
	_, weight, _ := e.name.claim()
	if normal == nil || !l.grey() || weight >= outright && named != material.Height && named != material.Occlusion {
		return out
	}
	r, ok := l.relief(*normal)
	switch {
	case !ok:
	case r > 0.8:
		out = append(out, Because("pixels", material.Height, 0.25+2*(r-0.8), "follows_slopes", "correlation", r))
	case r > 0.5:
		out = append(out, Because("pixels", material.Height, 0.15+(r-0.5)/3, "follows_slopes", "correlation", r))
	case r < 0.3:
		out = append(out, Because("pixels", material.Height, -offSlopes, "against_slopes", "correlation", r))
	}
	return out
}

// match gives each unit a channel, or none (−1), so that no channel is given twice and the sum
// of scores is the largest; and how sure each answer is, 0..1: against the best sum that could
// be had with any other answer for that unit.
func match(units []unit) (best []int, confidence []float64) {
	n, m := len(units), len(material.All())
	best, confidence = make([]int, n), make([]float64, n)
	cost := make([][]float64, n)
	for u := range cost {
		cost[u] = make([]float64, m+n)
	}
	solve := func(forced, to int) ([]int, float64) {
		for u := range cost {
			for c := range cost[u] {
				switch {
				case u == forced && (to < 0) != (c >= m), u == forced && to >= 0 && c != to:
					cost[u][c] = 1e3
				case c < m:
					cost[u][c] = -units[u].score[c]
				default:
					cost[u][c] = -nothing
				}
			}
		}
		at := hungarian(cost)
		sum := 0.0
		for u, c := range at {
			sum -= cost[u][c]
			if c >= m {
				at[u] = -1
			}
		}
		return at, sum
	}
	if n > mostUnits { // a heap of pictures that are no set: each by itself
		for u := range units {
			best[u] = highest(units[u].score)
			confidence[u] = 0.3
			if units[u].score[best[u]] < nothing {
				best[u] = -1
			}
		}
		return best, confidence
	}
	best, top := solve(-1, 0)
	// Where each unit has the channel that fits it best, an answer that nobody else has changes
	// nothing for the others.
	user := map[int]int{}
	easy := true
	for u, c := range best {
		if c >= 0 {
			user[c] = u
		}
		k := highest(units[u].score)
		easy = easy && (k == c || c < 0 && units[u].score[k] <= nothing)
	}
	for u := range units {
		own := nothing
		if best[u] >= 0 {
			own = units[u].score[best[u]]
		}
		total := 1.0
		for c := -1; c < m; c++ {
			s := nothing
			if c >= 0 {
				s = units[u].score[c]
			}
			if c == best[u] || own-s > 1.2 { // no exchange makes up for so much
				continue
			}
			sum := top - own + s
			if _, used := user[c]; used || !easy {
				_, sum = solve(u, c)
			}
			total += math.Exp(-steep * (top - sum))
		}
		confidence[u] = 1 / total
	}
	return best, confidence
}

// mostUnits is how many maps a set may have for them to be decided together.
const mostUnits = 24

// hungarian is the assignment of each row to a column of its own with the least sum of costs
// (Kuhn 1955, by shortest augmenting paths). There are as many columns as rows, or more.
func hungarian(cost [][]float64) []int {
	n, m := len(cost), 0
	if n > 0 {
		m = len(cost[0])
	}
	rows, cols := make([]float64, n+1), make([]float64, m+1)
	row := make([]int, m+1) // of each column, from 1; 0 is free
	least, from, done := make([]float64, m+1), make([]int, m+1), make([]bool, m+1)
	for i := 1; i <= n; i++ {
		for j := range least {
			least[j], done[j] = math.Inf(1), false
		}
		row[0] = i
		j := 0
		for row[j] != 0 {
			done[j] = true
			next, delta := 0, math.Inf(1)
			for k := 1; k <= m; k++ {
				if done[k] {
					continue
				}
				if d := cost[row[j]-1][k-1] - rows[row[j]] - cols[k]; d < least[k] {
					least[k], from[k] = d, j
				}
				if least[k] < delta {
					next, delta = k, least[k]
				}
			}
			for k := range done {
				if done[k] {
					rows[row[k]] += delta
					cols[k] -= delta
				} else {
					least[k] -= delta
				}
			}
			j = next
		}
		for j != 0 {
			row[j] = row[from[j]]
			j = from[j]
		}
	}
	out := make([]int, n)
	for j := 1; j <= m; j++ {
		if row[j] > 0 {
			out[row[j]-1] = j - 1
		}
	}
	return out
}
