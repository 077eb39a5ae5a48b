package station

import (
	"math"

	"aldermoor/core/colour"
)

// Metals, with what grows on them.

var (
	copperTone = colours("#8a4f33", "#b4714a", "#c9885c")
	patina     = colours("#2f6a5e", "#4f9383", "#79b3a2", "#a3cdbd")
	rustTone   = colours("#2c1610", "#5a2a18", "#8a4322", "#b0662f")
)

func verdigris(p patch, u, v float64) texel {
	const seams = 4
	x := math.Mod(u*seams, 1) - 0.5
	fold := math.Abs(x) * p.w / seams
	ridge := smooth(0.016, 0.009, fold)
	cloud := p.fbm(u, v, 0.7, 6, 1)
	runs := p.streaks(u, v, 36, 3, 4, 2)
	fine := p.fbm(u, v, 0.02, 4, 3)
	dents := p.fbm(u, v, 0.35, 3, 4)
	green := smooth(-0.22, 0.12, cloud*1.1+0.35*runs+0.12*fine+0.10-0.35*smooth(0.03, 0.01, fold))
	t := texel{opaque: 1}
	t.height = 0.018*round(ridge*0.5, 0.5) + 0.0022*dents + 0.00035*green*(1+fine)
	bare := dim(copperTone.at(0.30+0.45*fine+0.3*runs), 0.95)
	brown := smooth(-0.5, 0.2, cloud+0.2*fine) * (1 - green)
	metal := tint(bare, colour.Hex("#5a3a2a"), 0.65*brown)
	salt := dim(patina.at(0.50+0.42*cloud+0.28*runs+0.18*fine), 0.92+0.08*fine)
	t.color = tint(metal, salt, green)
	t.metal = clamp(1 - 1.1*green - 0.25*brown)
	t.rough = clamp(lerp(0.34+0.12*fine+0.18*brown, 0.80+0.08*fine, green))
	return t
}

func lead(p patch, u, v float64) texel {
	const rolls = 2
	x := (math.Mod(u*rolls, 1) - 0.5) * p.w / rolls
	r := 0.030
	roll := 0.0
	if a := math.Abs(x) / r; a < 1 {
		roll = math.Sqrt(1 - a*a)
	}
	lap := smooth(0.0005, -0.0005, math.Abs(x-0.042)-0.0003) // the covering sheet's edge
	soft := p.fbm(u, v, 0.30, 4, 1)
	fine := p.fbm(u, v, 0.02, 4, 2)
	beat := p.cells(u, v, 34, 34, 0.9, 3)
	t := texel{opaque: 1}
	sheet := smooth(0.043, 0.0415, x) * smooth(-0.2, -0.1, x)
	t.height = 0.034*roll + 0.0028*soft + 0.0006*smooth(0.03, 0, beat.d1) + 0.00012*fine + 0.0025*sheet - 0.001*lap
	oxide := smooth(-0.3, 0.4, p.streaks(u, v, 24, 4, 5, 5)+0.2*fine)
	c := tint(colour.Hex("#8b9097"), colour.Hex("#b3b7b9"), oxide)
	c = tint(c, colour.Hex("#6b6c70"), 0.5*smooth(0.0, 0.6, p.fbm(u, v, 0.5, 5, 6)))
	t.color = dim(c, 0.95+0.08*fine)
	t.metal = clamp(0.95 - 0.45*oxide)
	t.rough = clamp(0.44 + 0.24*oxide + 0.06*fine)
	return t
}

