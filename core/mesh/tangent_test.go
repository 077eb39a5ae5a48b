package mesh

import (
	"encoding/json"
	"math"
	"os"
	"testing"

	"aldermoor/core/geom"
)

// Tangents are those of a port of the reference implementation: e2e/tangents.mjs.
func TestTangentsAreTheReferences(t *testing.T) {
	var want struct{ Positions, Normals, UVs, Tangents []float32 }
	data, err := os.ReadFile("testdata/tangents.json")
	if err != nil {
		t.Fatal(err)
	}
	if err := json.Unmarshal(data, &want); err != nil {
		t.Fatal(err)
	}
	var m Mesh
	for i := range len(want.Positions) / 3 { // the reference's coordinates run up
		m.Corners = append(m.Corners, Corner{P: three(want.Positions, i), N: three(want.Normals, i), U: want.UVs[2*i], V: -want.UVs[2*i+1]})
	}
	m.Tangents()
	worst := 0.0
	for i, c := range m.Corners {
		a, b, d := m.Corners[i-i%3], m.Corners[i-i%3+1], m.Corners[i-i%3+2]
		if a.U == b.U && b.U == d.U && a.V == b.V && b.V == d.V {
			continue // without a map, any tangent does: the reference's is always the same, ours a neighbour's
		}
		w := geom.Vec(want.Tangents[4*i], want.Tangents[4*i+1], want.Tangents[4*i+2])
		angle := math.Acos(min(max(float64(c.T.Dot(w)), -1), 1)) * 180 / math.Pi
		worst = max(worst, angle)
		if angle > 0.1 || c.Sign != want.Tangents[4*i+3] {
			t.Errorf("triangle %d corner %d: %v %g, reference %v %g", i/3, i%3, c.T, c.Sign, w, want.Tangents[4*i+3])
		}
	}
	t.Logf("%d triangles, largest difference %.4f°", m.Triangles(), worst)
}
