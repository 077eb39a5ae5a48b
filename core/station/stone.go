package station

import (
	"math"

	"aldermoor/core/colour"
)

// Masonry, stone and ground.

var (
	lime      = colours("#8d8676", "#c9c2b0", "#e2dccb", "#ece8db")
	slateTone = colours("#4b525c", "#5d6670", "#6d757c", "#7d8387", "#6a6a75")
	mudTone   = colours("#3f372c", "#5b5143", "#776a57", "#938771")
	pebbles   = colours("#4a443d", "#7b7064", "#9a8b74", "#b7ab97", "#6c737a", "#8c6f55", "#c7c0b2")
	shellTone = colours("#8f877d", "#b9b1a5", "#d5cfc4", "#e9e5dd", "#a79f9a")
	settTone  = colours("#5a5852", "#6d6a63", "#7c766b", "#585d61", "#84796c")
	mossTone  = colours("#2d3516", "#45501f", "#66702e")
	chalkTone = colours("#a79d87", "#c6bda8", "#d8d1c0", "#e3decf")
	clay      = colours("#5f2a1c", "#7d3a26", "#934a30", "#a55a3c")
)

func slates(p patch, u, v float64) texel {
	const nx, ny = 9, 8
	y := v * ny
	row := math.Floor(y)
	fy := y - row
	local := func(r float64) (lx float64, id uint32) {
		x := u*nx + math.Mod(r, 2)*0.5
		c := math.Floor(x)
		return x - c - 0.5, hash(mod(int(c), nx), mod(int(r), ny), p.seed+5)
	}
	tail := func(lx float64) float64 { // where a slate of this row ends, 0..1
		s := math.Abs(lx) * 2
		return 1 - 0.42*(1-math.Sqrt(max(0, 1-s*s*0.97)))
	}
	lx, id := local(row)
	end := tail(lx) - 0.03*chance(id, 9)
	along := fy + 1 // how far down its slate the point lies, in rows
	past := (end - fy) * p.h / ny
	if fy >= end {
		lx, id = local(row + 1)
		past = 1
		along = fy
	}
	const thick = 0.0062
	side := (0.5 - math.Abs(lx)) * p.w / nx
	t := texel{opaque: 1}
	riven := p.streaks(u+chance(id, 1), v+chance(id, 2), 14, 8, 5, id%97)
	fine := p.fbm(u, v, 0.02, 3, 41)
	t.height = thick*along*0.95 + thick*0.4*(chance(id, 3)-0.5) + lx*0.003*(chance(id, 4)-0.5) +
		0.0009*riven + 0.0002*fine - 0.0045*(1-smooth(0, 0.0022, side)) - 0.0016*(1-round(past, 0.004))
	tone := chance(id, 6)*0.75 + 0.25*clamp(0.5+riven*0.7)
	c := dim(slateTone.at(tone), 0.72+0.4*chance(id, 7))
	c = dim(c, 1+0.10*riven+0.08*fine)
	streak := smooth(0.25, 0.8, p.streaks(u, v, 40, 3, 3, 61))
	c = tint(c, colour.Hex("#9a9c93"), 0.22*streak)
	lichen := smooth(0.42, 0.62, p.fbm(u, v, 0.16, 5, 71)+0.12*fine)
	c = tint(c, colour.Hex("#8f9079"), 0.5*lichen)
	shadowed := 0.0
	if past == 1 {
		shadowed = 1 - smooth(0, 0.022, (fy-end)*p.h/ny)
	}
	t.color = dim(c, 1-0.35*shadowed-0.3*(1-smooth(0, 0.003, side)))
	t.rough = clamp(0.52 + 0.12*riven + 0.22*lichen + 0.1*chance(id, 8))
	return t
}