func sluice(p patch, u, v float64) texel {
	const n = 2
	g := p.bond(u, v, n, n, 0, 1)
	fine := p.fbm(u, v, 0.012, 4, 2)
	cloud := p.fbm(u, v, 0.4, 6, 3)
	runs := p.streaks(u, v, 60, 4, 4, 4)
	t := texel{opaque: 1}
	h := 0.004*smooth(0, 0.002, g.edge-0.001) + 0.0015*cloud
	// Straps with two rows of rivets over each joint.
	bx, by := g.w/2-math.Abs(g.x), g.h/2-math.Abs(g.y)
	strap := max(smooth(0.062, 0.060, bx), smooth(0.062, 0.060, by))
	h += 0.008 * strap
	rivet := 0.0
	pitch := g.w / 8
	for _, d := range [][2]float64{{bx, g.y}, {by, g.x}} {
		s := math.Mod(d[1]/pitch+100.5, 1) - 0.5
		rr := math.Hypot(d[0]-0.034, s*pitch)
		rivet = max(rivet, round(0.0155-rr, 0.0155))
	}
	h += 0.009 * rivet
	hollow := smooth(0.019, 0.0155, 0.0155*(1-rivet)) * (1 - rivet)
	rusty := smooth(0.16, 0.34, cloud+0.30*runs+0.16*fine+0.25*smooth(0.008, 0, math.Abs(min(bx, by)-0.061))+0.12*hollow*strap)
	flake := smooth(0.35, 0.7, p.fbm(u, v, 0.05, 4, 7)) * rusty
	t.height = h + 0.0006*rusty*fine - 0.0007*flake + 0.0002*fine
	paint := tint(colour.Hex("#3c4a45"), colour.Hex("#52625a"), 0.5+0.6*runs)
	c := tint(paint, rustTone.at(0.45+0.45*fine+0.4*p.fbm(u, v, 0.08, 4, 8)), rusty)
	c = tint(c, colour.Hex("#8f5a30"), 0.35*smooth(0.15, 0.6, runs)*(1-rusty))
	t.color = dim(c, 0.94+0.08*fine)
	worn := smooth(0.75, 0.97, rivet) * smooth(-0.1, 0.4, cloud)
	t.color = tint(t.color, colour.Hex("#9a9a98"), 0.8*worn)
	t.metal = 0.9 * worn
	t.rough = clamp(lerp(0.42+0.10*fine, 0.86+0.06*fine, rusty) - 0.12*worn)
	return t
}

func rust(p patch, u, v float64) texel {
	cloud := p.fbm(u, v, 0.22, 6, 1)
	fine := p.fbm(u, v, 0.01, 5, 2)
	scab := p.cells(u+0.02*p.fbm(u, v, 0.05, 3, 4), v+0.02*p.fbm(u, v, 0.05, 3, 5), 16, 16, 1, 3)
	lift := smooth(-0.1, 0.35, cloud) * round(scab.edge, 0.010)
	pit := smooth(0.2, 0.6, p.fbm(u, v, 0.02, 4, 6))
	bare := smooth(0.12, 0.30, -cloud+0.15*fine-0.05)
	t := texel{opaque: 1}
	t.height = 0.0019*lift*(0.5+chance(scab.id, 1)) + 0.0009*cloud + 0.00035*fine - 0.0008*pit*(1-bare)
	c := rustTone.at(0.30 + 0.45*cloud + 0.35*fine + 0.25*(chance(scab.id, 2)-0.5) + 0.15*lift)
	iron := dim(colour.Hex("#b3b0ab"), 0.90+0.12*fine)
	t.color = tint(c, iron, bare*0.85)
	t.metal = clamp(bare * 1.05)
	t.rough = clamp(lerp(0.86+0.08*fine, 0.38+0.12*fine, bare))
	return t
}

func grating(p patch, u, v float64) texel {
	const n = 6
	g := p.bond(u, v, n, n, 0.5, 1)
	a := math.Max(math.Abs(g.x)*1.0, math.Abs(g.y)*1.0)
	slot := math.Pow(math.Pow(math.Abs(g.x), 4)+math.Pow(math.Abs(g.y)*1.15, 4), 0.25)
	_ = a
	bar := slot - 0.031 // metres of metal beside the opening; negative in the hole
	fine := p.fbm(u, v, 0.006, 4, 2)
	cloud := p.fbm(u, v, 0.15, 5, 3)
	solid := smooth(-0.0006, 0.0006, bar)
	t := texel{}
	t.opaque = solid
	boss := p.bond(u+0.5/n, v, n, n, 0.5, 1)
	stud := round(0.007-math.Hypot(boss.x, boss.y), 0.006)
	t.height = solid*(0.012*round(bar, 0.008)+0.0025*stud+0.0005*cloud+0.00025*fine) - 0.004*(1-solid)
	worn := smooth(0.55, 0.98, round(bar, 0.010)) * smooth(-0.35, 0.3, cloud+0.15*fine)
	c := tint(rustTone.at(0.22+0.4*cloud+0.3*fine), colour.Hex("#85827d"), worn)
	t.color = dim(c, 0.5+0.5*smooth(0, 0.006, bar))
	t.metal = clamp(worn)
	t.rough = clamp(0.80 - 0.40*worn + 0.10*fine)
	return t
}
