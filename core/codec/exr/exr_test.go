package exr

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"aldermoor/core/raster"
)

func load(t testing.TB, name string) *File {
	t.Helper()
	data, err := os.ReadFile(filepath.Join("testdata", name+".exr"))
	if err != nil {
		t.Fatal(err)
	}
	f, err := Open(data)
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	return f
}

func planes(t testing.TB, name string) (*File, map[string][]float32) {
	t.Helper()
	f := load(t, name)
	p, err := f.Read(0, nil, nil)
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	out := map[string][]float32{}
	for i, c := range f.Parts[0].Channels {
		out[c.Name] = p[i]
	}
	return f, out
}

// furthest is the largest difference of two pictures, relative above one.
func furthest(t *testing.T, name string, a, b map[string][]float32) (worst float64) {
	t.Helper()
	if len(a) != len(b) || len(a) == 0 {
		t.Fatalf("%s: %d channels, want %d", name, len(a), len(b))
	}
	for c, v := range b {
		if len(a[c]) != len(v) {
			t.Fatalf("%s: channel %s has %d samples, want %d", name, c, len(a[c]), len(v))
		}
		for i := range v {
			d := math.Abs(float64(a[c][i]-v[i])) / max(1, math.Abs(float64(v[i])))
			if !(d <= worst) {
				worst = d
			}
		}
	}
	return worst
}

// The files were written by another program. Lossless ones must give what was
// written to the last bit, lossy ones what that program itself reads back.
func TestEveryCompressionAndType(t *testing.T) {
	for _, kind := range []string{"half", "float"} {
		_, truth := planes(t, "plain-"+kind)
		// The corners of the pattern, within its noise.
		if r := float64(truth["R"][0]); math.Abs(r-0.02) > 0.15 {
			t.Errorf("plain %s: the first sample is %v", kind, r)
		}
		for _, c := range []string{"rle", "zips", "zip", "piz"} {
			if _, got := planes(t, c+"-"+kind); furthest(t, c+"-"+kind, got, truth) != 0 {
				t.Errorf("%s of %s is not what was written", c, kind)
			}
		}
		for c, within := range map[string]float64{"pxr24": 1e-4, "b44": 0.02, "b44a": 0.02, "dwaa": 0.2, "dwab": 0.2} {
			_, got := planes(t, c+"-"+kind)
			_, read := planes(t, c+"-"+kind+"-read")
			// Cosine transforms may be summed in another order: one step of a half.
			step := 0.0
			if strings.HasPrefix(c, "dwa") {
				step = 1.0 / 256
			}
			if d := furthest(t, c, got, read); d > step {
				t.Errorf("%s of %s differs by %g from what its writer reads", c, kind, d)
			}
			if d := furthest(t, c, got, truth); d > within {
				t.Errorf("%s of %s is %g off what was written", c, kind, d)
			}
		}
	}
	_, flat := planes(t, "flat-b44a")
	if flat["R"][777] != 0.25 || flat["G"][3] != 0.5 || flat["B"][1599] != 0.75 {
		t.Error("flat blocks of B44A are wrong")
	}
	_, a := planes(t, "uint-zip")
	_, b := planes(t, "uint-piz")
	if furthest(t, "uint", b, a) != 0 || a["id"][0] == 0 {
		t.Errorf("whole numbers differ, or are none: %v", a["id"][:4])
	}
}

func TestTilesAndPyramids(t *testing.T) {
	_, half := planes(t, "plain-half")
	_, pxr := planes(t, "pxr24-float")
	_, dwa := planes(t, "tiles-dwaa-read")
	for name, want := range map[string]map[string][]float32{"tiles-zip": half, "tiles-piz": half, "tiles-pxr24": pxr, "tiles-dwaa": dwa} {
		_, got := planes(t, name)
		if d := furthest(t, name, got, want); d > 1.0/256 {
			t.Errorf("%s is %g off", name, d)
		}
	}
	f, got := planes(t, "mip-zip")
	if f.Parts[0].levels != 1 {
		t.Fatal("the pyramid is none")
	}
	delete(got, "A") // its writer clamps alpha
	color := map[string][]float32{"R": half["R"], "G": half["G"], "B": half["B"]}
	if d := furthest(t, "mip", got, color); d != 0 {
		t.Errorf("the largest level is %g off", d)
	}
}

