package handoff

import (
	"fmt"

	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
)

// This file converts between metal-rough and spec-gloss.

// converted is a material in another workflow: base or diffuse colour and specular colour in
// linear light, and metallic.
type converted struct {
	from     *raster.Image
	base     [3]raster.Plane
	specular [3]raster.Plane
	metallic raster.Plane
}

// convert turns a material into the workflow of the file in the making.
func (b *builder) convert() (*converted, error) {
	k := turn{b.it.form.workflow, b.it.tile}
	if c := b.turned[k]; c != nil {
		return c, nil
	}
	var c *converted
	var err error
	if b.m.specGloss() {
		c, err = b.toMetalRough()
	} else {
		c, err = b.toSpecGloss()
	}
	if err == nil {
		b.turned[k] = c
	}
	return c, err
}

// toMetalRough converts from spec-gloss, at the size of the diffuse map, or of the specular one where there is none.
func (b *builder) toMetalRough() (*converted, error) {
	var from *raster.Image
	w, h := 0, 0
	read := func(c material.Channel, or float32) (out [3]raster.Plane, err error) {
		var im *raster.Image
		if s := b.m.find(c); b.has(s) {
			if im, err = b.load(s); err != nil {
				return out, err
			}
		}
		if im != nil && from == nil {
			from = im
			w, h = b.f.size(im.W, im.H)
		}
		if im != nil {
			return b.light(im, w, h), nil
		}
		v, ok := b.m.given(b.it.form.baked).constant(c)
		for k := range out {
			if !ok {
				v[k] = float64(or)
			}
			out[k] = even(max(w, 1), max(h, 1), float32(v[k]))
		}
		return out, nil
	}
	diffuse, err := read(material.BaseColor, material.UnknownColor)
	if err != nil {
		return nil, err
	}
	specular, err := read(material.Specular, 0.04)
	if err != nil {
		return nil, err
	}
	if from == nil {
		return nil, fmt.Errorf("there is no map for it")
	}
	if b.has(b.m.find(material.BaseColor)) {
		diffuse = b.recoloured(diffuse)
	} else {
		for k := range diffuse {
			diffuse[k] = even(w, h, diffuse[k].Pix[0])
		}
	}
	out := &converted{from: from, metallic: raster.NewPlane(w, h)}
	for c := range out.base {
		out.base[c] = raster.NewPlane(w, h)
	}
	raster.Rows(h, func(y0, y1 int) {
		for i := y0 * w; i < y1*w; i++ {
			v, k := material.MetalRough([3]float32{diffuse[0].Pix[i], diffuse[1].Pix[i], diffuse[2].Pix[i]}, [3]float32{specular[0].Pix[i], specular[1].Pix[i], specular[2].Pix[i]})
			out.base[0].Pix[i], out.base[1].Pix[i], out.base[2].Pix[i], out.metallic.Pix[i] = v[0], v[1], v[2], k
		}
	})
	return out, nil
}

// toSpecGloss converts from metal-rough: what is metal has no diffuse colour, and its base
// colour is its specular one.
func (b *builder) toSpecGloss() (*converted, error) {
	out := &converted{}
	base, metal := b.m.find(material.BaseColor), b.m.find(material.Metallic)
	open := func(s *material.Source) (*raster.Image, int, int, error) {
		if !b.has(s) {
			return nil, 0, 0, nil
		}
		im, err := b.load(s)
		if err != nil {
			return nil, 0, 0, err
		}
		w, h := b.f.size(im.W, im.H)
		if out.from == nil {
			out.from = im
		}
		return im, w, h, nil
	}
	bi, w, h, err := open(base)
	if err != nil {
		return nil, err
	}
	mi, mw, mh, err := open(metal)
	if err != nil {
		return nil, err
	}
	si, sw, sh, err := open(b.m.find(material.Specular)) // reflectance of what is no metal, if a map says it
	if err != nil {
		return nil, err
	}
	if mw*mh > w*h {
		w, h = mw, mh
	}
	if sw*sh > w*h {
		w, h = sw, sh
	}
	var rgb [3]raster.Plane
	if bi != nil {
		rgb = b.recoloured(b.light(bi, w, h))
	} else {
		for c := range rgb {
			rgb[c] = even(w, h, b.m.given(b.it.form.baked).absent(material.BaseColor, c, AsDelivered))
		}
	}
	factor := float32(1)
	if b.it.form.baked {
		factor = float32(b.m.Figures.Metallic)
	}
	var share raster.Plane
	if mi != nil {
		share = filter.Map(mi.Plane(0).Resample(w, h, raster.Area), func(v float32) float32 { return v * factor })
	} else {
		share = even(w, h, b.m.given(b.it.form.baked).absent(material.Metallic, 0, AsDelivered))
	}
	var own [3]raster.Plane
	if si != nil {
		own = b.light(si, w, h)
	}
	for c := range rgb {
		f0 := b.m.given(b.it.form.baked).absent(material.Specular, c, AsDelivered)
		diffuse, specular := raster.NewPlane(w, h), raster.NewPlane(w, h)
		raster.Rows(h, func(y0, y1 int) {
			for i := y0 * w; i < y1*w; i++ {
				v, k, f0 := rgb[c].Pix[i], min(max(share.Pix[i], 0), 1), f0
				if own[c].W > 0 {
					f0 = own[c].Pix[i]
				}
				diffuse.Pix[i], specular.Pix[i] = v*(1-k), f0+(v-f0)*k
			}
		})
		out.base[c], out.specular[c] = diffuse, specular
	}
	return out, nil
}

// even is a plane of one value.
func even(w, h int, v float32) raster.Plane {
	p := raster.NewPlane(w, h)
	filter.Apply(p, func(float32) float32 { return v })
	return p
}
