package colour

import (
	"encoding/binary"
	"math"
	"testing"

	"aldermoor/core/raster"
)

// sameMatrix compares matrices.
func sameMatrix(t *testing.T, what string, got [9]float64, want [9]float64) {
	t.Helper()
	for i := range got {
		if math.Abs(got[i]-want[i]) > 0.002 {
			t.Errorf("%s: %.4f, want %.4f", what, got, want)
			return
		}
	}
}

// The published matrices of two wide gamuts to linear sRGB.
var (
	wide1998 = [9]float64{1.3984, -0.3984, 0, 0, 1, 0, 0, -0.0429, 1.0429}
	wideP3   = [9]float64{1.2249, -0.2249, 0, -0.0421, 1.0421, 0, -0.0196, -0.0786, 1.0983}
)

func TestPrimaries(t *testing.T) {
	for name, c := range map[string]struct {
		xy   [8]float64
		want [9]float64
	}{
		"1998": {[8]float64{0.64, 0.33, 0.21, 0.71, 0.15, 0.06, 0.3127, 0.3290}, wide1998},
		"P3":   {[8]float64{0.680, 0.320, 0.265, 0.690, 0.150, 0.060, 0.3127, 0.3290}, wideP3},
	} {
		g, plain, ok := FromPrimaries(c.xy)
		if !ok || plain {
			t.Errorf("%s: ok %v, plain %v", name, ok, plain)
		}
		sameMatrix(t, name, g.Matrix, c.want)
	}
	if _, plain, ok := FromPrimaries([8]float64{0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290}); !ok || !plain {
		t.Errorf("sRGB's own primaries: ok %v, plain %v", ok, plain)
	}
	for _, bad := range [][8]float64{{}, {0.3, 0.3, 0.3, 0.3, 0.3, 0.3, 0.3, 0.3}, {math.NaN(), 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329}} {
		if _, _, ok := FromPrimaries(bad); ok {
			t.Errorf("%v span a gamut", bad)
		}
	}
}

// profile is an ICC profile of primaries under D50 and a curve, or one for each of them.
func profile(xyz [9]float64, curve []byte, others ...[]byte) []byte {
	p := make([]byte, 128)
	copy(p[16:], "RGB XYZ ")
	names := []string{"rXYZ", "gXYZ", "bXYZ", "rTRC", "gTRC", "bTRC"}
	p = binary.BigEndian.AppendUint32(p, uint32(len(names)))
	var data []byte
	at := 132 + 12*len(names)
	for i, name := range names {
		body := append([]byte(nil), curve...)
		if i > 3 && len(others) > 0 {
			body = append([]byte(nil), others[i-4]...)
		}
		if i < 3 {
			body = append([]byte("XYZ "), 0, 0, 0, 0)
			for r := range 3 {
				body = binary.BigEndian.AppendUint32(body, uint32(int32(math.Round(xyz[3*r+i]*65536))))
			}
		}
		p = append(p, name...)
		p = binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(p, uint32(at+len(data))), uint32(len(body)))
		data = append(data, body...)
	}
	return append(p, data...)
}

func gammaCurve(g float64) []byte {
	return binary.BigEndian.AppendUint16([]byte("curv\x00\x00\x00\x00\x00\x00\x00\x01"), uint16(math.Round(g*256)))
}

func parametric(kind uint16, v ...float64) []byte {
	b := append(binary.BigEndian.AppendUint16([]byte("para\x00\x00\x00\x00"), kind), 0, 0)
	for _, x := range v {
		b = binary.BigEndian.AppendUint32(b, uint32(int32(math.Round(x*65536))))
	}
	return b
}

func tableCurve() []byte {
	linear, _ := Curves()
	b := binary.BigEndian.AppendUint32([]byte("curv\x00\x00\x00\x00"), 1024)
	for i := range 1024 {
		b = binary.BigEndian.AppendUint16(b, uint16(math.Round(65535*float64(linear(float32(i)/1023)))))
	}
	return b
}