func rubble(p patch, u, v float64) texel {
	wu := u + 0.012*p.fbm(u, v, 0.25, 3, 3)
	wv := v + 0.012*p.fbm(u, v, 0.25, 3, 4)
	c := p.cells(wu, wv, 6, 9, 0.82, 1)
	grain := p.fbm(u, v, 0.09, 6, 7)
	fine := p.fbm(u, v, 0.012, 3, 8)
	body := smooth(0.004, 0.045, c.edge)
	dome := round(c.edge-0.004, 0.07)
	t := texel{opaque: 1}
	tilt := c.dx*(chance(c.id, 1)-0.5)*0.32 + c.dy*(chance(c.id, 2)-0.5)*0.32
	t.height = 0.030*dome + body*(tilt+0.014*(chance(c.id, 3)-0.5)) + 0.007*grain*(0.4+body) + 0.0009*fine
	worn := smooth(0.05, 0.42, grain+0.5*(dome-0.75)+0.25*(chance(c.id, 4)-0.5))
	wash := lime.at(0.86 + 0.18*fine - 0.25*(1-body) + 0.08*grain)
	stone := dim(pebbles.at(0.25+0.5*chance(c.id, 5)), 0.85+0.3*grain)
	t.color = tint(wash, stone, 0.55*worn*body)
	damp := smooth(0.0, 0.8, p.fbm(u, v, 0.9, 3, 14)+0.35*(1-body))
	t.color = tint(t.color, dim(colour.Hex("#75705a"), 0.9), 0.30*damp)
	t.rough = clamp(0.86 + 0.08*fine - 0.10*worn)
	return t
}

func mudflat(p patch, u, v float64) texel {
	bend := 0.10*p.fbm(u, v, 1.6, 3, 1) + 0.018*p.fbm(u, v, 0.35, 3, 2)
	phase := (v+bend)*22 + 1.1*math.Sin(2*math.Pi*u+1)
	crest := phase + 0.28*math.Sin(2*math.Pi*phase)/(2*math.Pi)*2 // steeper on the lee side
	ripple := 0.5 + 0.5*math.Sin(2*math.Pi*crest)
	strength := smooth(-0.55, 0.35, p.fbm(u, v, 0.9, 3, 5))
	grain := p.fbm(u, v, 0.06, 5, 6)
	t := texel{opaque: 1}
	h := 0.020*ripple*(0.3+0.7*strength) + 0.012*p.fbm(u, v, 1.1, 2, 9)
	casts := p.cells(u, v, 26, 20, 1, 11)
	worm := 0.0
	if chance(casts.id, 1) < 0.10 { // lugworm casts
		worm = smooth(0.022, 0.004, casts.d1)
		h += worm * (0.008 + 0.003*math.Sin(casts.d1*900+6*math.Atan2(casts.dy, casts.dx)))
	}
	t.height = h + 0.0011*grain
	wet := smooth(0.55, 0.12, ripple*(0.35+0.65*strength)+0.2*grain+0.35*p.fbm(u, v, 1.1, 2, 9))
	c := mudTone.at(0.62 + 0.30*ripple*strength + 0.22*grain - 0.1*worm)
	c = tint(c, colour.Hex("#6f6f4a"), 0.22*smooth(0.15, 0.6, p.fbm(u, v, 0.5, 4, 13)))
	t.color = dim(c, 1-0.42*wet)
	t.rough = clamp(0.66 - 0.50*wet + 0.10*grain)
	return t
}

// stones is a bed of rounded stones: how high, and which one lies there.
func stones(p patch, u, v float64, nx, ny int, salt uint32, tall float64) (h, edge float64, id uint32) {
	c := p.cells(u, v, nx, ny, 0.92, salt)
	r := 0.5 * min(p.w/float64(nx), p.h/float64(ny))
	dome := round(c.edge, r*0.95)
	return tall*dome*(0.6+0.4*chance(c.id, 21)) + (c.dx*(chance(c.id, 22)-0.5)+c.dy*(chance(c.id, 23)-0.5))*0.35*dome, c.edge / r, c.id
}

