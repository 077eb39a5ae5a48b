// Package inspect examines deliveries: Examine looks at one file in one decode,
// Assemble sorts what was seen into sets and states what is true of each.
//
// It knows no server and changes nothing. Between the two steps only small
// records are kept, so that a delivery of any size can be examined file by file,
// stopped, and gone on with.
package inspect

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"path"
	"slices"
	"strings"
	"sync"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/fact"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
	"aldermoor/core/sidecar"
	"aldermoor/core/tiling"
)

// Examined is what one file showed.
type Examined struct {
	Path     string            `json:"path"`
	SHA256   string            `json:"sha256"`
	Size     int64             `json:"size"`
	Look     *channels.Look    `json:"look"`               // nil if it is not a picture
	Layers   []channels.Look   `json:"layers,omitempty"`   // of the file's further pictures
	Sidecar  *scale.Sidecar    `json:"sidecar"`            // nil if it is not a sidecar
	Document *sidecar.Document `json:"document,omitempty"` // what it says of other files; nil if it is none
	Problem  *fact.Fact        `json:"trouble,omitempty"`  // why a picture or sidecar could not be read
	Failed   bool              `json:"failed,omitempty"`   // the problem is not of the file: examining it can be retried
}

// pictureEndings are the endings that promise a picture.
var pictureEndings = map[string]bool{".png": true, ".jpg": true, ".jpeg": true, ".tif": true, ".tiff": true,
	".webp": true, ".bmp": true, ".exr": true, ".hdr": true, ".tga": true, ".psd": true, ".gif": true, ".dds": true}

// Source is a file to be examined.
type Source struct {
	io.ReaderAt
	Size   int64
	SHA256 string // "" to have it worked out

	// Reserve waits until so many bytes may be used, and says how to give them back; nil for no bound.
	Reserve func(bytes int64) (release func(), err error)
}

// SourceOf is a file whose bytes are held in data.
func SourceOf(data []byte) Source {
	return Source{ReaderAt: bytes.NewReader(data), Size: int64(len(data))}
}

// Examine looks at the file at path. What is no picture is known by its first bytes and
// read no further; a picture is read and parsed once. Each decoded picture is handed to
// keep, so that more can be derived from the one decode: the main one, then those of
// further layers. keep may be nil. The error is keep's, or of reading: what is wrong with
// the file is its Problem.
func Examine(file string, src Source, lim codec.Limits, keep func(layer string, im *raster.Image) error) (Examined, error) {
	e := Examined{Path: file, SHA256: src.SHA256, Size: src.Size}
	if e.SHA256 == "" {
		h := sha256.New()
		if _, err := io.Copy(h, io.NewSectionReader(src, 0, src.Size)); err != nil {
			return e, err
		}
		e.SHA256 = hex.EncodeToString(h.Sum(nil))
	}
	head := make([]byte, min(src.Size, codec.SniffBytes))
	if n, err := src.ReadAt(head, 0); n < len(head) {
		return e, fmt.Errorf("read %q: %w", file, err)
	}
	if codec.Recognise(head) == "" {
		return e, e.noPicture(src, head)
	}
	f, err := codec.OpenAt(src, src.Size, lim)
	if err != nil {
		return e, e.refused(err)
	}
	if src.Reserve != nil {
		release, err := src.Reserve(f.Memory())
		if err != nil {
			return e, err
		}
		defer release()
	}
	look := func(layer string) (channels.Look, error) {
		im, in, err := f.Decode(layer)
		if err != nil {
			return channels.Look{}, e.refused(err)
		}
		if keep != nil {
			if err := keep(layer, im); err != nil {
				return channels.Look{}, err
			}
		}
		return channels.Measure(im, in), nil
	}
	l, err := look("")
	if err != nil || e.Problem != nil {
		return e, err
	}
	e.Look = &l
	for _, name := range l.Info.Layers {
		if l, err = look(name); err != nil || e.Problem != nil {
			e.Look, e.Layers = nil, nil
			return e, err
		}
		e.Layers = append(e.Layers, l)
	}
	return e, nil
}

// refused makes a problem of what is wrong with a picture; an error of reading is returned.
func (e *Examined) refused(err error) error {
	var format codec.FormatError
	var unsupported codec.UnsupportedError
	var limit codec.LimitError
	if !errors.As(err, &format) && !errors.As(err, &unsupported) && !errors.As(err, &limit) {
		return err
	}
	e.cannotBeRead(err)
	return nil
}

