package exr

import (
	"slices"
	"strings"

	"aldermoor/core/codec/budget"
	"aldermoor/core/codec/fault"
	"aldermoor/core/raster"
)

// Layer is a group of channels that make one picture.
type Layer struct {
	Name     string // "" for the channels without a layer in the only part
	Part     int
	Channels []int // of the part, in the order red, green, blue, alpha or x, y, z
	Type     Type  // the widest of them
}

// rank orders the last parts of channel names within a layer.
var rank = map[string]int{"R": 0, "G": 1, "B": 2, "A": 3, "X": 0, "Y": 1, "Z": 2, "U": 0, "V": 1, "RED": 0, "GREEN": 1, "BLUE": 2, "ALPHA": 3, "RY": 0, "BY": 2}

// Layers are the pictures of a file, each of one to four channels. A channel
// whose name is no component ("roughness", "depth.Z" aside) is a layer of its own.
func (f *File) Layers() []Layer {
	var out []Layer
	for i := range f.Parts {
		p := &f.Parts[i]
		groups := map[string][]int{}
		var order []string
		main := mainFamilies(p.Channels)
		for c, ch := range p.Channels {
			prefix, last := "", ch.Name
			if at := strings.LastIndexByte(ch.Name, '.'); at >= 0 {
				prefix, last = ch.Name[:at], ch.Name[at+1:]
			}
			if chroma(p.Channels, prefix) && (last == "Y" || last == "RY" || last == "BY") {
				// luminance and chroma make one picture
			} else if family := familyOf(last); family == "" {
				prefix = ch.Name
			} else if family != alpha && family != main[prefix] && main[prefix] != "" { // RGBA and Z, for example
				prefix = strings.Trim(prefix+"."+seconds(p.Channels, prefix, family), ".")
			}
			if groups[prefix] == nil {
				order = append(order, prefix)
			}
			groups[prefix] = append(groups[prefix], c)
		}
		for _, prefix := range order {
			l := Layer{Name: prefix, Part: i, Channels: groups[prefix]}
			if len(f.Parts) > 1 && p.Name != "" {
				l.Name = strings.Trim(p.Name+"."+prefix, ".")
			}
			of := func(c int) int {
				n := p.Channels[c].Name
				return rank[strings.ToUpper(n[strings.LastIndexByte(n, '.')+1:])]
			}
			slices.SortStableFunc(l.Channels, func(a, b int) int { return of(a) - of(b) })
			l.Channels = l.Channels[:min(len(l.Channels), 4)]
			for _, c := range l.Channels {
				l.Type = max(l.Type, p.Channels[c].Type)
			}
			out = append(out, l)
		}
	}
	slices.SortStableFunc(out, func(a, b Layer) int { // the main picture first
		return min(len(a.Name), 1) - min(len(b.Name), 1)
	})
	return out
}

// families are names of channels that are the components of one picture, by the one that is
// told by it; the first that a layer has is its main picture.
var families = []struct {
	name  string
	names []string
}{{"RGB", []string{"R", "G", "B", "RED", "GREEN", "BLUE"}}, {"XYZ", []string{"X", "Y", "Z"}}, {"UV", []string{"U", "V"}}, {alpha, []string{"A", "ALPHA"}}}

// chroma says whether a layer holds colours as luminance and chroma.
func chroma(channels []Channel, prefix string) bool {
	if prefix != "" {
		prefix += "."
	}
	n := 0
	for _, c := range channels {
		if c.Name == prefix+"Y" || c.Name == prefix+"RY" || c.Name == prefix+"BY" {
			n++
		}
	}
	return n == 3
}

// alpha is the family of what goes with any other.
const alpha = "A"

// familyOf is the family of a channel's last name; "" if it has none.
func familyOf(last string) string {
	for _, f := range families {
		if slices.Contains(f.names, strings.ToUpper(last)) {
			return f.name
		}
	}
	return ""
}

// seconds names the picture that a layer's further family makes: after its one channel, or
// after the family.
func seconds(channels []Channel, prefix, family string) string {
	var names []string
	for _, ch := range channels {
		last := strings.TrimPrefix(strings.TrimPrefix(ch.Name, prefix), ".")
		if !strings.Contains(last, ".") && familyOf(last) == family {
			names = append(names, last)
		}
	}
	if len(names) == 1 {
		return names[0]
	}
	return family
}

