package parcel

import (
	"archive/zip"
	"encoding/binary"
	"hash/crc32"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/japanese"
	"golang.org/x/text/encoding/simplifiedchinese"
)

// namesOf returns how the names of a zip's entries are to be read. A zip may say that
// its names are UTF-8, or hold them a second time as such (Info-ZIP's Unicode path);
// old ones are in whatever code page their machine had, which is the same for all
// names of an archive and is told by what makes sense of them.
func namesOf(files []*zip.File) func(*zip.File) string {
	var odd []string
	for _, f := range files {
		if _, ok := unicodePath(f); !ok && !utf8.ValidString(f.Name) {
			odd = append(odd, f.Name)
		}
	}
	page := pageOf(odd)
	return func(f *zip.File) string {
		if name, ok := unicodePath(f); ok {
			return name
		}
		if utf8.ValidString(f.Name) {
			return f.Name
		}
		name, err := page.NewDecoder().String(f.Name)
		if err != nil {
			return f.Name // CleanName keeps what can be kept
		}
		return name
	}
}

// unicodePath reads the extra field 0x7075: a version, the checksum of the name that
// it stands for, and that name in UTF-8.
func unicodePath(f *zip.File) (string, bool) {
	for b := f.Extra; len(b) >= 4; {
		tag, n := binary.LittleEndian.Uint16(b), int(binary.LittleEndian.Uint16(b[2:]))
		if b = b[4:]; n > len(b) {
			break
		}
		field := b[:n]
		b = b[n:]
		if tag == 0x7075 && n > 5 && field[0] == 1 && binary.LittleEndian.Uint32(field[1:]) == crc32.ChecksumIEEE([]byte(f.Name)) && utf8.Valid(field[5:]) {
			return string(field[5:]), true
		}
	}
	return "", false
}

// pageOf finds the code page in which names make most sense: for two-byte ones every
// name must be one; among one-byte ones that with the most letters. Code page 437 is
// what the format prescribes, and wins a draw.
func pageOf(names []string) encoding.Encoding {
	if len(names) == 0 {
		return charmap.CodePage437
	}
	if all(names, pairsOnly) && decodes(names, simplifiedchinese.GBK, func(r rune) bool { return unicode.Is(unicode.Han, r) }, 1) {
		return simplifiedchinese.GBK
	}
	// Han alone may be a letter with an accent and the one after it; kana are not.
	kana := func(r rune) bool { return r >= 0x3041 && r <= 0x30fe }
	if decodes(names, japanese.ShiftJIS, func(r rune) bool { return kana(r) || unicode.Is(unicode.Han, r) }, 0.9) && decodes(names, japanese.ShiftJIS, kana, 0.1) {
		return japanese.ShiftJIS
	}
	best, most := encoding.Encoding(charmap.CodePage437), -1.0
	for _, page := range []encoding.Encoding{charmap.CodePage437, charmap.Windows1252, charmap.CodePage850, charmap.CodePage866, charmap.Windows1251} {
		if s := sense(names, page); s > most {
			best, most = page, s
		}
	}
	return best
}

func all(names []string, f func(string) bool) bool {
	for _, n := range names {
		if !f(n) {
			return false
		}
	}
	return true
}

// pairsOnly says whether all bytes beyond ASCII stand in pairs above 0xa0, the first
// of them within what common characters begin with.
func pairsOnly(s string) bool {
	for i := 0; i < len(s); i++ {
		if s[i] < 0x80 {
			continue
		}
		if s[i] < 0xb0 || s[i] > 0xd7 || i+1 == len(s) || s[i+1] < 0xa1 {
			return false
		}
		i++
	}
	return true
}

// decodes says whether names can be read in a code page and at least share of what is
// not ASCII then fits.
func decodes(names []string, page encoding.Encoding, fits func(rune) bool, share float64) bool {
	good, n := 0.0, 0.0
	for _, name := range names {
		s, err := page.NewDecoder().String(name)
		if err != nil {
			return false
		}
		for _, r := range s {
			switch {
			case r == utf8.RuneError:
				return false
			case r >= 0x80:
				n++
				if fits(r) {
					good++
				}
			}
		}
	}
	return n > 0 && good >= share*n
}

// sense is how far names look like words in a code page: a letter beside one of its
// own script counts most, and a capital inside a word little.
func sense(names []string, page encoding.Encoding) (total float64) {
	for _, name := range names {
		s, err := page.NewDecoder().String(name)
		if err != nil {
			return -1
		}
		r := []rune(s)
		for i, c := range r {
			if c < 0x80 {
				continue
			}
			switch {
			case !unicode.IsLetter(c):
				total--
			case i > 0 && unicode.IsLower(r[i-1]) && unicode.IsUpper(c):
				total -= 0.5
			case i > 0 && unicode.IsLetter(r[i-1]) && unicode.Is(unicode.Latin, r[i-1]) != unicode.Is(unicode.Latin, c):
				total -= 0.5
			case i > 0 && r[i-1] >= 0x80 && unicode.Is(unicode.Latin, c): // accents rarely stand side by side
				total += 0.2
			case i > 0 && unicode.IsLetter(r[i-1]) || i+1 < len(r) && unicode.IsLetter(r[i+1]):
				total++
			default:
				total += 0.5
			}
		}
	}
	return total
}
