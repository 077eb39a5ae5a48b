package pictures

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	_ "image/jpeg" // swatches are
	"image/png"

	"aldermoor/internal/library/materials"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
)

// SheetItem is one material of a contact sheet; Line says its size.
type SheetItem struct {
	Material *materials.Material
	Line     string
}

// Measures of a contact sheet, in pixels.
const (
	sheetAcross = 6
	sheetGap    = 24
	sheetLabel  = 56
	sheetFoot   = 72
)

// Sheet is a contact sheet as a PNG: swatches of one extent in rows of six, names and sizes below them,
// and one scale bar.
func (s *Service) Sheet(ctx context.Context, items []SheetItem, extent float64) ([]byte, error) {
	bold, err := face(gobold.TTF, 17)
	if err != nil {
		return nil, err
	}
	plain, err := face(goregular.TTF, 15)
	if err != nil {
		return nil, err
	}
	across := min(sheetAcross, len(items))
	rows := (len(items) + across - 1) / across
	w, h := sheetGap+across*(WallPx+sheetGap), sheetGap+rows*(WallPx+sheetLabel+sheetGap)+sheetFoot
	out := image.NewRGBA(image.Rect(0, 0, w, h))
	mat := color.RGBA{0x77, 0x77, 0x77, 0xff}
	draw.Draw(out, out.Bounds(), image.NewUniform(mat), image.Point{}, draw.Src)
	write := func(f font.Face, x, y, most int, text string) {
		d := font.Drawer{Dst: out, Src: image.White, Face: f, Dot: fixed.P(x, y)}
		for d.MeasureString(text).Ceil() > most && len(text) > 1 {
			r := []rune(text)
			text = string(r[:max(len(r)-2, 0)]) + "…"
		}
		d.DrawString(text)
	}
	for i, it := range items {
		data, err := s.SwatchJPEG(ctx, it.Material, extent, WallPx)
		if err != nil {
			return nil, err
		}
		im, _, err := image.Decode(bytes.NewReader(data))
		if err != nil {
			return nil, err
		}
		x, y := sheetGap+i%across*(WallPx+sheetGap), sheetGap+i/across*(WallPx+sheetLabel+sheetGap)
		draw.Draw(out, image.Rect(x, y, x+WallPx, y+WallPx), im, image.Point{}, draw.Src)
		write(bold, x, y+WallPx+22, WallPx, it.Material.Name)
		write(plain, x, y+WallPx+44, WallPx, it.Line)
	}
	// One picture's width is the extent: the bar shows it.
	y := h - sheetFoot/2
	draw.Draw(out, image.Rect(sheetGap, y, sheetGap+WallPx, y+2), image.White, image.Point{}, draw.Src)
	for _, x := range []int{sheetGap, sheetGap + WallPx - 2} {
		draw.Draw(out, image.Rect(x, y-8, x+2, y+10), image.White, image.Point{}, draw.Src)
	}
	write(plain, sheetGap+WallPx+12, y+6, 400, fmt.Sprintf("%g m", extent))
	var b bytes.Buffer
	err = png.Encode(&b, out)
	return b.Bytes(), err
}

func face(ttf []byte, size float64) (font.Face, error) {
	f, err := opentype.Parse(ttf)
	if err != nil {
		return nil, err
	}
	return opentype.NewFace(f, &opentype.FaceOptions{Size: size, DPI: 72, Hinting: font.HintingFull})
}
