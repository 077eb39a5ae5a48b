package intake

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"path"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"

	"aldermoor/core/channels"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/parcel"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/wording"
)

// The kinds of jobs that carry a delivery along: its archives are opened, each
// file is examined, then all are sorted.
const (
	JobOpen    = "open"
	JobExamine = "examine"
	JobSort    = "sort"
)

// Incoming is one file on its way in.
type Incoming struct {
	Path string
	R    io.Reader // its bytes, or
	File string    // where it lies already, on the same disk; it is left there
}

// Receive takes a delivery: next is asked for files until it returns io.EOF. The
// delivery exists once all its files are safely stored, or not at all. label is
// asked last for its name and station, either of which may be empty.
func (s *Service) Receive(ctx context.Context, p people.Principal, next func() (Incoming, error), label func() (name, station string)) (Delivery, error) {
	return s.receive(ctx, p, next, label, func(Tx) error { return nil })
}

// receive is Receive with something else to be written in the same transaction.
func (s *Service) receive(ctx context.Context, p people.Principal, next func() (Incoming, error), label func() (name, station string), also func(Tx) error) (Delivery, error) {
	d := Delivery{State: Receiving, Created: s.Now(), By: p.Name}
	if err := p.Need(people.Contribute); err != nil {
		return d, err
	}
	var parcels []Parcel
	for {
		in, err := next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return d, err
		}
		clean, err := parcel.CleanName(in.Path)
		if err != nil {
			return d, library.Invalid(fmt.Sprintf("The file %q %v.", in.Path, err))
		}
		var sum string
		var n int64
		if in.File != "" {
			sum, n, err = s.Blobs.Adopt(ctx, in.File)
		} else {
			sum, n, err = s.Blobs.Put(ctx, in.R)
		}
		if err != nil {
			return d, fmt.Errorf("receive %q: %w", clean, err)
		}
		if !parcel.Ignored(clean) {
			parcels = append(parcels, Parcel{Path: clean, Blob: sum, Size: n})
		}
	}
	if len(parcels) == 0 {
		return d, library.Invalid("No file was sent. Drop files, a folder or an archive, or send them as multipart fields called file.")
	}
	if d.Name, d.Station = label(); d.Name == "" {
		d.Name = deliveryName(parcels)
	}
	err := s.Store.Write(ctx, func(tx Tx) error {
		if err := tx.AddDelivery(&d); err != nil {
			return err
		}
		for i := range parcels {
			parcels[i].DeliveryID = d.ID
			if err := tx.AddParcel(&parcels[i]); err != nil {
				return err
			}
		}
		if err := also(tx); err != nil {
			return err
		}
		return tx.AddJob(JobOpen, strconv.FormatInt(d.ID, 10), 3)
	})
	if err != nil {
		return d, fmt.Errorf("receive delivery %q: %w", d.Name, err)
	}
	return d, nil
}

func deliveryName(p []Parcel) string {
	first := p[0].Path
	if dir, _, ok := strings.Cut(first, "/"); ok {
		return materials.TitleOf(dir)
	}
	stem := stemOf(first)
	if len(p) > 1 {
		return fmt.Sprintf("%s and %d more", materials.TitleOf(stem), len(p)-1)
	}
	return materials.TitleOf(stem)
}

// stemOf is a file's name without folders and endings.
func stemOf(file string) string {
	name := path.Base(file)
	return strings.TrimSuffix(strings.TrimSuffix(name, path.Ext(name)), ".tar")
}

// batch is how many files of an archive are written down at a time: so many are unpacked
// again at most after a stop.
const batch = 64

// open unpacks a delivery's archives and lists its files, parcel by parcel. What was
// listed before a stop or a full disk is not unpacked again.
func (s *Service) open(ctx context.Context, key string) error {
	id, _ := strconv.ParseInt(key, 10, 64)
	var parcels []Parcel
	var files []File
	var d Delivery
	err := s.Store.Read(ctx, func(tx Reader) (err error) {
		if d, err = tx.Delivery(id); err != nil {
			return err
		}
		if parcels, err = tx.Parcels(id); err != nil {
			return err
		}
		files, err = tx.Files(id)
		return err
	})
	if errors.Is(err, library.ErrNotFound) || err == nil && d.State != Receiving {
		return nil // done before
	}
	if err != nil {
		return err
	}
	for _, p := range parcels {
		if p.Opened {
			continue
		}
		had := map[string]bool{}
		for _, f := range files {
			if f.ParcelID == p.ID {
				had[f.Entry] = true
			}
		}
		if err := s.openParcel(ctx, p, had); err != nil {
			return fmt.Errorf("open %s: %w", p.Path, err)
		}
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		if now, err := tx.Delivery(id); err != nil || now.State != Receiving {
			return err
		}
		if err := tx.SetDelivery(id, Sorting, d.Station, ""); err != nil {
			return err
		}
		return s.sortIfExamined(tx, id)
	})
}

