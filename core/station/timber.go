package station

import (
	"math"

	"aldermoor/core/colour"
)

// Timber, reed and cloth.

var (
	bleached  = colours("#6f6a63", "#8d8780", "#a59e94", "#b9b2a7")
	elmTone   = colours("#5b3c22", "#7a5433", "#96703f", "#ad8752")
	reedTone  = colours("#5d4c2c", "#836c3f", "#a88f58", "#c4ad76", "#8f8466")
	willow    = colours("#4a3622", "#6f5130", "#917047", "#ab8c60")
	linenTone = colours("#b3a88f", "#cdc3ab", "#ded6c2")
	juteTone  = colours("#6b5434", "#8f7449", "#ab9062", "#c2aa7e")
)

// wood is the grain of a board whose length runs along v: rings as lines that
// part around knots. a and b move it, so that no two boards are alike.
func wood(p patch, u, v float64, across, along int, id uint32) (ring, fibre, knot float64) {
	a, b := chance(id, 31), chance(id, 32)
	k := p.cells(u+a, v+b, max(2, across/3), 2, 1, 33)
	kd := math.Hypot(k.dx*2.2, k.dy*0.8)
	if chance(k.id, 34) < 0.3 {
		knot = smooth(0.030, 0.006, kd)
	}
	warp := p.streaks(u+a, v+b, across, along, 3, 35)
	ring = 0.5 + 0.5*math.Sin(2*math.Pi*(u*float64(across)*2.5+warp*2.2+knot*2.5))
	fibre = p.streaks(u+a, v+b, across*14, along*3, 3, 36)
	return ring, fibre, knot
}

func jetty(p patch, u, v float64) texel {
	const n = 7
	x := u * n
	board := math.Floor(x)
	id := hash(mod(int(board), n), 1, p.seed+1)
	across := (x - board - 0.5) * p.w / n
	edge := p.w/n/2 - math.Abs(across) - 0.0035 + 0.0012*p.streaks(u, v, 60, 6, 3, 2)
	ring, fibre, knot := wood(p, u, v, 21, 2, id)
	split := smooth(0.75, 0.95, p.streaks(u+chance(id, 3), v, 70, 2, 2, 3)*1.6) * smooth(0.2, 0.5, p.streaks(u, v+chance(id, 4), 7, 4, 2, 5)+0.3)
	t := texel{opaque: 1}
	cupped := -0.0016 * math.Pow(across/(p.w/n/2), 2)
	inside := smooth(-0.001, 0.001, edge)
	t.height = inside*(0.020+0.0040*(chance(id, 5)-0.5)+cupped+0.0011*ring+0.0007*fibre+0.0015*knot-0.005*split+0.0012*p.fbm(u, v, 0.3, 3, 6)) - 0.0
	t.height -= 0.0035 * (1 - round(edge, 0.005)) * inside
	nail := 0.0
	for _, row := range []float64{0.25, 0.75} {
		d := math.Hypot(math.Abs(across)-0.048, (math.Mod(v-row+1.5, 1)-0.5)*p.h)
		nail = max(nail, smooth(0.0055, 0.0045, d))
	}
	t.height -= 0.0012 * nail
	c := dim(bleached.at(0.30+0.42*chance(id, 6)+0.28*ring), 0.88+0.16*fibre+0.12*(chance(id, 7)-0.5))
	c = tint(c, colour.Hex("#5b4a3a"), 0.55*knot+0.10*smooth(0.3, 0.7, p.streaks(u, v, 14, 3, 3, 8)))
	c = tint(c, colour.Hex("#77805f"), 0.30*smooth(0.2, 0.7, p.fbm(u, v, 0.4, 4, 9))*smooth(0.03, 0.0, edge))
	c = tint(c, colour.Hex("#4b3226"), 0.9*nail)
	t.color = dim(c, (0.14+0.86*inside)*(1-0.6*split))
	t.rough = clamp(0.80 + 0.10*fibre - 0.1*knot - 0.2*nail)
	return t
}

