package wording

import (
	"go/ast"
	"go/parser"
	"go/token"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"aldermoor/core/channels"
	"aldermoor/core/fact"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/scale"
	"aldermoor/core/treat"
)

// codes are the codes that a package's source gives to its functions: calls names a
// function and which of its arguments is the code.
func codes(t *testing.T, dir string, calls map[string]int) (list []string) {
	t.Helper()
	files, err := filepath.Glob("../../core/" + dir + "/*.go")
	if err != nil || len(files) == 0 {
		t.Fatalf("no source in core/%s: %v", dir, err)
	}
	for _, f := range files {
		if strings.HasSuffix(f, "_test.go") {
			continue
		}
		tree, err := parser.ParseFile(token.NewFileSet(), f, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		ast.Inspect(tree, func(n ast.Node) bool {
			call, ok := n.(*ast.CallExpr)
			if !ok {
				return true
			}
			name := ""
			switch f := call.Fun.(type) {
			case *ast.Ident:
				name = f.Name
			case *ast.SelectorExpr:
				name = f.Sel.Name
			}
			if at, ok := calls[name]; ok && at < len(call.Args) {
				if lit, ok := call.Args[at].(*ast.BasicLit); ok && lit.Kind == token.STRING {
					if code, _ := strconv.Unquote(lit.Value); !slices.Contains(list, code) {
						list = append(list, code)
					}
				}
			}
			return true
		})
	}
	return list
}

// isSentence says whether a text can stand on a screen: it is no code, ends as sentences
// do, and has no failed formatting in it.
func isSentence(text, code string) bool {
	return text != code && !strings.Contains(text, code+" map[") && strings.HasSuffix(text, ".") && !strings.Contains(text, "%!") && strings.ToUpper(text[:1]) == text[:1]
}

// Whatever the computation says has its English: no screen shows a code.
func TestEveryCodeHasItsSentence(t *testing.T) {
	for _, k := range inspect.Kinds() {
		c := CheckOf(k.Code)
		if c.Chip == k.Code || len(strings.Fields(c.Chip)) > 4 || !isSentence(c.Reason, k.Code) {
			t.Errorf("%s: chip %q, reason %q", k.Code, c.Chip, c.Reason)
		}
		f := inspect.Finding{Code: k.Code, Severity: k.Severity, Maps: []string{"s/a.png", "s/b.png"}}
		text := Finding(f, nil)
		starts := strings.HasPrefix(text, "a.png") || strings.HasPrefix(text, "b.png")
		if k.Code != "normal_direction_unknown" && text == k.Code || !starts && !isSentence(text, k.Code) {
			t.Errorf("%s: %q", k.Code, text)
		}
	}
	if len(checks) != len(inspect.Kinds()) {
		t.Errorf("%d checks have words, %d are run", len(checks), len(inspect.Kinds()))
	}
	for _, k := range treat.Kinds() {
		if w := TreatmentOf(k); w.Title == string(k) || !isSentence(w.Help, string(k)) {
			t.Errorf("%s: %+v", k, w)
		}
	}
	refused := codes(t, "treat", map[string]int{"refuse": 0, "bad": 0})
	treated := codes(t, "treat", map[string]int{"New": 0})
	reasons := codes(t, "channels", map[string]int{"add": 3, "against": 1, "doubt": 1, "Because": 3})
	problems := append(codes(t, "inspect", map[string]int{"problem": 0, "New": 0}), "not_examined")
	evidence := append(codes(t, "scale", map[string]int{"New": 0}), "step")
	if len(refused) < 18 || len(treated) < 16 || len(reasons) < 25 || len(problems) < 6 || len(evidence) < 7 {
		t.Fatalf("found %d refusals, %d results, %d reasons, %d problems, %d kinds of evidence", len(refused), len(treated), len(reasons), len(problems), len(evidence))
	}
	for _, c := range refused {
		if text := Refused(fact.New(c, "kind", treat.Invert, "channel", "height", "strength", 2, "width", 8, "height", 8)); !isSentence(text, c) {
			t.Errorf("refused for %s: %q", c, text)
		}
	}
	for _, c := range treated {
		if c == "unknown" {
			continue
		}
		if text := Treated(fact.New(c, "channel", "height", "channels", []string{"occlusion", "roughness"}, "x", 0.1)); !isSentence(text, c) {
			t.Errorf("treated %s: %q", c, text)
		}
	}
	for _, c := range append(reasons, "person", "recipe") {
		if text := Reason(channels.Because("name", material.Height, 1, c, "word", "disp", "by", "Lena", "direction", "y+", "component", "r")); !isSentence(text, c) {
			t.Errorf("reason %s: %q", c, text)
		}
	}
	for _, c := range problems {
		if text := Problem(fact.New(c, "file", "A.png", "set", "A", "error", "it ends early", "readable", "PNG")); !isSentence(text, c) {
			t.Errorf("problem %s: %q", c, text)
		}
	}
	for _, c := range evidence {
		if text := Evidence(scale.Evidence{Size: scale.Size{W: 1, H: 2}, Fact: fact.New(c, "metres", 1)}); !strings.HasSuffix(text, ".") || strings.Contains(text, "map[") {
			t.Errorf("evidence %s: %q", c, text)
		}
	}
	for _, c := range append(material.All(), material.None) {
		if name := Channel(c); strings.Contains(name, "_") || name == "" {
			t.Errorf("%q is called %q", c, name)
		}
	}
}

func TestSentences(t *testing.T) {
	w, h := 0.6, 0.9
	set := &inspect.Set{Size: inspect.Size{Width: &w, Height: &h}}
	plain := strings.NewReplacer("\u00a0", " ", "\u202f", " ")
	for _, c := range []struct {
		f    inspect.Finding
		s    *inspect.Set
		want string
	}{
		{inspect.Finding{Code: "seam_x", Figures: fact.Of("score", 0, "from", 0.61, "to", 0.77)}, set, "Left and right edges don't match (score 0.00, worst 61–77 % down). The seam repeats every 0.60 m."},
		{inspect.Finding{Code: "seam_y", Figures: fact.Of("score", 0.2)}, nil, "Top and bottom edges don't match (score 0.20). The seam shows at every repeat."},
		{inspect.Finding{Code: "baked_light", Maps: []string{"t/tile_b.png"}, Figures: fact.Of("rise", 0.58, "towards_x", -0.9, "towards_y", -0.8)}, set, "Brightness of tile_b.png rises 58 % toward the upper left. Every repeat will show it."},
		{inspect.Finding{Code: "maps_shifted", Maps: []string{"t/h.png"}, Figures: fact.Of("on", "normal", "right", 6.2, "down", -2)}, set, "h.png is shifted against the normals by 6 px to the right and 2 px up."},
		{inspect.Finding{Code: "not_finite", Maps: []string{"h.exr"}, Figures: fact.Of("samples", 1)}, nil, "h.exr has 1 sample that are NaN or infinite. The mean of their neighbours is used instead."},
		{inspect.Finding{Code: "seam_x", Says: "as it was recorded once"}, set, "as it was recorded once"},
		{inspect.Finding{Code: "a_new_check", Figures: fact.Of("n", 2)}, nil, "a_new_check map[n:2]"},
	} {
		if got := plain.Replace(Finding(c.f, c.s)); got != c.want {
			t.Errorf("%s:\n got %q\nwant %q", c.f.Code, got, c.want)
		}
	}
	for _, c := range []struct {
		x, y float64
		want string
	}{{0, 0, "the middle"}, {0.9, 0, "the right"}, {-0.1, 0.9, "the bottom"}, {0.8, -0.8, "the upper right"}} {
		if got := place(c.x, c.y); got != c.want {
			t.Errorf("%v, %v is called %q", c.x, c.y, got)
		}
	}
}

// Filling in a set's English leaves the set that it was copied from alone.
func TestSetChangesACopy(t *testing.T) {
	was := inspect.Set{Findings: []inspect.Finding{{Code: "missing_roughness"}}, SizeEvidence: []scale.Evidence{{Fact: fact.New("sidecar"), Size: scale.Size{W: 1, H: 1}}}}
	now := was
	Set(&now)
	if was.Findings[0].Says != "" || was.SizeEvidence[0].Says != "" || now.Findings[0].Says == "" || now.SizeEvidence[0].Says == "" {
		t.Errorf("%+v\n%+v", was, now)
	}
	r := inspect.Report{Sets: []inspect.Set{was}, Failed: []inspect.Failure{{File: "a.png", Why: fact.New("empty", "file", "a.png")}, {File: "b", Error: "kept"}}}
	Report(&r)
	if r.Failed[0].Error != "a.png is empty. Send it again." || r.Failed[1].Error != "kept" || r.Sets[0].Findings[0].Says == "" {
		t.Errorf("%+v", r)
	}
}