// openParcel lists what a parcel holds: itself, or the files of the archive that it is,
// but for those that it had before.
func (s *Service) openParcel(ctx context.Context, p Parcel, had map[string]bool) error {
	var files []File
	flush := func(last bool) error {
		err := s.Store.Write(ctx, func(tx Tx) error {
			for i := range files {
				if err := addFile(tx, &p, &files[i]); err != nil {
					return err
				}
				if f := files[i]; f.Problem == "" {
					if err := tx.AddJob(JobExamine, strconv.FormatInt(f.ID, 10), 1); err != nil {
						return err
					}
				}
			}
			p.Opened = last
			return tx.SetParcel(p)
		})
		files = files[:0]
		return err
	}
	err := s.unpack(ctx, p, func(f File) error {
		if had[f.Entry] {
			return nil
		}
		had[f.Entry] = true
		files = append(files, f)
		if len(files) < batch {
			return nil
		}
		return flush(false)
	}, had)
	if err != nil {
		return err
	}
	return flush(true)
}

// addFile adds a file of a parcel to its delivery. Where its path is taken by a file of
// another parcel, all files of the parcel move into a folder named after it.
func addFile(tx Tx, p *Parcel, f *File) error {
	f.DeliveryID, f.ParcelID = p.DeliveryID, p.ID
	f.Path = path.Join(p.Folder, f.Entry)
	err := tx.AddFile(f)
	if !errors.Is(err, library.ErrStale) {
		return err
	}
	files, err := tx.Files(p.DeliveryID)
	if err != nil {
		return err
	}
	taken := map[string]bool{}
	for _, o := range files {
		if o.Path == f.Path && o.Blob == f.Blob && f.Problem == "" && f.Entry == p.Path {
			*f = o // the very same file was sent twice under one name
			return nil
		}
		taken[o.Path] = true
		if dir, _, ok := strings.Cut(o.Path, "/"); ok {
			taken[dir] = true
		}
	}
	if p.Folder == "" {
		p.Folder = free(stemOf(p.Path), taken)
		for _, o := range files {
			if o.ParcelID == p.ID {
				o.Path = path.Join(p.Folder, o.Entry)
				if err := tx.MoveFile(o); err != nil {
					return err
				}
			}
		}
		f.Path = path.Join(p.Folder, f.Entry)
	} else {
		ext := path.Ext(f.Path)
		f.Path = free(strings.TrimSuffix(f.Path, ext), taken) + ext
	}
	return tx.AddFile(f)
}

// free is a name that is not taken: the wanted one, or with a number.
func free(want string, taken map[string]bool) string {
	name := want
	for i := 2; taken[name]; i++ {
		name = fmt.Sprintf("%s-%d", want, i)
	}
	return name
}

// unpack gives what a parcel holds to take. The error is of this server, such as a full
// disk; what is wrong with the parcel is a problem of a file. Entries in had are passed
// over.
func (s *Service) unpack(ctx context.Context, p Parcel, take func(File) error, had map[string]bool) error {
	f, err := s.Blobs.Open(p.Blob)
	if err != nil {
		return err
	}
	defer f.Close()
	head := make([]byte, 512)
	n, err := f.ReadAt(head, 0)
	if err != nil && err != io.EOF {
		return err
	}
	whole := File{Entry: p.Path, Blob: p.Blob, Size: p.Size}
	if foreign := parcel.Foreign(head[:n]); foreign != "" {
		whole.Problem = p.Path + " " + parcel.NotOpened(foreign) + "."
		return take(whole)
	}
	kind := parcel.Recognise(head[:n])
	if kind == parcel.None {
		return take(whole)
	}
	limits := s.Archives
	limits.Aside = s.Scratch.Keep
	times := map[string]int{}
	problems, err := parcel.Unpack(kind, f, p.Size, limits, func(name string, r io.Reader) error {
		if times[name]++; times[name] > 1 { // one path twice in one archive
			ext := path.Ext(name)
			name = fmt.Sprintf("%s-%d%s", strings.TrimSuffix(name, ext), times[name], ext)
		}
		if had[name] {
			return nil
		}
		sum, n, err := s.Blobs.Put(ctx, r)
		if err != nil {
			return err
		}
		return take(File{Entry: name, Blob: sum, Size: n})
	})
	var damaged parcel.Damaged
	var over parcel.LimitError
	if err != nil && !errors.As(err, &damaged) && !errors.As(err, &over) {
		return err
	}
	if err != nil {
		whole.Problem = fmt.Sprintf("%s: %v.", p.Path, strings.TrimSuffix(err.Error(), "."))
		if err := take(whole); err != nil {
			return err
		}
	}
	for _, q := range problems {
		name := strings.Map(printable, q.Name)
		if err := take(File{Entry: p.Path + "/" + name, Problem: fmt.Sprintf("%s in %s %s.", name, p.Path, strings.TrimSuffix(q.Says, "."))}); err != nil {
			return err
		}
	}
	return nil
}