// mainFamilies are the families of the main pictures, by the layers' prefixes.
func mainFamilies(channels []Channel) map[string]string {
	out := map[string]string{}
	for _, f := range families {
		for _, ch := range channels {
			prefix, last := "", ch.Name
			if at := strings.LastIndexByte(ch.Name, '.'); at >= 0 {
				prefix, last = ch.Name[:at], ch.Name[at+1:]
			}
			if f.name != alpha && familyOf(last) == f.name && out[prefix] == "" {
				out[prefix] = f.name
			}
		}
	}
	return out
}

// Image reads one layer.
func (f *File) Image(l Layer, b *budget.Budget) (*raster.Image, error) {
	p := &f.Parts[l.Part]
	names := map[string]bool{}
	for _, c := range l.Channels {
		names[p.Channels[c].Name] = true
	}
	planes, err := f.Read(l.Part, func(c Channel) bool { return names[c.Name] }, b)
	if err != nil {
		return nil, err
	}
	return f.Of(l, planes), nil
}

// Converted says whether Of works out the colours of a layer: by their alpha, or of luminance and chroma.
func (f *File) Converted(l Layer) bool {
	return f.chroma(l) || len(l.Channels)%2 == 0
}

func (f *File) chroma(l Layer) bool {
	return len(l.Channels) >= 3 && strings.HasSuffix(f.Parts[l.Part].Channels[l.Channels[0]].Name, "RY")
}

// Of is a layer by the samples of its part's channels, which it shares, but for colours that were multiplied by
// their alpha.
func (f *File) Of(l Layer, planes [][]float32) *raster.Image {
	p := &f.Parts[l.Part]
	im := &raster.Image{W: p.W, H: p.H, Bits: 32}
	if l.Type == Half {
		im.Bits = 16
	}
	for _, c := range l.Channels {
		im.Planes = append(im.Planes, raster.Floats(planes[c]))
	}
	if f.chroma(l) {
		r, g, b := colours(im.Floats(1), im.Floats(0), im.Floats(2), p.weights())
		im.Planes[0], im.Planes[1], im.Planes[2] = raster.Floats(r), raster.Floats(g), raster.Floats(b)
	}
	if n := len(im.Planes); n == 2 || n == 4 {
		last := p.Channels[l.Channels[n-1]].Name
		if covers := familyOf(last[strings.LastIndexByte(last, '.')+1:]) == alpha; covers && opaque(im.Floats(n-1)) {
			im.Planes = im.Planes[:n-1]
		} else if covers {
			straight(im)
		}
	}
	return im
}

// weights are those of red and blue in the luminance of the part's primaries, those of Rec. 709 if it gives none.
func (p *Part) weights() [2]float64 {
	xy := p.Primaries
	if xy == [8]float64{} {
		return [2]float64{0.2126, 0.0722}
	}
	// The amounts of the primaries that make the white, by Cramer's rule; each has a luminance of 1.
	x := func(c int) [3]float64 {
		y := xy[2*c+1]
		if y == 0 {
			y = 1e-9
		}
		return [3]float64{xy[2*c] / y, 1, (1 - xy[2*c] - y) / y}
	}
	det := func(a, b, c [3]float64) float64 {
		return a[0]*(b[1]*c[2]-b[2]*c[1]) - b[0]*(a[1]*c[2]-a[2]*c[1]) + c[0]*(a[1]*b[2]-a[2]*b[1])
	}
	r, g, b, w := x(0), x(1), x(2), x(3)
	d := det(r, g, b)
	out := [2]float64{det(w, g, b) / d, det(r, g, w) / d}
	if !(out[0] > 0 && out[1] > 0 && out[0]+out[1] < 0.99) {
		return [2]float64{0.2126, 0.0722}
	}
	return out
}

func opaque(p []float32) bool {
	for _, v := range p {
		if v != 1 {
			return false
		}
	}
	return true
}

// Decode reads the main picture of a file.
func Decode(data []byte) (*raster.Image, *File, error) {
	f, err := Open(data)
	if err != nil {
		return nil, nil, err
	}
	l := f.Layers()
	if len(l) == 0 {
		return nil, nil, fault.FormatError("the file has no picture")
	}
	im, err := f.Image(l[0], nil)
	return im, f, err
}
