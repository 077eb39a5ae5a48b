package sidecar

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"io"
	"regexp"
	"strings"
)

// parseJSON makes items of a JSON value. whole is false if it breaks off or is none; what was read until
// then stays.
func parseJSON(b *builder, text []byte) (root *item, whole bool) {
	root = &item{}
	dec := json.NewDecoder(bytes.NewReader(text))
	dec.UseNumber()
	at, key, inObject := root, "", []bool{}
	for {
		tok, err := dec.Token()
		if err == io.EOF {
			return root, len(inObject) == 0
		}
		if err != nil {
			return root, false
		}
		object := len(inObject) > 0 && inObject[len(inObject)-1]
		switch t := tok.(type) {
		case json.Delim:
			if t == '}' || t == ']' {
				inObject = inObject[:len(inObject)-1]
				at, key = at.up, ""
				break
			}
			next := b.add(at, key, "")
			if next == nil {
				return root, false
			}
			at, key, inObject = next, "", append(inObject, t == '{')
		case string:
			if object && key == "" {
				if key = t; key == "" {
					key = " "
				}
				break
			}
			b.add(at, key, t)
			key = ""
		case json.Number:
			b.add(at, key, t.String())
			key = ""
		default:
			key = ""
		}
	}
}

// parseXML makes items of elements and their attributes.
func parseXML(b *builder, text []byte) *item {
	root := &item{}
	dec := xml.NewDecoder(bytes.NewReader(text))
	dec.Strict = false
	dec.CharsetReader = func(_ string, r io.Reader) (io.Reader, error) { return r, nil }
	at := root
	for {
		tok, err := dec.Token()
		if err != nil {
			return root
		}
		switch t := tok.(type) {
		case xml.StartElement:
			next := b.add(at, t.Name.Local, "")
			if next == nil {
				return root
			}
			for _, a := range t.Attr {
				b.add(next, a.Name.Local, a.Value)
			}
			at = next
		case xml.EndElement:
			if at.up != nil {
				at = at.up
			}
		case xml.CharData:
			if s := strings.TrimSpace(string(t)); s != "" && at.up != nil {
				if len(at.kids) == 0 {
					at.text = clip(s)
				} else {
					b.add(at, "", s)
				}
			}
		}
	}
}

// mtlWords are what the statements of a Wavefront material library name.
var mtlWords = map[string]string{"map_kd": "base color", "map_ka": "ambient", "map_ks": "specular", "map_ke": "emissive", "map_ns": "glossiness", "map_d": "opacity",
	"map_tr": "opacity", "map_bump": "bump map", "bump": "bump map", "map_pr": "roughness", "map_pm": "metallic", "map_ps": "sheen", "map_pc": "coat", "map_pcr": "coat roughness",
	"norm": "normal", "map_kn": "normal", "map_norm": "normal", "disp": "displacement", "map_disp": "displacement", "map_ao": "occlusion", "map_refl": "", "refl": ""}

// mtlOptions are how many words follow an option before the file of a statement.
var mtlOptions = map[string]int{"-s": 3, "-o": 3, "-t": 3, "-mm": 2, "-bm": 1, "-blendu": 1, "-blendv": 1, "-clamp": 1, "-imfchan": 1, "-texres": 1, "-boost": 1, "-type": 1, "-cc": 1, "-colorspace": 1}

var number = regexp.MustCompile(`^[-+]?[0-9]*[.,]?[0-9]+(?:[eE][-+]?\d+)?$`)

// parseMTL makes an item of each material of a Wavefront material library.
func parseMTL(b *builder, text string) *item {
	root := &item{}
	at := root
	for line := range strings.Lines(text) {
		line, _, _ = strings.Cut(strings.TrimSpace(line), "#")
		word, rest, _ := strings.Cut(strings.TrimSpace(line), " ")
		switch word = strings.ToLower(word); {
		case word == "newmtl":
			if at = b.add(root, strings.TrimSpace(rest), ""); at == nil {
				return root
			}
			at.named = true
		case word != "":
			says, known := mtlWords[word]
			if !known {
				b.add(at, word, rest)
				continue
			}
			fields := strings.Fields(rest)
			component := ""
			for len(fields) > 1 && strings.HasPrefix(fields[0], "-") {
				n, is := mtlOptions[strings.ToLower(fields[0])]
				if !is {
					break
				}
				if strings.EqualFold(fields[0], "-imfchan") {
					component = strings.ToLower(fields[1])
				}
				fields = fields[1:]
				for ; n > 0 && len(fields) > 1 && (number.MatchString(fields[0]) || n == 1 && !fileWord.MatchString(fields[0])); n-- {
					fields = fields[1:]
				}
			}
			if it := b.add(at, says, strings.Join(fields, " ")); it != nil && len(component) == 1 && strings.Contains("rgb", component) {
				it.key += "." + component
			}
		}
	}
	return root
}