func TestLayersAndParts(t *testing.T) {
	_, half := planes(t, "plain-half")
	for name, want := range map[string]string{"layers": "[0: R G B] [0:N X Y Z] [0:roughness Y]", "parts": "[0:base R G B A] [1:height Y]"} {
		f := load(t, name)
		var says []string
		for _, l := range f.Layers() {
			s := fmt.Sprintf("[%d:%s", l.Part, l.Name)
			for _, c := range l.Channels {
				n := f.Parts[l.Part].Channels[c].Name
				s += " " + n[strings.LastIndexByte(n, '.')+1:]
			}
			says = append(says, s+"]")
			im, err := f.Image(l, nil)
			if err != nil {
				t.Fatalf("%s %s: %v", name, l.Name, err)
			}
			first := map[string]string{"": "R", "N": "R", "roughness": "A", "base": "R", "height": "A"}[l.Name]
			for i, v := range half[first] {
				if im.Floats(0)[i] != v {
					t.Fatalf("%s, layer %q: sample %d is %v, want %v", name, l.Name, i, im.Floats(0)[i], v)
				}
			}
		}
		if got := strings.Join(says, " "); got != want {
			t.Errorf("%s: %s, want %s", name, got, want)
		}
	}
}

func TestDataWindowApartFromDisplayWindow(t *testing.T) {
	_, half := planes(t, "plain-half")
	f, got := planes(t, "window")
	p := f.Parts[0]
	if p.W != 80 || p.H != 50 {
		t.Fatalf("%d × %d", p.W, p.H)
	}
	for _, at := range []struct{ x, y int }{{0, 0}, {9, 20}, {10, 0}, {76, 39}, {77, 10}, {30, 45}} {
		want := float32(0)
		if sx, sy := at.x-10, at.y+5; sx >= 0 && sx < 67 && sy < 45 {
			want = half["G"][sy*67+sx]
		}
		if v := got["G"][at.y*80+at.x]; v != want {
			t.Errorf("at %v: %v, want %v", at, v, want)
		}
	}
}

func TestDensity(t *testing.T) {
	if d := load(t, "density").Parts[0].Density; math.Abs(d[0]-300/0.0254) > 1 {
		t.Errorf("%v px/m", d)
	}
}

func TestRoundTrip(t *testing.T) {
	for n := 1; n <= 4; n++ {
		for _, kind := range []Type{Half, Float} {
			im := &raster.Image{W: 33, H: 21, Bits: 32}
			for c := range n {
				p := make([]float32, 33*21)
				for i := range p {
					p[i] = float32(i*(c+1)%97)/64 - 0.25
				}
				im.Planes = append(im.Planes, raster.Floats(p))
			}
			var b bytes.Buffer
			if err := Encode(&b, im, Options{Type: kind, Compression: ZIP, Density: [2]float64{2000, 1000}}); err != nil {
				t.Fatal(err)
			}
			got, f, err := Decode(b.Bytes())
			if err != nil {
				t.Fatal(err)
			}
			if d := f.Parts[0].Density; math.Abs(d[0]-2000) > 0.01 || math.Abs(d[1]-1000) > 0.01 {
				t.Errorf("density %v", d)
			}
			for c := range n {
				for i, v := range im.Floats(c) {
					if got.Floats(c)[i] != v { // all of these are halves
						t.Fatalf("%d components of type %d: component %d, sample %d is %v, want %v", n, kind, c, i, got.Floats(c)[i], v)
					}
				}
			}
		}
	}
}

