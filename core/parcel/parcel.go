// Package parcel opens the archives in which deliveries come: zip, tar and
// tar.gz, recognised by content.
//
// Archives are made by strangers. An entry's name never leaves the delivery
// (absolute names, "..", drive letters, links and devices are refused, each with
// a sentence); the unpacked amount, its ratio to the packed amount, and the
// number of entries are limited; and one bad entry does not keep the others
// from arriving. An archive within an archive is opened too, once; its files lie in
// a folder of its name. Nothing is written to disk here: the caller takes each entry
// as a stream.
package parcel

import (
	"archive/tar"
	"archive/zip"
	"bufio"
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"strings"
	"unicode/utf8"
)

// Limits bounds what an archive may unpack to.
type Limits struct {
	Entries int   // entries in one archive: files, folders, links
	Bytes   int64 // all entries together, unpacked
	Ratio   int64 // unpacked over packed, once past 100 MB

	// Aside keeps what it reads where it can be read at will, until done is called: a zip
	// within an archive needs it. If nil, such are refused.
	Aside func(io.Reader) (r io.ReaderAt, size int64, done func(), err error)
}

// DefaultLimits allows 20,000 files, 200 GB, and a ratio of 200.
var DefaultLimits = Limits{Entries: 20_000, Bytes: 200 << 30, Ratio: 200}

// Kind is the sort of archive.
type Kind string

// The kinds that Unpack opens.
const (
	None  Kind = ""
	Zip   Kind = "zip"
	Tar   Kind = "tar"
	TarGz Kind = "tar.gz"
)

// Recognise tells an archive by its first 512 bytes.
func Recognise(head []byte) Kind {
	switch {
	case bytes.HasPrefix(head, []byte("PK\x03\x04")), bytes.HasPrefix(head, []byte("PK\x05\x06")):
		return Zip
	case bytes.HasPrefix(head, []byte("\x1f\x8b")):
		return TarGz
	case len(head) >= 262 && string(head[257:262]) == "ustar":
		return Tar
	}
	return None
}

// Foreign names the kind of an archive that is not opened here, by its first bytes;
// "" if it is none.
func Foreign(head []byte) string {
	for _, k := range []struct{ magic, name string }{
		{"7z\xbc\xaf\x27\x1c", "7z"}, {"Rar!\x1a\x07", "RAR"}, {"\xfd7zXZ\x00", "xz"}, {"BZh", "bzip2"}, {"\x28\xb5\x2f\xfd", "Zstandard"}, {"MSCF", "CAB"}, {"\x1f\x9d", "compress"},
	} {
		if bytes.HasPrefix(head, []byte(k.magic)) {
			return k.name
		}
	}
	return ""
}

// NotOpened says of a foreign archive what to do.
func NotOpened(kind string) string {
	return fmt.Sprintf("is a %s archive, which is not opened here; send a zip, tar or tar.gz instead", kind)
}

// Problem is an entry that was not taken, and why.
type Problem struct {
	Name string
	Says string
}

// LimitError says which limit an archive goes over.
type LimitError string

func (e LimitError) Error() string { return string(e) }

// Unpack gives each file of an archive of size bytes to take: its cleaned name
// with slashes, and its contents. What can't be taken is listed as a problem.
// The error is of the archive as a whole, or what take returned: entries before
// it have been taken.
func Unpack(kind Kind, r io.ReaderAt, size int64, lim Limits, take func(name string, r io.Reader) error) ([]Problem, error) {
	u := &unpacker{lim: lim, packed: size, take: take}
	err := u.archive(kind, r, size)
	return u.problems, err
}

func (u *unpacker) archive(kind Kind, r io.ReaderAt, size int64) error {
	switch kind {
	case Zip:
		return u.zip(r, size)
	case Tar, TarGz:
		return u.stream(kind, io.NewSectionReader(r, 0, size))
	}
	return errors.New("this is not an archive that is opened here (zip, tar, tar.gz)")
}