// parseTable makes an item of each row of a table with a head; is is false if the text is none.
func parseTable(b *builder, text, ending string) (root *item, is bool) {
	first, _, _ := strings.Cut(text, "\n")
	comma := rune(0)
	for _, c := range "\t;,|" {
		if strings.Count(first, string(c)) >= 1 && (comma == 0 || strings.Count(first, string(c)) > strings.Count(first, string(comma))) {
			comma = c
		}
	}
	if comma == 0 || ending != ".csv" && ending != ".tsv" && strings.Count(first, string(comma)) < 2 {
		return nil, false
	}
	if comma == '|' { // a table of a text document: a row between bars, a line of dashes below the head
		var lines []string
		for line := range strings.Lines(text) {
			if line = strings.Trim(strings.TrimSpace(line), "|"); strings.Trim(line, "-|: ") != "" {
				lines = append(lines, line)
			}
		}
		text = strings.Join(lines, "\n")
	}
	r := csv.NewReader(strings.NewReader(text))
	r.Comma, r.FieldsPerRecord, r.LazyQuotes, r.TrimLeadingSpace = comma, -1, true, true
	head, err := r.Read()
	if err != nil || len(head) < 2 {
		return nil, false
	}
	headless := false
	for i := range head {
		head[i] = strings.TrimSpace(head[i])
		headless = headless || fileWord.MatchString(head[i])
	}
	root = &item{}
	row := func(cells []string) bool {
		it := b.add(root, "", "")
		for i, cell := range cells {
			key := ""
			if i < len(head) && !headless {
				key = head[i]
			}
			if it == nil || strings.TrimSpace(cell) != "" && b.add(it, key, cell) == nil {
				return false
			}
		}
		return true
	}
	rows, wide := 0, 0
	if headless {
		row(head)
		rows++
	}
	for {
		cells, err := r.Read()
		if err != nil || !row(cells) {
			break
		}
		rows++
		if len(cells) == len(head) {
			wide++
		}
	}
	return root, rows > 0 && (ending == ".csv" || ending == ".tsv" || 2*wide >= rows)
}

var pairLine = regexp.MustCompile(`^([^:=\t]{1,80}?)\s*(?:[:=]\s|[:=]$|\t+|=)\s*(.*)$`)

// parseLines makes items of lines: "key: value" or "key = value" under sections in brackets and by how far
// they are indented; the rest as plain lines.
func parseLines(b *builder, text string) *item {
	root := &item{}
	type open struct {
		indent int
		it     *item
	}
	stack := []open{{-1, root}}
	section := root
	for line := range strings.Lines(text) {
		line = strings.TrimRight(line, " \t\r\n")
		body := strings.TrimLeft(line, " \t")
		if body == "" || strings.HasPrefix(body, "---") || strings.HasPrefix(body, "//") {
			if body == "" && section == root && len(stack) > 1 && stack[1].indent == 0 {
				stack = stack[:1] // a blank line ends what belongs together
			}
			continue
		}
		indent := len(line) - len(body)
		if strings.HasPrefix(body, "[") && strings.HasSuffix(body, "]") {
			if section = b.add(root, strings.Trim(body, "[]"), ""); section == nil {
				return root
			}
			section.named = true
			stack = []open{{-1, section}}
			continue
		}
		body = strings.TrimPrefix(body, "#")
		for strings.HasPrefix(body, "- ") || strings.HasPrefix(body, "* ") { // an entry of a list: a container of its own
			for len(stack) > 1 && stack[len(stack)-1].indent >= indent {
				stack = stack[:len(stack)-1]
			}
			it := b.add(stack[len(stack)-1].it, "", "")
			if it == nil {
				return root
			}
			stack = append(stack, open{indent, it})
			rest := strings.TrimLeft(body[2:], " ")
			indent += len(body) - len(rest)
			body = rest
		}
		for len(stack) > 1 && stack[len(stack)-1].indent >= indent {
			stack = stack[:len(stack)-1]
		}
		up := stack[len(stack)-1].it
		key, value := "", body
		if m := pairLine.FindStringSubmatch(body); m != nil && !fileWord.MatchString(m[1]+" ") {
			key, value = strings.Trim(m[1], `"' `), strings.Trim(m[2], `"',; `)
		}
		it := b.add(up, key, value)
		if it == nil {
			return root
		}
		if value == "" {
			stack = append(stack, open{indent, it})
		}
	}
	return root
}

// parseBraces makes items of scripts whose blocks stand in braces: what stands before a brace is the
// block's name, and each line or statement in it a word and its values.
func parseBraces(b *builder, text []byte) *item {
	root := &item{}
	at := root
	head := ""
	statement := func(s string) bool {
		s = strings.TrimSpace(s)
		if at0, _, found := strings.Cut(s, "//"); found && !strings.Contains(at0, ":") {
			s = strings.TrimSpace(at0)
		}
		s = strings.TrimRight(s, ",;")
		if s == "" || strings.HasPrefix(s, "#") {
			return true
		}
		key, value := "", s
		if m := pairLine.FindStringSubmatch(s); m != nil && !fileWord.MatchString(m[1]+" ") {
			key, value = m[1], m[2]
		} else if word, rest, found := strings.Cut(s, " "); found && !fileWord.MatchString(word+" ") {
			key, value = word, rest
		}
		head = s
		return b.add(at, strings.Trim(key, `"'`), strings.Trim(value, `"', `)) != nil
	}
	line := make([]byte, 0, 256)
	quoted := byte(0)
	for _, c := range text {
		switch {
		case quoted != 0:
			if line = append(line, c); c == quoted || c == '\n' {
				quoted = 0
			}
		case c == '"':
			quoted, line = c, append(line, c)
		case c == '{':
			name := strings.TrimSpace(string(line))
			if line = line[:0]; name == "" { // on the line before
				name = head
				if n := len(at.kids); n > 0 && name != "" {
					at.kids = at.kids[:n-1]
				}
			}
			head = ""
			next := b.add(at, strings.Trim(name, `"' :=`), "")
			if next == nil {
				return root
			}
			next.named, at = true, next
		case c == '}':
			if !statement(string(line)) {
				return root
			}
			line, head = line[:0], ""
			if at.up != nil {
				at = at.up
			}
		case c == '\n' || c == ';':
			if !statement(string(line)) {
				return root
			}
			line = line[:0]
		default:
			line = append(line, c)
		}
	}
	statement(string(line))
	return root
}