// bed lays large stones over small ones.
func bed(p patch, u, v float64, nx, ny int, tall, share float64) (h, edge float64, id uint32) {
	h, edge, id = stones(p, u, v, nx*2, ny*2, 31, tall*0.5)
	h -= tall * 0.25
	bh, be, bid := stones(p, u, v, nx, ny, 32, tall)
	if chance(bid, 24) < share && bh > h {
		return bh, be, bid
	}
	return h, edge, id ^ 0x5bd1e995
}

func shingle(p patch, u, v float64) texel {
	wu, wv := u+0.006*p.fbm(u, v, 0.08, 2, 2), v+0.006*p.fbm(u, v, 0.08, 2, 3)
	h, edge, id := bed(p, wu, wv, 17, 17, 0.026, 0.62)
	grain := p.fbm(u+chance(id, 5), v+chance(id, 6), 0.03, 4, 4)
	t := texel{opaque: 1, height: h + 0.0004*grain}
	vein := smooth(0.06, 0.0, math.Abs(p.fbm(u+chance(id, 8), v, 0.12, 2, 9))) * smooth(0.75, 0.8, chance(id, 9))
	c := dim(pebbles.at(chance(id, 1)), 0.72+0.42*chance(id, 2)+0.16*grain)
	c = tint(c, colour.Hex("#d8d3c6"), 0.75*vein)
	t.color = dim(c, 0.35+0.65*smooth(-0.05, 0.45, edge))
	t.rough = clamp(0.48 + 0.2*chance(id, 3) + 0.12*grain)
	return t
}

func gravel(p patch, u, v float64) texel {
	h, edge, id := bed(p, u, v, 36, 27, 0.0085, 0.7)
	grain := p.fbm(u+chance(id, 5), v+chance(id, 6), 0.01, 3, 4)
	t := texel{opaque: 1, height: h + 0.0001*grain}
	c := dim(palette(colours("#8a7350", "#b09468", "#cbb893", "#8d877c", "#6b5a45", "#d8cfbc")).at(chance(id, 1)), 0.75+0.35*chance(id, 2)+0.12*grain)
	t.color = dim(c, 0.38+0.62*smooth(-0.05, 0.5, edge))
	t.rough = clamp(0.55 + 0.18*chance(id, 3) + 0.1*grain)
	return t
}

func oyster(p patch, u, v float64) texel {
	best := texel{height: -1, opaque: 1}
	dust := p.fbm(u, v, 0.03, 5, 2)
	best = texel{height: 0.0022 * dust, color: dim(chalkTone.at(0.32+0.3*dust), 0.70+0.2*dust), rough: 0.92, opaque: 1}
	for layer := range uint32(3) {
		c := p.cells(u, v, 11+3*int(layer), 11+3*int(layer), 0.95, 10+layer)
		if chance(c.id, 1) > 0.74 {
			continue
		}
		s, co := math.Sincos(chance(c.id, 2) * 2 * math.Pi)
		x, y := c.dx*co+c.dy*s, (c.dy*co-c.dx*s)*1.45
		size := (0.034 - 0.006*float64(layer)) * (0.75 + 0.5*chance(c.id, 3))
		a := math.Atan2(y, x)
		rim := size * (1 + 0.12*math.Sin(3*a+9*chance(c.id, 4)) + 0.07*p.noise(u, v, 60, 60, 8+layer))
		r := math.Hypot(x, y+0.2*size)
		if r > rim {
			continue
		}
		k := r / rim
		growth := math.Sin(k*26 + 3*math.Sin(a+chance(c.id, 5)*6) + 2*dust)
		cup := 1.0
		if chance(c.id, 6) < 0.5 {
			cup = -0.55 // the hollow side lies up
		}
		h := 0.0105*(float64(layer)+1)*0.5 + cup*0.007*(1-k*k) + 0.0006*growth + (x*(chance(c.id, 7)-0.5)+y*(chance(c.id, 8)-0.5))*0.3 + 0.002*smooth(0.75, 1, k)
		if h <= best.height {
			continue
		}
		t := texel{height: h, opaque: 1}
		col := dim(shellTone.at(0.25+0.75*chance(c.id, 9)), 0.85+0.10*growth+0.1*dust)
		if cup < 0 {
			col = tint(colour.Hex("#dcd9d2"), colour.Hex("#8d8797"), smooth(0.55, 0.2, k)*0.4)
		}
		t.color = dim(col, 0.62+0.38*smooth(1, 0.88, k))
		t.rough = clamp(0.55 + 0.25*k + 0.1*growth)
		if cup < 0 {
			t.rough = 0.32 + 0.2*k
		}
		best = t
	}
	return best
}

