package wording

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"regexp"
	"strconv"
	"strings"
	"testing"
)

// quaint are words and turns that nobody in a studio uses.
var quaint = regexp.MustCompile(`(?i)\b(whoever|whomever|thereof|therein|thereby|whereof|hereby|let through|thought through|what rests|belongs nowhere|nobody has said|shall|upon|ought|amongst|whilst|hitherto|albeit|nought|betwixt)\b`)

// longest is how many characters a sentence may have, figures and file names as their verbs.
const longest = 120

var sentenceEnd = regexp.MustCompile(`[.:;?!] `)

// Every text in this package is short and plain.
func TestTextsAreShortAndPlain(t *testing.T) {
	files, err := os.ReadDir(".")
	if err != nil {
		t.Fatal(err)
	}
	n := 0
	for _, f := range files {
		if !strings.HasSuffix(f.Name(), ".go") || strings.HasSuffix(f.Name(), "_test.go") {
			continue
		}
		tree, err := parser.ParseFile(token.NewFileSet(), f.Name(), nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		ast.Inspect(tree, func(node ast.Node) bool {
			lit, ok := node.(*ast.BasicLit)
			if !ok || lit.Kind != token.STRING {
				return true
			}
			text, err := strconv.Unquote(lit.Value)
			if err != nil || !strings.Contains(text, " ") {
				return true
			}
			n++
			if w := quaint.FindString(text); w != "" {
				t.Errorf("%s: %q in %q", f.Name(), w, text)
			}
			for _, s := range sentenceEnd.Split(text, -1) {
				if len([]rune(s)) > longest {
					t.Errorf("%s: a sentence of %d characters: %q", f.Name(), len([]rune(s)), s)
				}
			}
			return true
		})
	}
	if n < 200 {
		t.Errorf("only %d texts were read", n)
	}
}

// A chip is four words at most.
func TestChipsAreFourWords(t *testing.T) {
	for code, c := range checks {
		if k := len(strings.Fields(c.Chip)); k == 0 || k > 4 {
			t.Errorf("%s: %q has %d words", code, c.Chip, k)
		}
	}
}

// Pages and scripts say nothing quaint either.
func TestPagesArePlain(t *testing.T) {
	n := 0
	for _, root := range []string{"../web/templates", "../web/static/js"} {
		err := fs.WalkDir(os.DirFS(root), ".", func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return err
			}
			text, err := os.ReadFile(root + "/" + path)
			if w := quaint.Find(text); w != nil {
				t.Errorf("%s says %q", path, w)
			}
			n++
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	if n < 30 {
		t.Errorf("only %d files were read", n)
	}
}