func weatherboard(p patch, u, v float64) texel {
	const n = 8
	y := v * n
	row := math.Floor(y)
	f := y - row // 0 at the top of the exposed board, 1 at its lower edge
	id := hash(2, mod(int(row), n), p.seed+1)
	low := (1 - f) * p.h / n
	ring, fibre, knot := wood(patch{p.h, p.w, p.seed}, v, u, 24, 2, id)
	tar := p.fbm(u, v, 0.05, 5, 3)
	runs := p.streaks(u, v, 90, 5, 3, 4)
	blister := p.cells(u, v, 60, 48, 1, 5)
	bubble := 0.0
	if chance(blister.id, 1) < 0.12 {
		bubble = round(0.006*chance(blister.id, 2)+0.003-blister.d1, 0.006)
	}
	t := texel{opaque: 1}
	t.height = 0.019*f + 0.0008*ring + 0.0006*fibre + 0.0006*tar + 0.0012*bubble - 0.004*(1-round(low, 0.006)) + 0.002*(chance(id, 3)-0.5)*math.Sin(2*math.Pi*(u+chance(id, 4)))
	bare := smooth(0.35, 0.6, p.streaks(u+chance(id, 5), v, 8, 30, 4, 6)+0.30*ring-0.15)
	c := dim(colour.Hex("#1d1b19"), 0.9+0.35*tar+0.15*runs)
	wear := dim(colour.Hex("#4a423a"), 0.8+0.4*ring+0.2*fibre)
	t.color = tint(c, wear, 0.65*bare)
	t.color = dim(t.color, 0.55+0.45*smooth(0, 0.16, f))
	t.rough = clamp(0.36 + 0.16*runs + 0.10*tar + 0.42*bare + 0.05*knot - 0.12*bubble)
	return t
}

func clinker(p patch, u, v float64) texel {
	const n = 7
	y := v*n + 0.10*math.Sin(2*math.Pi*u)
	row := math.Floor(y)
	f := y - row
	id := hash(3, mod(int(row), n), p.seed+1)
	low := (1 - f) * p.h / n
	ring, fibre, _ := wood(patch{p.h, p.w, p.seed}, v, u, 21, 2, id)
	grain := p.fbm(u, v, 0.12, 5, 3)
	t := texel{opaque: 1}
	t.height = 0.015*f*f + 0.0003*ring + 0.00015*fibre + 0.0003*grain - 0.003*(1-round(low, 0.005))
	// Copper rivets along each land, painted over.
	rx := math.Mod(u*12, 1) - 0.5
	d := math.Hypot(rx*p.w/12, low-0.018)
	rivet := round(0.0075-d, 0.005)
	t.height += 0.0016 * rivet
	flake := smooth(0.30, 0.34, p.fbm(u, v, 0.22, 6, 4)+0.16*smooth(0.05, 0, low)+0.05*fibre)
	t.height -= 0.0004 * flake
	paint := tint(colour.Hex("#2f5a5c"), colour.Hex("#3f7270"), 0.5+0.5*grain)
	if mod(int(row), n) == 0 {
		paint = tint(colour.Hex("#c8c0a8"), colour.Hex("#d6d0bd"), 0.5+0.5*grain)
	}
	c := tint(paint, dim(elmTone.at(0.35+0.35*ring), 0.9+0.2*fibre), 0.92*flake)
	c = tint(c, colour.Hex("#55604a"), 0.30*smooth(0.2, 0.75, p.streaks(u, v, 30, 3, 4, 6)))
	t.color = dim(c, 0.6+0.4*smooth(0, 0.10, f))
	t.rough = clamp(0.34 + 0.12*grain + 0.42*flake + 0.06*fibre)
	return t
}

func herringbone(p patch, u, v float64) texel {
	// Blocks of 4 × 1 modules; the pattern repeats every 8 modules both ways.
	const n = 16
	x, y := u*n, v*n
	ix, iy := int(math.Floor(x)), int(math.Floor(y))
	fx, fy := x-math.Floor(x), y-math.Floor(y)
	k := mod(ix-iy, 8)
	m := p.w / n
	var along, across, lx, ly float64
	var id uint32
	flat := k < 4
	if flat { // lies along x; k-th module of its block
		along, across = (float64(k)+fx)*m, fy*m
		id = hash(mod(ix-k, n), mod(iy, n), p.seed+1)
	} else { // stands along y: its first module is where k is 7
		j := 7 - k
		along, across = (float64(j)+fy)*m, fx*m
		id = hash(mod(ix, n), mod(iy-j, n), p.seed+2)
	}
	lx, ly = along, across
	edge := min(lx, 4*m-lx, ly, m-ly) - 0.0010
	gu, gv := u, v
	q := p
	if flat {
		gu, gv = v, u
		q = patch{p.h, p.w, p.seed}
	}
	ring, fibre, knot := wood(q, gu, gv, 40, 3, id)
	inside := smooth(-0.0004, 0.0004, edge)
	t := texel{opaque: 1}
	t.height = inside*(0.0011*round(edge, 0.0016)+0.0005*(chance(id, 1)-0.5)+0.00012*ring+0.0001*fibre) + 0.0003*p.fbm(u, v, 0.3, 3, 5)
	c := dim(elmTone.at(clamp(0.05+0.75*chance(id, 2)+0.25*ring)), 0.86+0.14*fibre+0.34*(chance(id, 3)-0.5))
	c = tint(c, colour.Hex("#3c2513"), 0.5*knot)
	worn := smooth(0.1, 0.7, p.fbm(u, v, 0.5, 4, 7))
	c = tint(c, colour.Hex("#a48a66"), 0.22*worn)
	t.color = dim(c, 0.2+0.8*inside)
	t.rough = clamp(0.30 + 0.20*worn + 0.08*fibre + 0.08*ring + 0.4*(1-inside))
	return t
}