func printable(r rune) rune {
	if r < 32 || r == 127 {
		return '·'
	}
	return r
}

// sortIfExamined adds the sorting job once a delivery has been opened and its last file
// has been looked at.
func (s *Service) sortIfExamined(tx Tx, delivery int64) error {
	d, err := tx.Delivery(delivery)
	if err != nil || d.State != Sorting {
		return err
	}
	if left, err := tx.Unexamined(delivery); left || err != nil {
		return err
	}
	return tx.AddJob(JobSort, strconv.FormatInt(delivery, 10), 2)
}

// examine looks at one file, in one decode.
func (s *Service) examine(ctx context.Context, key string) error {
	id, _ := strconv.ParseInt(key, 10, 64)
	var f File
	err := s.Store.Read(ctx, func(tx Reader) (err error) { f, err = tx.File(id); return err })
	if errors.Is(err, library.ErrNotFound) || err == nil && f.Examined != nil {
		return nil
	}
	if err != nil {
		return err
	}
	from := s.Now()
	e, err := s.look(&f)
	if err != nil {
		return err
	}
	s.pace.add(from, s.Now(), f.Size)
	f.Examined = &e
	if e.Problem != nil {
		f.Problem = wording.Problem(*e.Problem)
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		if err := tx.SaveExamined(f); err != nil {
			return err
		}
		return s.sortIfExamined(tx, f.DeliveryID)
	})
}

func (s *Service) look(f *File) (inspect.Examined, error) {
	b, err := s.Blobs.Open(f.Blob)
	if err != nil {
		return inspect.Examined{}, err
	}
	defer b.Close()
	return inspect.Examine(f.Path, inspect.Source{ReaderAt: b, Size: b.Size(), SHA256: f.Blob}, s.Pictures, func(layer string, im *raster.Image) error {
		ratio, err := s.Materials.PutLevel(f.Blob, layer, im)
		f.Ratio = max(f.Ratio, ratio)
		return err
	})
}

// sort makes draft materials of a delivery's sets.
func (s *Service) sort(ctx context.Context, key string) error {
	id, _ := strconv.ParseInt(key, 10, 64)
	var d Delivery
	var files []File
	var rules []Rule
	var g materials.Grades
	err := s.Store.Read(ctx, func(tx Reader) (err error) {
		if d, err = tx.Delivery(id); err != nil {
			return err
		}
		if files, err = tx.Files(id); err != nil {
			return err
		}
		g = s.Materials.Grades(tx)
		rules, err = tx.Rules()
		return err
	})
	if errors.Is(err, library.ErrNotFound) || err == nil && d.State == Sorted {
		return nil
	}
	if err != nil {
		return err
	}
	byPath := map[string]File{}
	var seen []inspect.Examined
	for _, f := range files {
		byPath[f.Path] = f
		if f.Examined != nil {
			e := *f.Examined
			e.Path = f.Path // it may have moved since
			seen = append(seen, e)
		}
	}
	station := d.Station
	for _, e := range seen {
		if e.Sidecar != nil {
			station = cmp.Or(station, e.Sidecar.Station)
		}
	}
	var failed atomic.Pointer[error]
	report := inspect.Assemble(seen, func(file, layer string) *raster.Image {
		im, err := s.Materials.Level(byPath[file].Blob, layer)
		if err != nil {
			failed.CompareAndSwap(nil, &err)
		}
		return im
	}, rulesFor(rules, station)...)
	if err := failed.Load(); err != nil {
		return *err // what could not be read now can be later
	}
	var made []materials.Material
	for i, set := range report.Sets {
		m := s.draft(g, d, i, set, byPath)
		station = cmp.Or(station, m.Station)
		made = append(made, m)
	}
	if err := s.usualSizes(ctx, made); err != nil {
		return err
	}
	look := func(p *materials.Map) *channels.Look {
		if e := byPath[p.File].Examined; e != nil && p.Layer == "" {
			return e.Look
		}
		return nil
	}
	forms, err := s.forms(ctx, made, look)
	if err != nil {
		return err
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		if now, err := tx.Delivery(id); err != nil || now.State == Sorted {
			return err
		}
		if err := s.addSets(tx, id, made, forms); err != nil {
			return err
		}
		problem := ""
		for _, f := range report.Failed {
			if byPath[f.File].Problem == "" { // not of one file: of how they go together
				problem = strings.TrimSpace(problem + " " + wording.Problem(f.Why))
			}
		}
		return tx.SetDelivery(id, Sorted, station, problem)
	})
	if err != nil {
		return err
	}
	for i := range made {
		if made[i].ID != 0 { // not a set that was here before
			s.Materials.KeepPrint(made[i].ID, forms[i].print)
		}
	}
	return nil
}

