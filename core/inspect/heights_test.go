package inspect

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"math"
	"slices"
	"strings"
	"testing"

	"aldermoor/core/codec"
	"aldermoor/core/codec/exr"
	"aldermoor/core/colour"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
	"aldermoor/core/scale"
	"aldermoor/core/station"
)

// Normals that were saved with a curve or swapped give the depth that plain ones give.
func TestDepthByBentNormals(t *testing.T) {
	w := station.NewWriter()
	all := station.Materials()
	m := all[slices.IndexFunc(all, func(m station.Material) bool { return m.Slug == "rubble_limewash" })]
	s := station.Take(m, station.Options{Px: 256, Seed: 1})
	files, err := w.Files(s, m.Slug)
	if err != nil {
		t.Fatal(err)
	}
	_, encode := colour.Curves()
	n := s.Normal.Image()
	for code, im := range map[string]*raster.Image{"normal_swapped": raster.FromPlanes(n.Plane(1), n.Plane(0), n.Plane(2)),
		"normal_curve": raster.FromPlanes(filter.Map(n.Plane(0), encode), filter.Map(n.Plane(1), encode), filter.Map(n.Plane(2), encode))} {
		var b bytes.Buffer
		if err := codec.EncodePNG(&b, im.Quantise(16), codec.PNGOptions{}); err != nil {
			t.Fatal(err)
		}
		list := slices.Clone(files)
		for i := range list {
			if strings.HasSuffix(list[i].Name, "_normal.png") {
				list[i].Data = b.Bytes()
			}
		}
		got := examine(t, list).Sets[0]
		if got.Depth == nil || math.Abs(got.Depth.Value/s.Depth-1) > 0.05 || codes(got) != code {
			t.Errorf("%s: %+v, truth is %.4f; %s", code, got.Depth, s.Depth, codes(got))
		}
	}
}

// A size that somebody wrote into a file is evidence, and says that it is that.
func TestSizeInADescription(t *testing.T) {
	im := raster.New(64, 32, 3, 8)
	for i := range im.Ints(0) {
		im.Ints(0)[i], im.Ints(1)[i] = uint16(i*29), uint16(i*17)
	}
	var b bytes.Buffer
	if err := codec.EncodePNG(&b, im, codec.PNGOptions{}); err != nil {
		t.Fatal(err)
	}
	body := []byte("tEXtComment\x00patch of 2 x 1 m, north wall")
	chunk := binary.BigEndian.AppendUint32(nil, uint32(len(body)-4))
	chunk = binary.BigEndian.AppendUint32(append(chunk, body...), crc32.ChecksumIEEE(body))
	data := slices.Concat(b.Bytes()[:33], chunk, b.Bytes()[33:])
	got := examine(t, []station.File{{Name: "wall_color.png", Data: data}}).Sets[0]
	if got.Size.Width == nil || *got.Size.Width != 2 || *got.Size.Height != 1 || got.Size.Source != scale.FromText {
		t.Errorf("%+v", got.Size)
	}
}

// Heights in an EXR, in whatever unit and from whatever zero, come out as what they are.
func TestUnitsOfHeights(t *testing.T) {
	w := station.NewWriter()
	for _, m := range station.Materials() {
		if m.Slug != "rubble_limewash" && m.Slug != "sailcloth" && m.Slug != "bank_shingle" {
			continue
		}
		s := station.Take(m, station.Options{Px: 256, Seed: 1})
		files, err := w.Files(s, m.Slug)
		if err != nil {
			t.Fatal(err)
		}
		lo, hi := s.Height.Range()
		middle := (lo + hi) / 2
		for _, c := range []struct {
			name string
			of   func(metres float32) float32
			unit string
			zero float64
		}{
			{"metres", func(v float32) float32 { return v }, "m", 0},
			{"signed metres", func(v float32) float32 { return v - middle }, "m", 0.5},
			{"metres above a datum", func(v float32) float32 { return v + 1.2 }, "m", 0},
			{"centimetres", func(v float32) float32 { return 100 * v }, "cm", 0},
			{"millimetres", func(v float32) float32 { return 1000 * v }, "mm", 0},
			{"signed millimetres", func(v float32) float32 { return 1000 * (v - middle) }, "mm", 0.5},
			{"shares", func(v float32) float32 { return (v - lo) / (hi - lo) }, "", 0},
			{"signed shares", func(v float32) float32 { return 2*(v-lo)/(hi-lo) - 1 }, "", 0.5},
			{"odd shares", func(v float32) float32 { return 0.3 + 0.4*(v-lo)/(hi-lo) }, "", 0},
		} {
			var b bytes.Buffer
			if err := exr.Encode(&b, raster.FromPlanes(filter.Map(s.Height, c.of)), exr.Options{Type: exr.Float, Compression: exr.ZIP}); err != nil {
				t.Fatal(err)
			}
			for _, normals := range []bool{true, false} {
				var list []station.File
				for _, f := range files {
					low := strings.ToLower(f.Name)
					if strings.Contains(low, "height") || strings.Contains(low, "disp") {
						f = station.File{Name: "set/" + m.Slug + "_height.exr", Data: b.Bytes()}
					} else if strings.HasSuffix(low, ".json") {
						f.Data = []byte(strings.Replace(string(f.Data), "depth_mm", "left_out", 1))
					}
					if f.Name = "set/" + f.Name[strings.LastIndexByte(f.Name, '/')+1:]; normals || !strings.Contains(low, "normal") && !strings.Contains(low, "nrm") {
						list = append(list, f)
					}
				}
				got := examine(t, list).Sets[0]
				switch {
				case normals && (got.Depth == nil || math.Abs(got.Depth.Value/s.Depth-1) > 0.05 || got.Depth.Unit != c.unit):
					t.Errorf("%s in %s: %+v, truth is %.4f m", m.Slug, c.name, got.Depth, s.Depth)
				case !normals && c.unit == "m" && (got.Depth == nil || math.Abs(got.Depth.Value/s.Depth-1) > 0.05 || got.Depth.Confidence > 0.8):
					t.Errorf("%s in %s without normals: %+v, truth is %.4f m", m.Slug, c.name, got.Depth, s.Depth)
				case !normals && c.unit == "" && c.name != "odd shares" && got.Depth != nil:
					t.Errorf("%s in %s without normals: a depth of %+v came from nowhere", m.Slug, c.name, got.Depth)
				}
				for _, p := range got.Maps {
					if p.Channel == "height" && (p.Zero == nil || math.Abs(*p.Zero-c.zero) > 0.02) {
						t.Errorf("%s in %s: zero level %v, want %.2f", m.Slug, c.name, p.Zero, c.zero)
					}
				}
			}
		}
	}
}
