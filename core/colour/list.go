package colour

import (
	"fmt"
	"strconv"
	"strings"

	"golang.org/x/image/colornames"
)

// Named is a colour with a name, in linear light.
type Named struct {
	Name  string
	Color RGB
}

// ParseList reads a list of colours, one a line or several parted by commas: #8a6d3b, 8a6d3b, the colour
// words of SVG, or a name with a colour ("Harbour blue; #2f4f6f", "Harbour blue, 47, 79, 111"). Lines that
// cannot be read are told by their number.
func ParseList(text string) (list []Named, problems []string) {
	for n, line := range strings.Split(text, "\n") {
		line = strings.TrimSpace(strings.TrimPrefix(line, "\ufeff"))
		if line == "" || strings.HasPrefix(line, "//") {
			continue
		}
		fields := strings.FieldsFunc(line, func(r rune) bool { return r == ',' || r == ';' || r == '\t' })
		for i := range fields {
			fields[i] = strings.Trim(strings.TrimSpace(fields[i]), `"'`)
		}
		if got, ok := parseRow(fields); ok {
			list = append(list, got...)
		} else if n > 0 || len(fields) < 2 { // the first line of a table may be its head
			problems = append(problems, fmt.Sprintf("Line %d is no colour: %s", n+1, line))
		}
	}
	return list, problems
}

func parseRow(fields []string) (list []Named, ok bool) {
	if n := len(fields); n >= 3 { // red, green and blue at the end
		var rgb [3]float64
		numbers := true
		for k := range 3 {
			v, err := strconv.ParseFloat(fields[n-3+k], 64)
			numbers = numbers && err == nil && v >= 0 && v <= 255
			rgb[k] = v
		}
		if numbers && n <= 4 {
			var c RGB
			for k, v := range rgb {
				c[k] = Linear(float32(v / 255))
			}
			name := ""
			if n == 4 {
				name = fields[0]
			}
			return []Named{{name, c}}, true
		}
	}
	if len(fields) == 2 {
		// "Blue, #2040a0" is a colour of that name; "red, blue" and "#f00, #00f" are two colours.
		_, isColour := parseOne(fields[0])
		_, isWord := colornames.Map[strings.ToLower(fields[0])]
		_, both := colornames.Map[strings.ToLower(fields[1])]
		if !isColour || isWord && !both {
			c, ok := parseOne(fields[1])
			return []Named{{fields[0], c}}, ok
		}
	}
	for _, f := range fields {
		if f == "" {
			continue
		}
		c, ok := parseOne(f)
		if !ok {
			return nil, false
		}
		name := ""
		if _, word := colornames.Map[strings.ToLower(f)]; word {
			name = f
		}
		list = append(list, Named{name, c})
	}
	return list, len(list) > 0
}

func parseOne(s string) (RGB, bool) {
	h := strings.TrimPrefix(s, "#")
	if len(h) == 3 {
		h = string([]byte{h[0], h[0], h[1], h[1], h[2], h[2]})
	}
	if c, ok := ParseHex("#" + h); ok {
		return c, true
	}
	if c, ok := colornames.Map[strings.ToLower(s)]; ok {
		return RGB{Linear(float32(c.R) / 255), Linear(float32(c.G) / 255), Linear(float32(c.B) / 255)}, true
	}
	return RGB{}, false
}