func setts(p patch, u, v float64) texel {
	wu, wv := u+0.004*p.fbm(u, v, 0.3, 3, 1), v+0.005*p.fbm(u, v, 0.3, 3, 2)
	g := p.bond(wu, wv, 9, 11, 0.5, 3)
	wob := 0.006 * p.fbm(u, v, 0.06, 3, 5)
	edge := g.edge + wob - 0.003
	grain := p.fbm(u+chance(g.id, 5), v, 0.05, 5, 6)
	fine := p.fbm(u, v, 0.01, 3, 7)
	dome := round(edge, 0.032)
	t := texel{opaque: 1}
	stone := 0.017*dome + 0.006*(chance(g.id, 1)-0.5)*smooth(0, 0.01, edge) + 0.002*grain + (g.x*(chance(g.id, 2)-0.5)+g.y*(chance(g.id, 3)-0.5))*0.06*smooth(0, 0.012, edge)
	cushion := p.fbm(u, v, 0.05, 4, 9)
	moss := smooth(0.35, 0.75, (1-smooth(-0.004, 0.016, edge))*0.9+0.55*p.fbm(u, v, 0.5, 4, 8)+0.12*cushion)
	top := 0.009 + 0.0045*cushion + 0.0012*fine
	t.height = lerp(stone, max(stone+0.0012*moss, top*moss), moss)
	c := dim(settTone.at(chance(g.id, 4)), 0.8+0.35*grain+0.10*fine)
	c = dim(c, 0.45+0.55*smooth(-0.006, 0.014, edge))
	t.color = tint(c, dim(mossTone.at(0.5+0.6*cushion+0.2*fine), 0.9), moss)
	wet := smooth(0.1, 0.5, p.fbm(u, v, 0.7, 3, 15)) * (1 - moss)
	t.color = dim(t.color, 1-0.30*wet)
	t.rough = clamp(lerp(0.62+0.12*grain-0.34*wet, 0.93, moss))
	return t
}

func terrazzo(p patch, u, v float64) texel {
	t := texel{opaque: 1, rough: 0.23}
	speck := p.fbm(u, v, 0.004, 2, 2)
	t.color = dim(colour.Hex("#cfc7b6"), 0.96+0.06*speck+0.03*p.fbm(u, v, 0.2, 3, 3))
	chips := colours("#6e2f25", "#2e3b36", "#8b8579", "#e7e2d6", "#b58c5a", "#4f4a45", "#8fa097")
	for i, n := range []int{90, 50, 27} {
		c := p.cells(u, v, n, n, 1, uint32(20+i))
		r := 0.5 * p.w / float64(n)
		limit := r * (0.06 + 0.30*chance(c.id, 2))
		if chance(c.id, 1) > 0.62 || c.edge < limit*0.8 {
			continue
		}
		in := smooth(limit*0.8, limit*0.8+0.0004, c.edge)
		chip := dim(chips.at(chance(c.id, 3)), 0.85+0.25*chance(c.id, 4)+0.14*p.fbm(u+chance(c.id, 5), v, 0.01, 3, 5))
		t.color = tint(t.color, chip, in)
		t.rough = lerp(t.rough, 0.15+0.06*chance(c.id, 6), in)
		t.height += 0.00003 * in
	}
	pit := p.cells(u, v, 70, 70, 1, 40)
	if chance(pit.id, 1) < 0.14 {
		d := smooth(0.0011, 0.0003, pit.d1)
		t.height -= 0.0004 * d
		t.color = dim(t.color, 1-0.5*d)
		t.rough = lerp(t.rough, 0.7, d)
	}
	t.height += 0.00004*p.fbm(u, v, 0.08, 4, 6) + 0.000012*speck
	return t
}

