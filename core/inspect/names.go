package inspect

import (
	"regexp"
	"strings"
	"unicode"
)

// cameraNumber is how cameras and scanners number their files.
var cameraNumber = regexp.MustCompile(`^(img|dsc|dscf|dscn|pict|mvi|pxl|vid|scan|p|r|gopr|dji|cap|capture|screenshot|photo|image|picture)[ _-]?\d{2,}([ _-]?\d+)*$`)

// Nameless says whether a material's name is no name: it says nothing by which anybody would find it.
// "Material 1", "untitled", "IMG_2041", dates and bare numbers are such.
func Nameless(name string) bool {
	lower := strings.ToLower(strings.TrimSpace(name))
	if cameraNumber.MatchString(strings.NewReplacer(" ", "_", "-", "_").Replace(lower)) {
		return true
	}
	words := strings.FieldsFunc(lower, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	for _, w := range words {
		letters := strings.TrimRightFunc(w, unicode.IsDigit)
		switch {
		case letters == "": // a number or a date
		case len([]rune(letters)) == 1:
		case saysNothing(letters):
		case isHex(w):
		default:
			return false
		}
	}
	return true
}

// saysNothing says whether a word of a name says nothing of a surface.
func saysNothing(w string) bool {
	switch w {
	case "material", "materials", "mat", "texture", "textures", "tex", "map", "maps", "set", "sets", "scan", "scans", "untitled", "unnamed", "unknown", "noname", "new", "copy", "of", "final", "old",
		"test", "tests", "temp", "tmp", "default", "file", "files", "folder", "image", "images", "img", "photo", "picture", "pic", "sample", "download", "downloads", "export", "output", "render", "version", "ver", "the", "my", "asset", "assets", "misc", "stuff", "shader", "surface", "dsc", "id", "no", "nr":
		return true
	}
	return false
}

// isHex says whether a word is a long hexadecimal number, as programs name files.
func isHex(w string) bool {
	digits := 0
	for _, r := range w {
		switch {
		case unicode.IsDigit(r):
			digits++
		case r < 'a' || r > 'f':
			return false
		}
	}
	return len(w) >= 6 && digits > 1
}