func (e *Examined) cannotBeRead(err error) {
	kind := "format"
	switch err.(type) {
	case codec.UnsupportedError:
		kind = "unsupported"
	case codec.LimitError:
		kind = "limit"
	}
	e.problem("unreadable", "error", strings.TrimSuffix(err.Error(), "."), "kind", kind)
}

// problem notes why the file could not be read.
func (e *Examined) problem(code string, pairs ...any) {
	f := fact.New(code, append(pairs, "file", e.Path)...)
	e.Problem = &f
}

// layered says whether a file is the working file of a picture editor, by its first bytes.
func layered(head []byte) bool {
	return bytes.HasPrefix(head, []byte("8BPS"))
}

// noPicture looks at a file that is no picture: it may be a sidecar, or promise to be one.
func (e *Examined) noPicture(src Source, head []byte) error {
	ext := strings.ToLower(path.Ext(e.Path))
	switch {
	case src.Size == 0:
		e.problem("empty")
	case layered(head):
		e.problem("layered")
	case pictureEndings[ext]:
		e.problem("no_picture", "readable", codec.Readable)
	case slices.Contains(sidecar.Endings, ext) && src.Size <= sidecar.MostBytes:
		data := make([]byte, src.Size)
		if n, err := src.ReadAt(data, 0); n < len(data) {
			return fmt.Errorf("read %q: %w", e.Path, err)
		}
		e.document(ext, data)
	}
	return nil
}

// document reads what a text says of other files and of the material.
func (e *Examined) document(ext string, data []byte) {
	if ext == ".json" {
		// Any JSON may lie in a delivery; what cannot be read of a station's own sidecar is a problem.
		var any map[string]json.RawMessage
		s, err := scale.ParseSidecar(data)
		figures := json.Unmarshal(data, &any) == nil && slices.ContainsFunc(scale.SidecarFigures, func(k string) bool { return any[k] != nil })
		switch {
		case err == nil:
			e.Sidecar = &s
		case figures || !json.Valid(data):
			e.problem("sidecar", "error", err.Error())
		}
	}
	if !sidecar.Text(data) {
		return
	}
	if d, ok := sidecar.Read(e.Path, data); ok {
		e.Document = &d
	}
}

// ReducedPx is the longer side, in pixels, of the copies on which sets are examined. The server and the commands use
// the same copies, so that the same files have the same figures everywhere.
const ReducedPx = 1024

// Reduced is the copy of a picture on which sets are examined, with the bits of its source. Floats are kept as they
// are, since only their channel says what they mean. A picture that is small enough is returned itself.
func Reduced(im *raster.Image) *raster.Image {
	if max(im.W, im.H) <= ReducedPx && (im.Float() || im.Bits == 8 || im.Bits == 16) {
		return im
	}
	var planes []raster.Plane
	for c := range im.Components() {
		planes = append(planes, im.Reduced(c, ReducedPx))
	}
	small := raster.FromPlanes(planes...)
	switch {
	case im.Float():
		return small
	case im.Bits > 8:
		return small.Quantise(16)
	}
	return small.Quantise(8)
}

// Copies give what sets are examined on: of each picture a copy as Reduced makes it, and of one that is larger than
// that its CloseUp; nil if there is none. They may be asked for several at the same time. Without Reduced nothing is
// worked out that needs maps side by side; without Close shifts of a few pixels are found on small maps alone.
type Copies struct {
	Reduced, Close func(file, layer string) *raster.Image
}

// Assemble sorts examined files into sets. Level may be nil; then nothing that
// needs two maps side by side (depth) is worked out.
func Assemble(files []Examined, copies Copies, rules ...channels.Rule) Report {
	r := Report{Sets: []Set{}, Failed: []Failure{}}
	var sortable []channels.File
	var pictures []string
	for _, e := range files {
		if e.Problem != nil {
			r.Failed = append(r.Failed, Failure{File: e.Path, Why: *e.Problem})
			if e.Look == nil && !strings.HasSuffix(strings.ToLower(e.Path), ".json") {
				continue
			}
		}
		sortable = append(sortable, channels.File{Path: e.Path, Look: e.Look})
		if e.Look != nil {
			pictures = append(pictures, e.Path)
		}
		for i := range e.Layers {
			sortable = append(sortable, channels.File{Path: e.Path, Look: &e.Layers[i]})
		}
	}
	docs := sidecar.Resolve(documents(files), pictures)
	sets := sorted(sortable, docs.Stated, rules, &r)
	about := aboutSets(sets, files, docs)
	r.Sets = make([]Set, len(sets))
	// One set at a time a core: what they do in parallel inside does not fill the cores.
	var mu sync.Mutex
	raster.Each(len(sets), func(i int) {
		var err error
		if r.Sets[i], err = described(sets[i], about[i], copies); err != nil {
			mu.Lock()
			defer mu.Unlock()
			r.Failed = append(r.Failed, Failure{File: sets[i].Name, Why: fact.New("not_compared", "set", sets[i].Name, "error", err.Error())})
		}
	})
	return r
}