// addSets adds a delivery's sets as drafts. A set that an earlier sorting has made is
// told by the files that they share, and completed.
func (s *Service) addSets(tx Tx, delivery int64, made []materials.Material, forms []form) error {
	had, err := tx.MaterialsOf(delivery)
	if err != nil {
		return err
	}
	keys := map[string]bool{}
	for i := range had {
		keys[had[i].SetKey] = true
	}
	// Scans that were taken as new versions belong to materials of other deliveries now.
	owners, err := tx.OwnersOf(delivery)
	if err != nil {
		return err
	}
	for _, id := range owners {
		if !slices.ContainsFunc(had, func(m materials.Material) bool { return m.ID == id }) {
			m, err := tx.Material(id)
			if err != nil {
				return err
			}
			had = append(had, m)
		}
	}
	for i, old := range sameSets(had, made) {
		m := &made[i]
		if old != nil {
			if err := s.complete(tx, old, m.Maps); err != nil {
				return err
			}
			continue
		}
		m.SetKey = free(m.SetKey, keys)
		keys[m.SetKey] = true
		if m.Slug, err = tx.FreeSlug(materials.Slug(m.Name)); err != nil {
			return err
		}
		if err := tx.AddMaterial(m); err != nil {
			return err
		}
		f := forms[i]
		if f.inside >= 0 {
			if f.known.Material = made[f.inside].ID; f.known.Material == 0 { // that set was here before
				f.known = materials.Known{}
			}
		}
		if err := s.recognise(tx, m, f); err != nil {
			return err
		}
	}
	return nil
}

// usualSizes adds to sets without a size what their station usually scans, if their
// pixels have that shape.
func (s *Service) usualSizes(ctx context.Context, made []materials.Material) error {
	return s.Store.Read(ctx, func(tx Reader) error {
		of := map[string][]scale.Size{}
		for i := range made {
			m := &made[i]
			w, h := m.Pixels()
			if m.Size.Known() || m.Station == "" || w == 0 {
				continue
			}
			sizes, asked := of[m.Station]
			if !asked {
				var err error
				if sizes, err = tx.SizesOf(m.Station, 200); err != nil {
					return err
				}
				of[m.Station] = sizes
			}
			e, ok := scale.UsualEvidence(m.Station, sizes)
			if ok && math.Abs(e.W/e.H/(float64(w)/float64(h))-1) < 0.02 {
				m.Report.SizeEvidence = append(m.Report.SizeEvidence, e)
			}
		}
		return nil
	})
}

