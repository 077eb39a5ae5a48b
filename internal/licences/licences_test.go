package licences_test

import (
	"os"
	"os/exec"
	"strings"
	"testing"

	"aldermoor/internal/licences"
)

// Every module that is linked into the program, and every script and font that is shipped,
// has its licence here.
func TestNothingIsMissing(t *testing.T) {
	all, err := licences.All()
	if err != nil {
		t.Fatal(err)
	}
	have := map[string]string{}
	var names []string
	for _, l := range all {
		if len(l.Text) < 200 {
			t.Errorf("%s has no more than %q", l.Name, l.Text)
		}
		have[l.Name] = l.Version
		names = append(names, l.Name[strings.LastIndex(l.Name, "/")+1:])
	}
	out, err := exec.Command("go", "list", "-deps", "-f", "{{with .Module}}{{if not .Main}}{{.Path}} {{.Version}}{{end}}{{end}}", "aldermoor/cmd/aldermoor").Output()
	if err != nil {
		t.Fatal(err)
	}
	modules := strings.Fields(string(out))
	for i := 0; i+1 < len(modules); i += 2 {
		if have[modules[i]] != modules[i+1] {
			t.Errorf("%s %s: the licence kept is of %q; run npm run build", modules[i], modules[i+1], have[modules[i]])
		}
	}
	if len(modules) < 20 {
		t.Errorf("only %d modules are linked", len(modules)/2)
	}
	joined := strings.Join(names, " ") + " csp alpine tus"
	for _, dir := range []string{"../web/static/fonts", "../web/static/vendor"} {
		files, err := os.ReadDir(dir)
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range files {
			stem, _, _ := strings.Cut(f.Name(), ".")
			for _, part := range []string{"-400", "-600", "-ext", "-cyrillic"} { // weights and letters of one font
				stem = strings.TrimSuffix(stem, part)
			}
			if !strings.Contains(joined, stem) {
				t.Errorf("%s/%s has no licence", dir, f.Name())
			}
		}
	}
}