func TestDamageIsToldApart(t *testing.T) {
	data, _ := os.ReadFile("testdata/piz-half.exr")
	for name, f := range map[string]func([]byte) []byte{
		"cut":       func(d []byte) []byte { return d[:len(d)*2/3] },
		"no header": func(d []byte) []byte { return d[:6] },
		"deep":      func(d []byte) []byte { d[5] |= 8; return d },
		"flipped":   func(d []byte) []byte { d[len(d)-500] ^= 0x55; d[len(d)-900] ^= 0xff; return d },
	} {
		if _, _, err := Decode(f(bytes.Clone(data))); err == nil && name != "flipped" {
			t.Errorf("%s: no error", name)
		} else if err != nil && (len(err.Error()) < 10 || strings.Contains(err.Error(), "EOF")) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func FuzzDecode(f *testing.F) {
	all, _ := filepath.Glob("testdata/*.exr")
	for _, name := range all {
		if strings.Contains(name, "read") {
			continue
		}
		data, err := os.ReadFile(name)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(data)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		file, err := Open(data)
		if err != nil {
			return
		}
		for _, l := range file.Layers() {
			if file.Parts[l.Part].W*file.Parts[l.Part].H > 1<<20 {
				return
			}
			file.Image(l, nil)
		}
	})
}

func BenchmarkDecode(b *testing.B) {
	im := &raster.Image{W: 1024, H: 1024, Bits: 32}
	for c := range 3 {
		p := make([]float32, 1024*1024)
		for i := range p {
			p[i] = float32((i*7919+c)%1021) / 1021
		}
		im.Planes = append(im.Planes, raster.Floats(p))
	}
	var buf bytes.Buffer
	Encode(&buf, im, Options{Type: Half, Compression: ZIP})
	b.SetBytes(1024 * 1024 * 6)
	for b.Loop() {
		if _, _, err := Decode(buf.Bytes()); err != nil {
			b.Fatal(err)
		}
	}
}

// Every compression that is written gives the samples back.
func TestCompressionsThatAreWritten(t *testing.T) {
	im := raster.NewFloat(53, 41, 3, 32)
	for c := range 3 {
		for i := range im.Floats(c) {
			im.Floats(c)[i] = float32(i/19) / 64
			if i%5 == 0 && c == 1 {
				im.Floats(c)[i] = float32(i)
			}
		}
	}
	for _, k := range []Compression{None, RLE, ZIPS, ZIP} {
		for _, kind := range []Type{Half, Float} {
			var b bytes.Buffer
			if err := Encode(&b, im, Options{Type: kind, Compression: k}); err != nil {
				t.Fatal(err)
			}
			f, err := Open(b.Bytes())
			if err != nil {
				t.Fatal(err)
			}
			got, err := f.Read(0, nil, nil)
			if err != nil || f.Parts[0].Compression != k {
				t.Fatalf("compression %d: %v", k, err)
			}
			for c, name := range []string{"B", "G", "R"} {
				for i, v := range im.Floats(2 - c) {
					if kind == Half {
						v = raster.Half(raster.ToHalf(v))
					}
					if got[c][i] != v {
						t.Fatalf("compression %d: %s of sample %d is %v, want %v", k, name, i, got[c][i], v)
					}
				}
			}
		}
	}
	if err := Encode(new(bytes.Buffer), im, Options{Compression: PIZ}); err == nil {
		t.Error("PIZ was written")
	}
}

// Colours come apart from their alpha whether a writer has multiplied them or not, and data stays as it is.
func TestAlphaIsAssociated(t *testing.T) {
	colours := raster.NewFloat(64, 64, 4, 32)
	r := rand.New(rand.NewPCG(3, 4))
	for i := range 64 * 64 {
		for c := range 3 {
			colours.Floats(c)[i] = 0.2 + 0.7*r.Float32()
		}
		colours.Floats(3)[i] = []float32{1, 0.5, 0.02, 1}[i%4]
	}
	for _, associate := range []bool{true, false} {
		var b bytes.Buffer
		if err := Encode(&b, colours, Options{Type: Float, Compression: ZIP, Associate: associate}); err != nil {
			t.Fatal(err)
		}
		f, err := Open(b.Bytes())
		if err != nil {
			t.Fatal(err)
		}
		planes, err := f.Read(0, nil, nil)
		if err != nil {
			t.Fatal(err)
		}
		im := f.Of(f.Layers()[0], planes)
		for c := range 4 {
			for i, v := range im.Floats(c) {
				if want := colours.Floats(c)[i]; math.Abs(float64(v-want)) > 1e-6 {
					t.Fatalf("associate %v: component %d of pixel %d is %v, want %v", associate, c, i, v, want)
				}
			}
		}
		stored := map[string][]float32{}
		for i, ch := range f.Parts[0].Channels {
			stored[ch.Name] = planes[i]
		}
		want := colours.Floats(0)[1]
		if associate {
			want *= 0.5
		}
		if v := stored["R"][1]; math.Abs(float64(v-want)) > 1e-6 {
			t.Errorf("associate %v: %v is stored, want %v", associate, v, want)
		}
	}
}
