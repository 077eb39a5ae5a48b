package colour

// Grade changes a colour by ASC CDL (version 1.2): out = (in·Slope + Offset)^Power for each
// component, then Saturation about the Rec. 709 luma. Negative results of the first step are 0.
type Grade struct {
	Slope      [3]float64 `json:"slope"`
	Offset     [3]float64 `json:"offset"`
	Power      [3]float64 `json:"power"`
	Saturation float64    `json:"saturation"`
}

// NoGrade changes nothing.
func NoGrade() Grade {
	return Grade{Slope: [3]float64{1, 1, 1}, Power: [3]float64{1, 1, 1}, Saturation: 1}
}

// Apply grades one colour.
func (g Grade) Apply(c RGB) RGB {
	for i, v := range c {
		v = max(v*float32(g.Slope[i])+float32(g.Offset[i]), 0)
		if p := float32(g.Power[i]); p != 1 {
			v = pow(v, p)
		}
		c[i] = v
	}
	if s := float32(g.Saturation); s != 1 {
		y := Luminance(c)
		for i, v := range c {
			c[i] = max(y+(v-y)*s, 0)
		}
	}
	return c
}
