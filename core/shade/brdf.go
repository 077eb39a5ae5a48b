package shade

import (
	"math"

	"aldermoor/core/geom"
	"aldermoor/core/raster"
)

// tabulate integrates the specular lobe for F0 = 1 and 0 over a white
// environment: the second half of the split sum.
func (l *Lighting) tabulate() {
	const n = 512
	raster.Rows(tableSize, func(from, to int) { l.tabulateRows(from, to, n) })
}

// tabulateRows fills rows of the table, by n samples each.
func (l *Lighting) tabulateRows(from, to, n int) {
	for i := from; i < to; i++ {
		nv := (float32(i) + 0.5) / tableSize
		view := geom.V3{sqrt(1 - nv*nv), 0, nv}
		for j := range tableSize {
			r := max(float32(j)/(tableSize-1), 0.02)
			a := r * r
			var scale, bias float32
			for s := range n {
				u, v := hammersley(s, n)
				half := lobe(u, v, a)
				vh := view.Dot(half)
				light := half.Scale(2 * vh).Add(view.Scale(-1))
				if light[2] <= 0 || vh <= 0 {
					continue
				}
				g := smith(nv, light[2], a) * 4 * light[2] * vh * nv / (half[2] * nv)
				f := fifth(1 - vh)
				scale += (1 - f) * g
				bias += f * g
			}
			l.split[i][j] = [2]float32{scale / float32(n), bias / float32(n)}
		}
	}
}

func (l *Lighting) splitSum(nv, roughness float32) (scale, bias float32) {
	x := min(max(nv*tableSize-0.5, 0), tableSize-1.001)
	y := min(max(roughness*(tableSize-1), 0), tableSize-1.001)
	i, j := int(x), int(y)
	fx, fy := x-float32(i), y-float32(j)
	a, b, c, d := l.split[i][j], l.split[i+1][j], l.split[i][j+1], l.split[i+1][j+1]
	lerp := func(k int) float32 {
		return (a[k]*(1-fx)+b[k]*fx)*(1-fy) + (c[k]*(1-fx)+d[k]*fx)*fy
	}
	return lerp(0), lerp(1)
}

// smith is the height-correlated visibility G/(4·nl·nv) (Walter et al. 2007;
// Heitz 2014), α = roughness².
func smith(nv, nl, a float32) float32 {
	a2 := a * a
	gv := nl * sqrt(nv*nv*(1-a2)+a2)
	gl := nv * sqrt(nl*nl*(1-a2)+a2)
	return 0.5 / max(gv+gl, 1e-6)
}

func fifth(v float32) float32 { return v * v * v * v * v }

func ggx(nh, a float32) float32 {
	a2 := a * a
	d := nh*nh*(a2-1) + 1
	return a2 / (math.Pi * d * d)
}

// point is what is known of the surface where a ray meets it.
type point struct {
	color, emission     geom.V3
	specular            geom.V3 // reflectance at normal incidence where it is no metal
	normal, view        geom.V3
	roughness, metallic float32
	occlusion, sunlit   float32
}

// glint is the most that a surface sends back of the sun, against a white one: what is brighter is
// a mirror image of it, and would only sparkle.
const glint = 128

// light is the radiance that leaves the point towards the viewer.
func (l *Lighting) light(p point) geom.V3 {
	n := p.normal
	nv := n.Dot(p.view)
	if nv < 0.02 { // a normal that looks away is bent back to the rim
		n = n.Add(p.view.Scale(0.02 - nv)).Unit()
		nv = max(n.Dot(p.view), 0.02)
	}
	rough := min(max(p.roughness, 0.045), 1)
	a := rough * rough
	f0 := geom.Mix(p.specular, p.color, p.metallic)
	diffuse := p.color.Scale(1 - p.metallic)

	// Environment: single scattering, then what multiple scattering gives back
	// (Fdez-Agüera 2019).
	scale, bias := l.splitSum(nv, rough)
	ess := scale + bias
	var single, multi, kd geom.V3
	for i := range 3 {
		single[i] = f0[i]*scale + bias
		avg := f0[i] + (1-f0[i])/21
		multi[i] = single[i] * avg / (1 - avg*(1-ess)) * (1 - ess)
		kd[i] = diffuse[i] * (1 - single[i] - multi[i])
	}
	irr := l.irradiance(n)
	refl := n.Scale(2 * nv).Add(p.view.Scale(-1))
	// Hollows see less of the environment in the mirror direction too (Lagarde 2014).
	specOcc := float32(1)
	if p.occlusion < 0.999 {
		specOcc = min(max(pow(nv+p.occlusion, float32(math.Exp2(float64(-16*rough-1))))-1+p.occlusion, 0), 1)
	}
	out := single.Times(l.reflected(refl, rough)).Scale(specOcc).
		Add(multi.Add(kd).Times(irr).Scale(p.occlusion))

	// The sun.
	if nl := n.Dot(l.sun); nl > 0 && p.sunlit > 0 {
		half := l.sun.Add(p.view).Unit()
		nh, vh := n.Dot(half), p.view.Dot(half)
		spec := ggx(nh, max(a, 0.01)) * smith(nv, nl, a) * math.Pi
		var c geom.V3
		for i := range 3 {
			f := f0[i] + (1-f0[i])*fifth(1-vh)
			c[i] = kd[i] + min(f*spec*(1+f0[i]*(1/max(ess, 0.1)-1)), glint)
		}
		out = out.Add(c.Times(l.sunLight).Scale(nl * p.sunlit))
	}
	return out.Add(p.emission)
}

// Tone is the one curve from light to display light: unchanged up to 0.6, then
// an exponential shoulder that reaches 1 at infinity, with a steady slope where
// they meet. A browser that shows the same material must use the same.
func Tone(v float32) float32 {
	const knee = 0.6
	if v <= knee {
		return max(v, 0)
	}
	return knee + (1-knee)*(1-float32(math.Exp(float64(-(v-knee)/(1-knee)))))
}