func hurdle(p patch, u, v float64) texel {
	const posts, rods = 10, 34
	best := texel{height: -0.02, color: colour.Hex("#17120c"), rough: 0.95, opaque: 1}
	x := u * posts
	post := math.Round(x)
	if d := math.Abs(x-post) * p.w / posts; d < 0.013 {
		id := hash(mod(int(post), posts), 7, p.seed)
		bark := p.streaks(u, v, 240, 8, 3, 2)
		h := 0.013*round(0.013-d, 0.013) + 0.0004*bark
		best = texel{height: h, color: dim(willow.at(0.18+0.3*chance(id, 1)+0.2*bark), 0.75), rough: 0.8, opaque: 1}
	}
	y := v*rods + 0.16*p.streaks(u, v, 5, 34, 2, 3)
	for k := -1; k <= 1; k++ {
		r := math.Floor(y) + float64(k)
		id := hash(9, mod(int(r), rods), p.seed)
		fat := (p.h / rods) * (0.50 + 0.14*chance(id, 1))
		mid := r + 0.5 + 0.14*(chance(id, 2)-0.5)
		d := math.Abs(y-mid) * p.h / rods
		if d >= fat {
			continue
		}
		side := 1.0
		if mod(int(r), 2) == 1 {
			side = -1
		}
		over := side * math.Cos(math.Pi*x)
		bark := p.streaks(u+chance(id, 5), v, 30, 300, 3, 4)
		h := 0.017*over + fat*round(fat-d, fat)*0.95 + 0.0004*bark
		if h <= best.height {
			continue
		}
		c := dim(willow.at(0.15+0.65*chance(id, 3)+0.22*bark), 0.80+0.30*smooth(-1, 1, over))
		joint := p.cells(u+chance(id, 6), v, 30, 3, 1, 6)
		c = tint(c, colour.Hex("#33251a"), 0.5*smooth(0.006, 0.001, math.Abs(joint.dx)))
		best = texel{height: h, color: dim(c, 0.45+0.55*round(fat-d, fat)), rough: clamp(0.58 + 0.2*bark + 0.1*chance(id, 4)), opaque: 1}
	}
	return best
}

func thatch(p patch, u, v float64) texel {
	const courses = 4
	y := v*courses + 0.05*p.streaks(u, v, 12, 2, 3, 1)
	row := math.Floor(y)
	f := y - row
	cid := hash(mod(int(row), courses), 4, p.seed)
	best := texel{height: -1}
	// Three layers of stalks, each its own jittered comb.
	for layer := range 3 {
		n := 210 + 40*layer
		lean := 0.010 * p.streaks(u, v, 20, 5, 2, uint32(10+layer))
		x := (u+lean+chance(cid, uint32(layer)))*float64(n) + 0.35*p.streaks(u, v, n/3, 3, 1, uint32(20+layer))
		s := math.Floor(x)
		id := hash(mod(int(s), n), mod(int(row), courses)+16*layer, p.seed+3)
		d := math.Abs(x-s-0.5) * 2
		ends := 0.93 + 0.14*(chance(id, 1)-0.5)
		if f > ends && layer > 0 {
			continue
		}
		depth := 0.0045*math.Sqrt(max(0, 1-d*d)) - 0.005*float64(layer)*0.5 + 0.007*(chance(id, 2)-0.5)
		h := depth + 0.030*f - 0.010*smooth(ends-0.01, ends+0.02, f)
		if h <= best.height {
			continue
		}
		tone := 0.18 + 0.72*chance(id, 3) + 0.12*p.streaks(u, v, n, 12, 2, 30)
		c := dim(reedTone.at(tone), 0.55+0.45*math.Sqrt(max(0, 1-d*d)))
		c = dim(c, 0.55+0.45*smooth(0.0, 0.30, f))
		best = texel{height: h, color: c, rough: clamp(0.62 + 0.2*chance(id, 4)), opaque: 1}
	}
	grey := smooth(-0.1, 0.6, p.fbm(u, v, 0.6, 4, 40))
	best.color = tint(best.color, dim(colour.Hex("#847b68"), 0.5+0.6*float64(colour.Luminance(best.color))*3), 0.45*grey)
	return best
}

