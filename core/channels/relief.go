package channels

import (
	"math"

	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/stats"
)

// reliefSize is the side of the copies by which grey pictures are compared with normals.
const reliefSize = 48

// slopesOf are the slopes ∂h/∂x and ∂h/∂y (down) of normals read as Y+, averaged to 48 × 48
// and stored one plane after the other, each as signed bytes.
func slopesOf(f normals.Field) []byte {
	x, y := raster.NewPlane(f.X.W, f.X.H), raster.NewPlane(f.X.W, f.X.H)
	for i := range x.Pix {
		z := max(f.Z.Pix[i], 0.1)
		x.Pix[i], y.Pix[i] = -f.X.Pix[i]/z, f.Y.Pix[i]/z
	}
	return append(signed(x, reliefSize), signed(y, reliefSize)...)
}

// signed is a plane averaged to side × side, about its mean and in sixteenths of half its standard
// deviation as signed bytes; nil for a flat one.
func signed(p raster.Plane, side int) []byte {
	q := p.Resample(side, side, raster.Area)
	mean, sum := q.Mean(), 0.0
	for _, v := range q.Pix {
		sum += (float64(v) - mean) * (float64(v) - mean)
	}
	deviation := math.Sqrt(sum / float64(len(q.Pix)))
	if deviation < 1e-5 {
		return nil
	}
	out := make([]byte, len(q.Pix))
	for i, v := range q.Pix {
		out[i] = byte(int8(min(max(math.Round((float64(v)-mean)/deviation*32), -127), 127)))
	}
	return out
}

// relief says how far a grey picture could be the height whose slopes a normal map has: the
// correlation of its gradient with those slopes, −1..1, of the two directions the better.
// It is not known (ok is false) if either has no relief to speak of.
func (l Look) relief(n Look) (r float64, ok bool) {
	up, down, ok := l.fits(n, false)
	switch {
	case !ok:
		return 0, false
	case n.Direction == normals.Up && n.DirectionConfidence > 0.5:
		return up, true
	case n.Direction == normals.Down && n.DirectionConfidence > 0.5:
		return down, true
	}
	if max(up, down) < unswapped {
		if up2, down2, ok := l.fits(n, true); ok && max(up2, down2) > swappedFits {
			return max(up2, down2), true
		}
	}
	return max(up, down), true
}

const (
	// swappedFits is the correlation from which a height proves that normals have their first
	// two components in each other's place, if they fit it no better than unswapped as they are.
	swappedFits = 0.7
	unswapped   = 0.35
)

// swappedBy says whether a height shows that normals, which do not tell by themselves, have their
// first two components in each other's place; and the direction in which they are read then.
func (n Look) swappedBy(height Look) (d normals.Direction, sure float64, ok bool) {
	up, down, ok1 := height.fits(n, false)
	up2, down2, ok2 := height.fits(n, true)
	if !ok1 || !ok2 || n.Swapped || max(up, down) > unswapped || max(up2, down2) < swappedFits {
		return normals.Unknown, 0, false
	}
	if up2 > down2 {
		return normals.Up, up2, true
	}
	return normals.Down, down2, true
}

// fits correlates the gradient of a grey picture with the slopes of normals read as Y+ and as Y−;
// with swapped as if their first two components were in each other's place.
func (l Look) fits(n Look, swapped bool) (up, down float64, ok bool) {
	const area = reliefSize * reliefSize
	if len(l.Relief) != area || len(n.Relief) != 2*area {
		return 0, 0, false
	}
	at := func(b []byte, i int) float64 { return float64(int8(b[i])) }
	sx, sy, turn := n.Relief[:area], n.Relief[area:], 1.0
	if swapped { // across −y/z, down x/z: the slopes are −x/z and y/z
		sx, sy, turn = sy, sx, -1
	}
	var across, along stats.Pairs
	for y := range reliefSize {
		row, above, below := y*reliefSize, (y+reliefSize-1)%reliefSize*reliefSize, (y+1)%reliefSize*reliefSize
		for x := range reliefSize {
			i, left, right, up, down := row+x, row+x-1, row+x+1, above+x, below+x
			if x == 0 {
				left = row + reliefSize - 1
			}
			if x == reliefSize-1 {
				right = row
			}
			// A central difference of cell means is the slope averaged over two cells.
			gx, gy := at(l.Relief, right)-at(l.Relief, left), at(l.Relief, down)-at(l.Relief, up)
			px, py := at(sx, left)+2*at(sx, i)+at(sx, right), at(sy, up)+2*at(sy, i)+at(sy, down)
			across.Add(gx, px)
			along.Add(gy, py)
		}
	}
	var up2, down2 stats.Pairs
	up2.Merge(across, turn)
	up2.Merge(along, turn)
	down2.Merge(across, turn)
	down2.Merge(along, -turn)
	up, ok1 := up2.Correlation(0)
	down, ok2 := down2.Correlation(0)
	return up, down, ok1 && ok2
}

// alike is the correlation of two planes stored by signed; ok is false if either is flat.
func alike(a, b []byte) (r float64, ok bool) {
	var p stats.Pairs
	for i := range a {
		p.Add(float64(int8(a[i])), float64(int8(b[i])))
	}
	return p.Correlation(0)
}