func quarry(p patch, u, v float64) texel {
	g := p.bond(u, v, 6, 6, 0, 1)
	edge := g.edge - 0.003 + 0.0005*p.fbm(u, v, 0.02, 3, 2)
	inside := smooth(-0.0006, 0.0006, edge)
	cloud := p.fbm(u+chance(g.id, 3), v+chance(g.id, 4), 0.06, 4, 5)
	fine := p.fbm(u, v, 0.006, 3, 6)
	t := texel{opaque: 1}
	tile := 0.0032*round(edge, 0.004) + 0.00035*cloud + 0.0011*(chance(g.id, 1)-0.5) + (g.x*(chance(g.id, 8)-0.5)+g.y*(chance(g.id, 9)-0.5))*0.008
	t.height = lerp(0.0004*fine, 0.0012+tile, inside)
	c := dim(clay.at(clamp(0.15+0.7*chance(g.id, 2)+0.3*cloud)), 0.9+0.10*fine)
	c = tint(c, colour.Hex("#3a1d16"), 0.4*smooth(0.35, 0.75, cloud+0.5*smooth(0.012, 0, edge)))
	t.color = tint(dim(colour.Hex("#6f675b"), 0.8+0.25*fine), c, inside)
	wear := smooth(0.15, 0.6, p.fbm(u, v, 0.3, 4, 7))
	t.rough = clamp(lerp(0.9, 0.14+0.22*wear+0.08*chance(g.id, 5)+0.03*fine, inside))
	return t
}

func encaustic(p patch, u, v float64) texel {
	const n = 4
	g := p.bond(u, v, n, n, 0, 1)
	half := g.w / 2
	x, y := math.Abs(g.x)/half, math.Abs(g.y)/half // 0 middle .. 1 edge
	fine := p.fbm(u, v, 0.004, 3, 3)
	wob := 0.012*p.noise(u, v, 40, 40, 2) + 0.006*fine
	r := math.Hypot(x, y) + wob
	corner := math.Hypot(1-x, 1-y) + wob
	a := math.Atan2(g.y, g.x)
	cream, red, blue, ochre, ink := colour.Hex("#d9cfb6"), colour.Hex("#9c4a35"), colour.Hex("#33506b"), colour.Hex("#b98f4a"), colour.Hex("#39332e")
	c := cream
	put := func(col colour.RGB, in float64) { c = tint(c, col, smooth(-0.012, 0.012, in)) }
	put(red, 0.10-math.Abs(r-0.74))
	put(ink, 0.018-math.Abs(r-0.62))
	petal := 0.50*math.Pow(math.Abs(math.Cos(2*a)), 0.7) + 0.08
	put(blue, petal-r)
	put(ochre, 0.17-r)
	put(ink, 0.07-r)
	put(blue, 0.42-corner)
	put(cream, 0.30-corner)
	put(red, 0.19-corner)
	put(ochre, 0.05-math.Abs((x+y)-1.35+wob)*smooth(0.9, 0.7, math.Abs(x-y)))
	edge := g.edge - 0.0012
	inside := smooth(-0.0004, 0.0004, edge)
	wear := smooth(0.1, 0.7, p.fbm(u, v, 0.22, 5, 7)+0.15*fine)
	c = tint(c, colour.Hex("#b8ac96"), 0.35*wear)
	c = dim(c, 0.93+0.10*chance(g.id, 1)+0.07*fine)
	t := texel{opaque: 1}
	t.color = tint(dim(colour.Hex("#77705f"), 0.8+0.2*fine), c, inside)
	t.height = 0.0011*round(edge, 0.0014)*inside + 0.0005*(chance(g.id, 2)-0.5)*inside + 0.00009*fine + 0.00015*wear + (g.x*(chance(g.id, 8)-0.5)+g.y*(chance(g.id, 9)-0.5))*0.004*inside
	t.rough = clamp(lerp(0.88, 0.36+0.26*wear+0.05*fine, inside))
	return t
}