// sorted sorts files into sets. If that panics, each folder is sorted by itself, and the
// files of a folder that panics again become one set without channels, so that no file
// is lost to the names of others.
func sorted(files []channels.File, stated channels.Stated, rules []channels.Rule, r *Report) []channels.Set {
	sets, err := trySort(files, stated, rules)
	if err == nil {
		return sets
	}
	folders := map[string][]channels.File{}
	for _, f := range files {
		dir := path.Dir(f.Path)
		folders[dir] = append(folders[dir], f)
	}
	for _, dir := range slices.Sorted(maps.Keys(folders)) {
		some, err := trySort(folders[dir], stated, rules)
		if err != nil {
			file := folders[dir][0].Path
			r.Failed = append(r.Failed, Failure{File: file, Why: fact.New("not_sorted", "file", file, "error", err.Error())})
			some = []channels.Set{channels.Heap(folders[dir])}
		}
		sets = append(sets, some...)
	}
	return sets
}

func trySort(files []channels.File, stated channels.Stated, rules []channels.Rule) (sets []channels.Set, err error) {
	defer recovered(&err)
	return channels.SortStated(files, stated, rules...), nil
}

// described describes a set. If looking at its pixels panics, the set keeps what its
// files said one by one.
func described(s channels.Set, side scale.Sidecar, copies Copies) (out Set, err error) {
	defer func() {
		if err != nil {
			out = describe(s, side, Copies{})
		}
	}()
	defer recovered(&err)
	return describe(s, side, copies), nil
}

// recovered turns a panic into an error.
func recovered(err *error) {
	if p := recover(); p != nil {
		*err = fmt.Errorf("internal error: %v", p)
	}
}

func describe(s channels.Set, side scale.Sidecar, copies Copies) Set {
	out := Set{Name: s.Name, Maps: []Map{}, Attachments: s.Attachments, Unassigned: s.Unassigned, Why: s.Why, Workflow: s.Workflow(),
		SizeEvidence: []scale.Evidence{}, Findings: []Finding{}, Seams: []tiling.Place{}}
	if out.Attachments == nil {
		out.Attachments = []channels.Attachment{}
	}
	if out.Unassigned == nil {
		out.Unassigned = []string{}
	}
	for _, m := range s.Maps {
		out.Maps = append(out.Maps, mapOf(m))
	}
	out.Sidecar = side
	out.Measure(s.Maps)
	out.Check(s, false)
	if copies.Reduced != nil {
		out.depth(s.Maps, copies)
		out.examine(s.Maps, copies)
	}
	return out
}

func mapOf(m channels.Map) Map {
	in := m.Look.Info
	out := Map{File: m.File, Layer: in.Layer, Component: m.Component, Channel: m.Channel, Confidence: round3(m.Confidence), Reasons: m.Reasons,
		Width: in.W, Height: in.H, Bits: in.Bits, Float: in.Float, Encoding: "linear",
		Stats: Stats{m.Look.Min, m.Look.Max, m.Look.Mean, m.Look.StdDev}}
	if m.Channel.Colour() && !out.Float && m.Component == "rgb" {
		out.Encoding = "srgb"
	}
	if m.UDIM != "" {
		out.UDIM = &m.UDIM
	}
	out.Tiles, out.Shared = m.Tiles, m.Shared
	if m.Channel == material.Normal {
		out.Curve, out.Swapped, out.Turn = m.Look.Curve, m.Look.Swapped, in.Turn
	}
	if lo, hi := Span(m.Channel, in.Float, m.Component, m.Look.Min, m.Look.Max); hi > lo {
		out.Span = &[2]float64{lo, hi}
	}
	if m.Channel == material.Height {
		z := zero(m)
		out.Zero = &z
	}
	if m.Facing != normals.Unknown {
		d, c := m.Facing.String(), round3(m.Sure)
		out.Direction, out.DirectionConfidence = &d, &c
	}
	return out
}

