package handoff

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"hash/crc32"
	"io"
	"sort"
	"time"
)

// File is one file of a handoff: a line of its manifest.
type File struct {
	Path   string `json:"path"` // within the handoff's folder
	Size   int64  `json:"bytes"`
	SHA256 string `json:"sha256"`
	CRC32  uint32 `json:"-"`
}

// FileOf describes a file by its contents.
func FileOf(path string, data []byte) File {
	sum := sha256.Sum256(data)
	return File{path, int64(len(data)), hex.EncodeToString(sum[:]), crc32.ChecksumIEEE(data)}
}

// Part is a file and where its bytes are read.
type Part struct {
	File
	R io.ReaderAt
}

// Archive is a zip of files that lie elsewhere, none of them compressed: maps are packed
// already. Nothing is copied; any part of it can be read at any time (APPNOTE 6.3.10).
type Archive struct {
	pieces []piece
	size   int64
}

// piece is a stretch of an archive.
type piece struct {
	at, size int64
	head     []byte      // its bytes, or
	r        io.ReaderAt // where they are
}

// NewArchive lays files out in a folder, dated at.
func NewArchive(folder string, at time.Time, parts []Part) *Archive {
	a := &Archive{}
	date, clock := dosTime(at.UTC())
	var directory []byte
	for _, p := range parts {
		name := folder + "/" + p.Path
		offset, large := a.size, p.Size >= 1<<32-1
		a.add(localHeader(name, p.File, date, clock, large))
		a.pieces = append(a.pieces, piece{a.size, p.Size, nil, p.R})
		a.size += p.Size
		directory = append(directory, directoryEntry(name, p.File, date, clock, offset)...)
	}
	start := a.size
	a.add(directory)
	a.add(directoryEnd(uint64(len(parts)), uint64(len(directory)), uint64(start)))
	return a
}

func (a *Archive) add(head []byte) {
	a.pieces = append(a.pieces, piece{a.size, int64(len(head)), head, nil})
	a.size += int64(len(head))
}

// Size is the archive's length in bytes.
func (a *Archive) Size() int64 { return a.size }

// ReadAt implements io.ReaderAt.
func (a *Archive) ReadAt(p []byte, off int64) (n int, err error) {
	if off < 0 || off >= a.size {
		return 0, io.EOF
	}
	i := sort.Search(len(a.pieces), func(i int) bool { return a.pieces[i].at+a.pieces[i].size > off })
	for ; i < len(a.pieces) && n < len(p); i++ {
		k := a.pieces[i]
		from := off + int64(n) - k.at
		want := min(int64(len(p)-n), k.size-from)
		if k.r == nil {
			n += copy(p[n:], k.head[from:from+want])
			continue
		}
		got, err := k.r.ReadAt(p[n:n+int(want)], from)
		n += got
		if int64(got) < want {
			if err == nil || err == io.EOF {
				err = io.ErrUnexpectedEOF
			}
			return n, err
		}
	}
	if n < len(p) {
		return n, io.EOF
	}
	return n, nil
}

var le = binary.LittleEndian

// utf8Name says in a header's flags that its name is UTF-8.
const utf8Name = 1 << 11

func localHeader(name string, f File, date, clock uint16, large bool) []byte {
	b := le.AppendUint32(nil, 0x04034b50)
	version, size := uint16(20), uint32(f.Size)
	var extra []byte
	if large {
		version, size = 45, 1<<32-1
		extra = le.AppendUint16(nil, 1)
		extra = le.AppendUint16(extra, 16)
		extra = le.AppendUint64(le.AppendUint64(extra, uint64(f.Size)), uint64(f.Size))
	}
	for _, v := range []uint16{version, utf8Name, 0, clock, date} {
		b = le.AppendUint16(b, v)
	}
	for _, v := range []uint32{f.CRC32, size, size} {
		b = le.AppendUint32(b, v)
	}
	b = le.AppendUint16(b, uint16(len(name)))
	b = le.AppendUint16(b, uint16(len(extra)))
	return append(append(b, name...), extra...)
}

func directoryEntry(name string, f File, date, clock uint16, offset int64) []byte {
	version, size, at := uint16(20), uint32(f.Size), uint32(offset)
	var extra []byte
	if f.Size >= 1<<32-1 || offset >= 1<<32-1 {
		version, size, at = 45, 1<<32-1, 1<<32-1
		extra = le.AppendUint16(nil, 1)
		extra = le.AppendUint16(extra, 24)
		extra = le.AppendUint64(le.AppendUint64(le.AppendUint64(extra, uint64(f.Size)), uint64(f.Size)), uint64(offset))
	}
	b := le.AppendUint32(nil, 0x02014b50)
	for _, v := range []uint16{version, version, utf8Name, 0, clock, date} {
		b = le.AppendUint16(b, v)
	}
	for _, v := range []uint32{f.CRC32, size, size} {
		b = le.AppendUint32(b, v)
	}
	for _, v := range []uint16{uint16(len(name)), uint16(len(extra)), 0, 0, 0} {
		b = le.AppendUint16(b, v)
	}
	b = le.AppendUint32(le.AppendUint32(b, 0), at)
	return append(append(b, name...), extra...)
}

// directoryEnd ends an archive, with the 64-bit records where a figure needs them.
func directoryEnd(count, size, start uint64) []byte {
	var b []byte
	count16, size32, start32 := uint16(min(count, 1<<16-1)), uint32(min(size, 1<<32-1)), uint32(min(start, 1<<32-1))
	if count >= 1<<16-1 || size >= 1<<32-1 || start >= 1<<32-1 {
		b = le.AppendUint32(b, 0x06064b50)
		b = le.AppendUint64(b, 44)
		b = le.AppendUint16(le.AppendUint16(b, 45), 45)
		b = le.AppendUint32(le.AppendUint32(b, 0), 0)
		for _, v := range []uint64{count, count, size, start} {
			b = le.AppendUint64(b, v)
		}
		b = le.AppendUint32(b, 0x07064b50)
		b = le.AppendUint32(b, 0)
		b = le.AppendUint64(b, start+size)
		b = le.AppendUint32(b, 1)
	}
	b = le.AppendUint32(b, 0x06054b50)
	for _, v := range []uint16{0, 0, count16, count16} {
		b = le.AppendUint16(b, v)
	}
	b = le.AppendUint32(le.AppendUint32(b, size32), start32)
	return le.AppendUint16(b, 0)
}

// dosTime is a date and time as zip has them, from 1980 on.
func dosTime(t time.Time) (date, clock uint16) {
	if t.Year() < 1980 {
		return 1<<5 | 1, 0
	}
	return uint16((t.Year()-1980)<<9 | int(t.Month())<<5 | t.Day()), uint16(t.Hour()<<11 | t.Minute()<<5 | t.Second()/2)
}