func limewash(p patch, u, v float64) texel {
	wu, wv := u+0.03*p.fbm(u, v, 0.3, 4, 1), v+0.03*p.fbm(u, v, 0.3, 4, 2)
	big := p.cells(wu, wv, 5, 5, 1, 3)
	small := p.cells(wu+0.01*p.fbm(u, v, 0.06, 2, 9), wv, 17, 17, 1, 4)
	grain := p.fbm(u, v, 0.1, 6, 5)
	fine := p.fbm(u, v, 0.008, 3, 6)
	area := smooth(-0.15, 0.45, p.fbm(u, v, 0.5, 3, 7))
	crack := max(smooth(0.0030, 0.0007, big.edge), area*smooth(0.0017, 0.0004, small.edge))
	lost := smooth(0.40, 0.43, p.fbm(u, v, 0.45, 6, 8)+0.10*area+0.04*fine+0.05*(chance(small.id, 3)-0.5))
	t := texel{opaque: 1}
	brush := p.streaks(u, v, 5, 60, 4, 12)
	curl := area * smooth(0.012, 0.0, small.edge) * 0.0009
	t.height = 0.0016*grain + 0.0003*fine + 0.0002*brush + curl - 0.0022*crack - 0.0028*lost
	wash := lime.at(0.88 + 0.10*grain + 0.05*brush)
	under := dim(colour.Hex("#a08c6c"), 0.85+0.3*grain+0.15*fine)
	c := tint(wash, under, lost)
	c = tint(c, colour.Hex("#8c7f63"), 0.35*smooth(0.1, 0.8, p.fbm(u, v, 0.8, 4, 13)))
	t.color = dim(c, 1-0.6*crack)
	t.rough = clamp(0.82 + 0.08*fine + 0.08*lost)
	return t
}

func chalk(p patch, u, v float64) texel {
	lift := v*8 + 0.10*p.streaks(u, v, 3, 2, 3, 1)
	row := math.Floor(lift)
	f := lift - row
	layer := hash(0, mod(int(row), 8), p.seed+2)
	grain := p.fbm(u, v, 0.08, 6, 3)
	fine := p.fbm(u, v, 0.012, 3, 4)
	lump := p.cells(u, v, 60, 40, 1, 5)
	flint := 0.0
	if chance(lump.id, 1) < 0.10 {
		flint = smooth(0.0, 0.006, lump.edge-0.006)
	}
	t := texel{opaque: 1}
	joint := smooth(0.06, 0.0, min(f, 1-f))
	t.height = 0.006*grain + 0.0012*fine - 0.006*joint*(0.6+0.5*grain) + 0.004*flint + 0.003*(chance(layer, 1)-0.5)
	c := dim(chalkTone.at(0.55+0.35*(chance(layer, 2)-0.5)+0.4*grain-0.15*f), 0.95+0.08*fine)
	c = tint(c, dim(colour.Hex("#8b7a5c"), 1), 0.45*joint+0.25*smooth(0.2, 0.7, p.fbm(u, v, 0.6, 4, 7)))
	t.color = tint(c, dim(colour.Hex("#4a4a4c"), 0.8+0.5*chance(lump.id, 2)), flint)
	t.rough = clamp(0.90 + 0.06*fine - 0.4*flint)
	return t
}