// Measure gathers the evidence for the set's size, and takes the best.
func (s *Set) Measure(maps []channels.Map) {
	var w, h int
	for _, m := range maps {
		if m.Look.Info.W*m.Look.Info.H > w*h {
			w, h = m.Look.Info.W, m.Look.Info.H
		}
	}
	if w == 0 {
		s.Size.Source = scale.FromNothing
		return
	}
	if e, ok := s.Sidecar.Evidence(w, h); ok {
		s.SizeEvidence = append(s.SizeEvidence, e)
	}
	for _, m := range maps {
		if e, ok := scale.TagEvidence(m.Look.Info.W, m.Look.Info.H, m.Look.Info.Density); ok {
			s.SizeEvidence = append(s.SizeEvidence, e)
			break
		}
	}
	// As the files are called: a set's name has lost its marks ("1.8m").
	stem := strings.TrimSuffix(path.Base(maps[0].File), path.Ext(maps[0].File))
	for _, name := range []string{stem, path.Dir(maps[0].File), s.Name} {
		if e, ok := scale.NameEvidence(name, w, h); ok {
			s.SizeEvidence = append(s.SizeEvidence, e)
			break
		}
	}
	for _, m := range maps {
		if e, ok := said(m.Look.Info); ok {
			s.SizeEvidence = append(s.SizeEvidence, e)
			break
		}
	}
	best, ok := scale.Best(s.SizeEvidence)
	s.Size.Source = best.Source
	if ok {
		s.Size.Width, s.Size.Height = &best.W, &best.H
		x, y := scale.Density(best.Size, w, h)
		s.Density = &[2]float64{x, y}
	}
}

// said is the size that a text in a file gives.
func said(in codec.Info) (scale.Evidence, bool) {
	for _, t := range in.Text {
		if e, ok := scale.TextEvidence(t, in.W, in.H); ok {
			return e, true
		}
	}
	return scale.Evidence{}, false
}

// depth works out what the height map's range is in metres: by the sidecar if
// it says so, else from the normals. What the normals give is a share of the
// width, so it is kept as that too and holds for whatever size is typed later.
func (s *Set) depth(maps []channels.Map, copies Copies) {
	var n, h *channels.Map
	for i := range maps {
		switch maps[i].Channel {
		case material.Normal:
			n = &maps[i]
		case material.Height:
			h = &maps[i]
		}
	}
	if n != nil && h != nil && n.Facing != normals.Unknown {
		ni, hi := copies.Reduced(n.File, n.Look.Info.Layer), copies.Reduced(h.File, h.Look.Info.Layer)
		if ni != nil && hi != nil && ni.Components() >= 2 {
			f := normals.Read(unitOf(n, ni), 1024)
			v := unitOf(h, hi).Plane(material.ComponentIndex(h.Component, hi.Components())).Resample(f.X.W, f.X.H, raster.Area)
			aspect := float64(f.X.H) / float64(f.X.W)
			if s.Size.Width != nil {
				aspect = *s.Size.Height / *s.Size.Width
			}
			d, trust := normals.Depth(f, n.Facing, v, 1/float64(f.X.W), aspect/float64(f.X.H))
			if trust > 0.2 {
				s.Relief = &Depth{Value: d, Confidence: round3(trust)}
			}
		}
	}
	switch mm := s.Sidecar.DepthMM; {
	case mm > 0:
		s.Depth = &Depth{Value: mm / 1000, Confidence: 1}
	case h != nil && s.stored(h):
	case s.Relief != nil && s.Size.Width != nil:
		s.Depth = &Depth{Value: s.Relief.Value * *s.Size.Width, Confidence: s.Relief.Confidence}
	}
}

func round3(v float64) float64 { return math.Round(v*1000) / 1000 }

// Meets is the seam score above which an axis counts as repeating.
const Meets = seamAt

// Reexamine examines maps that were made or mended: all checks, tiling, pattern and depth,
// for a size that is decided.
func Reexamine(set channels.Set, size Size, copies Copies) Set {
	out := Set{Name: set.Name, Maps: []Map{}, Workflow: set.Workflow(), Size: size, Findings: []Finding{}, Seams: []tiling.Place{}}
	for _, m := range set.Maps {
		out.Maps = append(out.Maps, mapOf(m))
	}
	out.Check(set, false)
	out.depth(set.Maps, copies)
	out.examine(set.Maps, copies)
	return out
}
