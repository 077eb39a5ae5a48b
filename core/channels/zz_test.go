package channels
import ("testing";"aldermoor/core/material")
func TestZZ(t *testing.T) {
	s := looksOf(t, "slates_round")
	render := pixelsOf(3, 8, func(x, y float64, c int) float64 {
		if (x-0.5)*(x-0.5)+(y-0.5)*(y-0.5) < 0.16 {
			return 0.3 + 0.4*x*y + 0.1*float64(c)
		}
		return 0.9
	})
	for _, set := range Sort([]File{{"s/s_col.png", s[material.BaseColor]}, {"s/s_nrm.png", s[material.Normal]}, {"s/s.png", render}}) {
		t.Log(set.Name)
		for _, m := range set.Maps { t.Log(m.File, m.Channel, m.Confidence, m.Component, m.Look.Border) }
	}
}