func TestProfiles(t *testing.T) {
	xyz1998 := [9]float64{0.60974, 0.20528, 0.14919, 0.31111, 0.62567, 0.06322, 0.01947, 0.06087, 0.74457}
	xyzSRGB := [9]float64{0.43607, 0.38515, 0.14307, 0.22249, 0.71687, 0.06061, 0.01392, 0.09708, 0.71410}
	g, plain, ok := ParseICC(profile(xyz1998, gammaCurve(2.19921875)))
	if !ok || plain || math.Abs(g.Curve.Light(0.5)-math.Pow(0.5, 2.19921875)) > 1e-4 {
		t.Errorf("ok %v, plain %v, %+v", ok, plain, g.Curve)
	}
	sameMatrix(t, "1998", g.Matrix, wide1998)
	for name, curve := range map[string][]byte{"table": tableCurve(), "parametric": parametric(3, 2.4, 1/1.055, 0.055/1.055, 1/12.92, 0.04045)} {
		if _, plain, ok := ParseICC(profile(xyzSRGB, curve)); !ok || !plain {
			t.Errorf("sRGB by a %s: ok %v, plain %v", name, ok, plain)
		}
	}
	if g, plain, ok := ParseICC(profile(xyzSRGB, gammaCurve(1.8))); !ok || plain || g.Curve.G != 1.80078125 {
		t.Errorf("another curve: ok %v, plain %v, %+v", ok, plain, g)
	}
	// A calibrated monitor's profile: each primary has a curve of its own.
	g, plain, ok = ParseICC(profile(xyzSRGB, gammaCurve(2.25), gammaCurve(2), gammaCurve(1.75)))
	if !ok || plain {
		t.Fatalf("three curves: ok %v, plain %v", ok, plain)
	}
	half := raster.FromPlanes(float3(0.5), float3(0.5), float3(0.5)).Quantise(16)
	_, encode := Curves()
	for c, gamma := range []float64{2.25, 2, 1.75} {
		if got, want := g.Convert(half, false).Planes[c].At(0), encode(float32(math.Pow(0.5, gamma))); math.Abs(float64(got-want)) > 0.002 {
			t.Errorf("three curves: component %d is %.4f, want %.4f", c, got, want)
		}
	}
	whole := profile(xyz1998, gammaCurve(2.2))
	for n := range len(whole) { // cut off anywhere: no panic
		ParseICC(whole[:n])
	}
	grey := append([]byte(nil), whole...)
	copy(grey[16:], "GRAY")
	if _, _, ok := ParseICC(grey); ok {
		t.Error("a grey profile is converted")
	}
}

func float3(v float32) raster.Plane { return raster.Plane{W: 1, H: 1, Pix: []float32{v}} }

// A colour that went out by the profile comes back; floats keep their strength.
func TestConvert(t *testing.T) {
	g := Gamut{Curve: Curve{G: 2.19921875, A: 1}, Matrix: wide1998}
	inv, _ := inverse(g.Matrix)
	linear, _ := Curves()
	im := raster.New(8, 8, 3, 16)
	var want [64][3]float64
	for i := range 64 {
		srgb := [3]float64{0.2 + 0.6*float64(i%8)/7, 0.3 + 0.4*float64(i/8)/7, 0.5}
		var light [3]float64
		for c, v := range srgb {
			light[c] = float64(linear(float32(v)))
		}
		want[i] = srgb
		for c, v := range apply(inv, light) {
			im.Ints(c)[i] = uint16(math.Round(65535 * math.Pow(min(max(v, 0), 1), 1/2.19921875)))
		}
	}
	got := g.Convert(im, false)
	for i, w := range want {
		for c := range 3 {
			if d := math.Abs(float64(got.Planes[c].At(i)) - w[c]); d > 0.002 {
				t.Fatalf("pixel %d, component %d: off by %.4f", i, c, d)
			}
		}
	}
	// Light that is stored in integers stays light.
	small := raster.FromPlanes(float3(0.5), float3(0.25), float3(0.125)).Quantise(16)
	if back := (&Gamut{Matrix: [9]float64{1, 0, 0, 0, 1, 0, 0, 0, 1}}).Convert(small, true); !back.Float() || math.Abs(float64(back.Planes[1].At(0))-0.25) > 1e-4 {
		t.Errorf("light of 0.25 became %v", back.Planes[1].At(0))
	}
	float := raster.NewFloat(1, 1, 3, 32)
	for c := range 3 {
		float.Floats(c)[0] = 5
	}
	if white := (&Gamut{Matrix: wideP3}).Convert(float, true); math.Abs(float64(white.Planes[0].At(0))-5) > 0.01 || math.Abs(float64(white.Planes[1].At(0))-5) > 0.01 {
		t.Errorf("white of 5 is %v %v", white.Planes[0].At(0), white.Planes[1].At(0))
	}
}