func (u *unpacker) stream(kind Kind, r io.Reader) error {
	if kind == TarGz {
		z, err := gzip.NewReader(r)
		if err != nil {
			return Damaged{fmt.Errorf("the archive is damaged or was cut off: %w", err)}
		}
		r = z
	}
	return u.tar(r)
}

type unpacker struct {
	lim      Limits
	packed   int64
	entries  int
	unpacked int64
	take     func(string, io.Reader) error
	problems []Problem
	within   string // the folder of an archive within the archive that is being opened
}

func (u *unpacker) refuse(name, format string, args ...any) {
	if u.within != "" && !strings.HasPrefix(name, u.within) {
		name = u.within + name
	}
	u.problems = append(u.problems, Problem{name, fmt.Sprintf(format, args...)})
}

func (u *unpacker) zip(r io.ReaderAt, size int64) error {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return Damaged{fmt.Errorf("the zip is damaged or was cut off: %w", err)}
	}
	decode := namesOf(z.File)
	for _, f := range z.File {
		if err := u.count(); err != nil {
			return err
		}
		if f.FileInfo().IsDir() {
			continue
		}
		if m := f.Mode(); m&fs.ModeType != 0 {
			u.refuse(f.Name, "is a link or a special file, which archives from outside may not hold; it was left out")
			continue
		}
		if f.Flags&1 != 0 {
			u.refuse(f.Name, "is locked with a password; send the archive without one")
			continue
		}
		name, ok := u.name(decode(f))
		if !ok {
			continue
		}
		rc, err := f.Open()
		if err != nil {
			u.refuse(name, "cannot be unpacked: %v; send it again", err)
			continue
		}
		err = u.entry(name, rc)
		rc.Close()
		if err != nil {
			return err
		}
	}
	return nil
}

func (u *unpacker) tar(r io.Reader) error {
	t := tar.NewReader(r)
	for {
		h, err := t.Next()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return Damaged{fmt.Errorf("the archive is damaged or was cut off: %w", err)}
		}
		if err := u.count(); err != nil {
			return err
		}
		switch h.Typeflag {
		case tar.TypeReg:
		case tar.TypeDir, tar.TypeXGlobalHeader:
			continue
		default:
			u.refuse(h.Name, "is a link or a special file, which archives from outside may not hold; it was left out")
			continue
		}
		if name, ok := u.name(h.Name); ok {
			if err := u.entry(name, t); err != nil {
				return err
			}
		}
	}
}

// count counts an entry of any kind: links, folders and locked files cost time and
// memory too.
func (u *unpacker) count() error {
	if u.entries++; u.entries > u.lim.Entries {
		return LimitError(fmt.Sprintf("the archive holds more than %d entries; split it", u.lim.Entries))
	}
	return nil
}

// entry hands over one file, counting what comes out.
func (u *unpacker) entry(name string, r io.Reader) error {
	c := &counter{u: u, r: r}
	in := bufio.NewReaderSize(c, 512)
	head, _ := in.Peek(512)
	if kind := Foreign(head); kind != "" {
		u.refuse(name, "%s", NotOpened(kind))
		return nil
	}
	var err error
	if kind := Recognise(head); kind == None {
		err = u.take(name, in)
	} else if u.within != "" {
		u.refuse(name, "is an archive within an archive within an archive; open it, and send what is in it")
		return nil
	} else {
		err = u.nested(kind, name, in)
	}
	if c.limit != nil {
		return c.limit
	}
	if c.damaged != nil {
		u.refuse(name, "cannot be unpacked: %v; send it again", c.damaged)
		return nil
	}
	return err
}

