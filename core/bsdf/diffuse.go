package bsdf

import (
	"math"

	"aldermoor/core/geom"
)

// Rough diffuse reflection: Fujii's form of Oren–Nayar with the light that scatters more than
// once given back. Source: Portsmouth, Kutz & Hill 2024, "EON: A practical energy-preserving
// rough diffuse BRDF".
const (
	fujii1 = 0.5 - 2/(3*math.Pi)
	fujii2 = 2./3 - 28/(15*math.Pi)
)

// diffuseAlbedo is the share of light that one scattering of a rough white surface returns
// towards the cosine c; the paper's fit, within 0.1 %.
func diffuseAlbedo(c, rough float32) float32 {
	k := 1 - c
	g := k * (0.0571085289 + k*(0.491881867+k*(-0.332181442+k*0.0714429953)))
	return (1 + rough*g) / (1 + fujii1*rough)
}

// diffuse is the rough diffuse BRDF for an albedo and a diffuse roughness in 0..1: albedo/π at 0.
func diffuse(albedo geom.V3, rough float32, wo, wi geom.V3) geom.V3 {
	if rough <= 0 {
		return albedo.Scale(1 / math.Pi)
	}
	s := wo.Dot(wi) - wo.Z*wi.Z
	if s > 0 {
		s /= max(wo.Z, wi.Z, 1e-6)
	}
	af := 1 / (1 + fujii1*rough)
	single := af * (1 + rough*s)
	avg := af * (1 + fujii2*rough)
	back := max(1-diffuseAlbedo(wo.Z, rough), 1e-7) * max(1-diffuseAlbedo(wi.Z, rough), 1e-7) / max(1-avg, 1e-7)
	return albedo.Map(func(a float32) float32 { return (a*single + a*a*avg/(1-a*(1-avg))*back) / math.Pi })
}

// diffuseReturn is the share of light that comes back towards the cosine c under a white sky.
func diffuseReturn(albedo geom.V3, rough, c float32) geom.V3 {
	if rough <= 0 {
		return albedo
	}
	avg := (1 + fujii2*rough) / (1 + fujii1*rough)
	e := diffuseAlbedo(c, rough)
	return albedo.Map(func(a float32) float32 { return a*e + a*a*avg/(1-a*(1-avg))*(1-e) })
}