// weave is a plain weave of nx × ny threads: height above the mean in thread
// radii, which thread is on top, and where along it and across it the point is.
func weave(p patch, u, v float64, nx, ny int) (h float64, id uint32, across, along float64, warp bool) {
	x, y := u*float64(nx), v*float64(ny)
	ix, iy := math.Floor(x), math.Floor(y)
	fx, fy := x-ix-0.5, y-iy-0.5
	odd := mod(int(ix)+int(iy), 2) == 1
	wave := func(a float64) float64 { return math.Cos(math.Pi * a) }
	up := 1.0
	if odd {
		up = -1
	}
	// Warp runs along y: over where up, its height swings along y.
	hw := up*wave(fy) + math.Sqrt(max(0, 1-4.4*fx*fx))*1.1
	hf := -up*wave(fx) + math.Sqrt(max(0, 1-4.4*fy*fy))*1.1
	if math.Abs(fx) > 0.477 {
		hw = -3
	}
	if math.Abs(fy) > 0.477 {
		hf = -3
	}
	if hw >= hf {
		return max(hw, -1.2), hash(mod(int(ix), nx), 1, p.seed), fx, y, true
	}
	return max(hf, -1.2), hash(mod(int(iy), ny), 2, p.seed), fy, x, false
}

func sailcloth(p patch, u, v float64) texel {
	const n = 150
	wu, wv := u+0.0016*p.fbm(u, v, 0.06, 2, 1), v+0.0016*p.fbm(u, v, 0.06, 2, 2)
	h, id, across, along, _ := weave(p, wu, wv, n, n)
	twist := math.Sin(2 * math.Pi * (along*1.0 + across*1.5))
	crease := p.fbm(u, v, 0.12, 3, 3)
	t := texel{opaque: 1}
	t.height = 0.00022*h + 0.00003*twist + 0.0011*crease
	slub := smooth(0.86, 1, chance(id, 1))
	c := dim(linenTone.at(0.45+0.35*chance(id, 2)+0.22*slub), 0.82+0.10*h+0.04*twist)
	c = tint(c, colour.Hex("#9a8a68"), 0.30*smooth(0.1, 0.7, p.fbm(u, v, 0.1, 4, 4)))
	t.color = c
	t.rough = clamp(0.84 + 0.04*twist)
	return t
}

func hessian(p patch, u, v float64) texel {
	const nx, ny = 92, 84
	wu, wv := u+0.0035*p.fbm(u, v, 0.05, 3, 1), v+0.0035*p.fbm(u, v, 0.05, 3, 2)
	h, id, across, along, _ := weave(p, wu, wv, nx, ny)
	fat := 0.75 + 0.5*chance(id, 1)
	hole := smooth(0.40*fat+0.06, 0.40*fat+0.12, math.Abs(across))
	hair := p.fbm(u, v, 0.003, 3, 3)
	twist := math.Sin(2 * math.Pi * (along*0.8 + across*1.3 + 0.6*hair))
	t := texel{opaque: 1}
	t.height = 0.00062*h*fat*(1-hole) - 0.0010*hole + 0.00012*twist + 0.00012*hair + 0.0012*p.fbm(u, v, 0.1, 2, 4)
	c := dim(juteTone.at(0.28+0.55*chance(id, 2)+0.15*hair), 0.80+0.12*h+0.06*twist)
	t.color = dim(tint(c, colour.Hex("#2c2115"), 0.85*hole), 0.95)
	t.rough = clamp(0.90 + 0.06*hair)
	return t
}

func ropeMat(p patch, u, v float64) texel {
	const n = 14
	h, id, across, along, _ := weave(p, u, v, n, n)
	strand := along*3.2 + across*2.6
	lay := math.Abs(math.Sin(math.Pi * strand))
	yarn := math.Sin(2 * math.Pi * (strand*5 + across*9))
	hair := p.fbm(u, v, 0.008, 3, 3)
	t := texel{opaque: 1}
	t.height = 0.0085*h + 0.0036*math.Sqrt(lay) + 0.0005*yarn + 0.0005*hair
	tar := smooth(-0.3, 0.5, p.fbm(u, v, 0.2, 4, 4)+0.3*(1-lay))
	c := dim(juteTone.at(0.1+0.45*chance(id, 1)+0.2*hair), 0.55+0.25*lay+0.08*yarn)
	c = tint(c, dim(colour.Hex("#241d17"), 0.8+0.4*lay), 0.75*tar)
	if h <= -1.19 {
		c = colour.Hex("#120e0a")
	}
	t.color = c
	t.rough = clamp(0.82 - 0.34*tar + 0.08*hair)
	return t
}
