package aldermoor

import (
	"bytes"
	"io"
	"os"
	"os/exec"
	"strings"
	"testing"
)

const largest = 3 << 20 // bytes of a file in the tree

// No file in the tree is large, and none is a built program or library.
func TestTreeHoldsSources(t *testing.T) {
	out, err := exec.Command("git", "ls-files", "-z").Output()
	if err != nil {
		t.Skip("not a checkout")
	}
	names := strings.FieldsFunc(string(out), func(r rune) bool { return r == 0 })
	if len(names) < 100 {
		t.Fatalf("the tree has %d files", len(names))
	}
	for _, name := range names {
		if why := unfit(t, name); why != "" {
			t.Errorf("%s %s", name, why)
		}
	}
	for _, data := range []string{"\x7fELF\x02", "MZ\x90\x00", "\xcf\xfa\xed\xfe", "!<arch>\n", "\x00asm"} {
		if !built([]byte(data)) {
			t.Errorf("%q passes for a source", data)
		}
	}
}

// unfit says why a file may not be in the tree; "" if it may.
func unfit(t *testing.T, name string) string {
	f, err := os.Open(name)
	if os.IsNotExist(err) {
		return "" // deleted, and not yet committed
	}
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		t.Fatal(err)
	}
	if info.Size() > largest {
		return "is larger than 3 MB: let a script make it"
	}
	head := make([]byte, 8)
	n, _ := io.ReadFull(f, head)
	if built(head[:n]) {
		return "is a built file"
	}
	return ""
}

// built says whether a file's first bytes are those of a program, a library or an archive of objects.
func built(head []byte) bool {
	for _, magic := range []string{"\x7fELF", "MZ", "\xcf\xfa\xed\xfe", "\xfe\xed\xfa\xcf", "\xca\xfe\xba\xbe", "!<arch>\n", "\x00asm"} {
		if bytes.HasPrefix(head, []byte(magic)) {
			return true
		}
	}
	return false
}