// draft turns a sorted set into a material.
func (s *Service) draft(g materials.Grades, d Delivery, i int, set inspect.Set, files map[string]File) materials.Material {
	side := set.Sidecar
	m := materials.Material{DeliveryID: d.ID, SetKey: fmt.Sprintf("%03d %s", i, set.Name), Name: materials.TitleOf(set.Name), Stage: materials.Unseen,
		SizeSource: set.Size.Source, Licence: side.Licence, Author: side.Author, Captured: side.Captured,
		Station: cmp.Or(side.Station, d.Station), Tags: []string{}, Categories: []string{}, Created: s.Now(), Updated: s.Now()}
	if set.Size.Width != nil {
		m.Size = scale.Size{W: *set.Size.Width, H: *set.Size.Height}
	}
	if set.Depth != nil {
		m.Depth, m.DepthSource = set.Depth.Value, "normals"
		if side.DepthMM > 0 {
			m.DepthSource = "sidecar"
		}
	}
	if set.Relief != nil {
		m.Relief = *set.Relief
	}
	for _, p := range set.Maps {
		m.Maps = append(m.Maps, mapFrom(p, files))
	}
	for _, file := range set.Unassigned {
		layer := ""
		f, ok := files[file]
		if at := strings.LastIndexByte(file, '#'); !ok && at > 0 {
			f, layer = files[file[:at]], file[at+1:]
		}
		m.Maps = append(m.Maps, looseMap(f, layer))
	}
	set.Maps = nil
	m.Report = set
	g.Grade(m.Report.Findings)
	m.Doubts = m.CountDoubts()
	return m
}

func mapFrom(p inspect.Map, files map[string]File) materials.Map {
	m := looseMap(files[p.File], p.Layer)
	m.Component, m.Channel, m.Confidence, m.Reasons, m.UDIM = p.Component, p.Channel, p.Confidence, p.Reasons, deref(p.UDIM)
	m.Zero = p.Zero
	for _, t := range p.Tiles {
		m.Tiles = append(m.Tiles, material.Tile{UDIM: t.UDIM, File: t.File, Blob: files[t.File].Blob})
	}
	m.Direction = normals.ParseDirection(deref(p.Direction))
	if p.DirectionConfidence != nil {
		m.DirectionConfidence = *p.DirectionConfidence
	}
	return m
}

// looseMap is a picture without a channel.
func looseMap(f File, layer string) materials.Map {
	m := materials.Map{FileID: f.ID, Map: material.Map{File: f.Path, Blob: f.Blob, Layer: layer, Component: "rgb", Ratio: f.Ratio}}
	m.Claim = normals.ParseDirection(channels.ParseName(f.Path).Side)
	if f.Examined != nil && f.Examined.Look != nil {
		l := f.Examined.Look
		for i, other := range f.Examined.Layers {
			if other.Info.Layer == layer && layer != "" {
				l = &f.Examined.Layers[i]
			}
		}
		m.Width, m.Height, m.Bits, m.Float, m.Format = l.Info.W, l.Info.H, l.Info.Bits, l.Info.Float, string(l.Info.Format)
		m.TrueBits = l.TrueBits
		m.Stats = inspect.Stats{Min: l.Min, Max: l.Max, Mean: l.Mean, StdDev: l.StdDev}
		m.Direction, m.DirectionConfidence = l.Direction, l.DirectionConfidence
	}
	return m
}

func deref(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}

// DeliveryReport is a delivery with its materials and failures, for Intake and
// the API.
type DeliveryReport struct {
	Delivery
	Materials []materials.Material
	Here      map[int64]materials.Material // those that sets of it are known as, by their id
	Failures  []inspect.Failure
	Retry     bool // something failed here, not in the files: it can be retried
}

// Delivery returns a delivery with everything in it: doubtful materials first.
func (s *Service) Delivery(ctx context.Context, p people.Principal, id int64) (r DeliveryReport, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return r, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) {
		if r.Delivery, err = tx.Delivery(id); err != nil {
			return err
		}
		if r.Materials, err = tx.MaterialsOf(id); err != nil {
			return err
		}
		r.Here = map[int64]materials.Material{}
		for _, m := range r.Materials {
			if m.Known == nil {
				continue
			}
			here, err := tx.Material(m.Known.Material)
			if err != nil && !errors.Is(err, library.ErrNotFound) {
				return err
			}
			r.Here[m.Known.Material] = here
		}
		files, err := tx.Files(id)
		for _, f := range files {
			if f.Problem != "" {
				r.Retry = r.Retry || f.Examined != nil && f.Examined.Failed
				r.Failures = append(r.Failures, inspect.Failure{File: f.Path, Error: f.Problem})
			}
		}
		return err
	})
	r.Retry = r.Retry || r.State == Failed
	r.Left = s.pace.left(r.Ahead, s.Now())
	slices.SortStableFunc(r.Materials, func(a, b materials.Material) int { return b.Doubts - a.Doubts })
	return r, err
}

// Deliveries are the latest deliveries.
func (s *Service) Deliveries(ctx context.Context, p people.Principal, limit int) (list []Delivery, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.Deliveries(limit); return err })
	for i := range list {
		list[i].Left = s.pace.left(list[i].Ahead, s.Now())
	}
	return list, err
}