// nested opens an archive within the archive. What is wrong with it as a whole is a
// problem of that entry.
func (u *unpacker) nested(kind Kind, name string, r io.Reader) error {
	folder := strings.TrimSuffix(strings.TrimSuffix(name, path.Ext(name)), ".tar")
	u.within = folder + "/"
	defer func() { u.within = "" }()
	var err error
	switch {
	case kind != Zip:
		err = u.stream(kind, r)
	case u.lim.Aside == nil:
		u.within = ""
		u.refuse(name, "is a zip within an archive; open it, and send what is in it")
	default:
		var in io.ReaderAt
		var size int64
		var done func()
		if in, size, done, err = u.lim.Aside(r); err != nil {
			return err
		}
		defer done()
		err = u.zip(in, size)
	}
	var own Damaged
	if errors.As(err, &own) {
		u.within = ""
		u.refuse(name, "%v; send it again", own)
		return nil
	}
	return err
}

// Damaged says of an archive that it cannot be read to its end.
type Damaged struct{ error }

// Unwrap returns what was found.
func (d Damaged) Unwrap() error { return d.error }

// counter stops an entry that unpacks to too much, and remembers what went wrong
// while reading, so that it is not mistaken for a fault of the taker.
type counter struct {
	u              *unpacker
	r              io.Reader
	limit, damaged error
}

func (c *counter) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	c.u.unpacked += int64(n)
	if total := c.u.unpacked; total > c.u.lim.Bytes {
		c.limit = LimitError(fmt.Sprintf("the archive unpacks to more than %d GB; split it", c.u.lim.Bytes>>30))
	} else if total > 100<<20 && total/max(c.u.packed, 1) > c.u.lim.Ratio {
		c.limit = LimitError(fmt.Sprintf("the archive unpacks to more than %d times its size; it looks like a trap and was not opened further", c.u.lim.Ratio))
	}
	if c.limit != nil {
		return n, c.limit
	}
	if err != nil && err != io.EOF {
		c.damaged = err
	}
	return n, err
}

// name cleans an entry's name, or refuses it.
func (u *unpacker) name(raw string) (string, bool) {
	name, err := CleanName(raw)
	if err != nil {
		u.refuse(raw, "%v; it was left out", err)
		return "", false
	}
	if Ignored(name) {
		return "", false
	}
	return u.within + name, true
}

// Ignored says whether a file is one of those that file managers, storage devices and version
// control leave behind: what they keep for themselves, and the thumbnails that they make.
func Ignored(name string) bool {
	base := path.Base(name)
	for part := range strings.SplitSeq(strings.ToLower(path.Dir(name)), "/") {
		switch part {
		case "@eadir", "#recycle", "$recycle.bin", ".thumbnails", ".thumbs", ".cache", ".trash", ".trashes", ".spotlight-v100", ".fseventsd", ".git", ".svn":
			return true
		}
	}
	return strings.HasPrefix(name, "__MACOSX/") || base == ".DS_Store" || base == "Thumbs.db" || base == "desktop.ini" || strings.HasPrefix(base, "._")
}

// CleanName makes a relative path with slashes out of a name from outside, or
// says why it can't be one.
func CleanName(raw string) (string, error) {
	if !utf8.ValidString(raw) { // old archives: keep what can be kept
		raw = strings.ToValidUTF8(raw, "_")
	}
	name := strings.ReplaceAll(raw, "\\", "/")
	switch {
	case name == "":
		return "", errors.New("has no name")
	case strings.ContainsFunc(name, func(r rune) bool { return r < 32 || r == 127 }):
		return "", errors.New("has control characters in its name")
	case strings.HasPrefix(name, "/") || len(name) > 1 && name[1] == ':':
		return "", errors.New("has an absolute name, which could overwrite other files")
	case len(name) > 1000:
		return "", errors.New("has a name of more than 1000 bytes")
	}
	for part := range strings.SplitSeq(name, "/") {
		if part == ".." {
			return "", errors.New("has a name that leads out of the archive")
		}
	}
	if name = path.Clean(name); name == "." {
		return "", errors.New("has no name")
	}
	return name, nil
}
