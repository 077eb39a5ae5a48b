package handoff

import (
	"fmt"
	"regexp"
	"strings"
	"testing"

	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
)

var namedMaps = regexp.MustCompile(`maps/[a-z0-9_-]+\.(png|exr)`)

// In every form of a handoff each description names the same channels, each by a file that
// is there and that its readers open; where PNG stands in for EXR, both hold the same.
func TestDescriptionsNameTheSameMaps(t *testing.T) {
	m, src := scanned(t, "slates_round", 64)
	height := raster.New(64, 64, 1, 16)
	for i := range height.Ints(0) {
		height.Ints(0)[i] = uint16(i * 16)
	}
	src[material.Height], src[material.Metallic], src[material.Emissive] = height, src[material.Roughness], src[material.BaseColor]
	for _, c := range []material.Channel{material.Height, material.Metallic, material.Emissive} {
		m.Put(material.Source{Channel: c, Map: &material.Map{Blob: string(c), Component: "rgb", Width: 64, Height: 64, Bits: src[c].Bits}})
	}
	for i := range 8 {
		p := usual{Direction: normals.Up, Gloss: i&1 != 0, EXR: i&2 != 0}
		if i&4 != 0 {
			p.Direction = normals.Down
		}
		t.Run(fmt.Sprintf("%s gloss %t exr %t", p.Direction, p.Gloss, p.EXR), func(t *testing.T) {
			files := written(t, m, p)
			for doc, want := range map[string]int{"slates_round.mtlx": 7, "slates_round.usda": 8, "slates_round.gltf": 4} {
				names := map[string]bool{}
				for _, n := range namedMaps.FindAllString(string(files[doc]), -1) {
					names[n] = true
					if files[n] == nil {
						t.Errorf("%s names %s, which is not there", doc, n)
					}
					if doc == "slates_round.gltf" && strings.HasSuffix(n, ".exr") {
						t.Errorf("%s names %s, which not every reader of it opens", doc, n)
					}
					if doc == "slates_round.mtlx" && p.EXR && p.Direction == normals.Up && strings.HasSuffix(n, ".png") {
						t.Errorf("%s names the stand-in %s", doc, n)
					}
				}
				if len(names) != want {
					t.Errorf("%s names %d maps, want %d: %v", doc, len(names), want, names)
				}
			}
		})
	}
}
