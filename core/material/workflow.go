package material

import "math"

// dielectric is the reflectance at normal incidence of what is no metal.
const dielectric = 0.04

// MetalRough converts a surface of the spec-gloss workflow (linear diffuse and specular
// colour) to base colour and metallic. Source: the appendix of
// KHR_materials_pbrSpecularGlossiness.
func MetalRough(diffuse, specular [3]float32) (base [3]float32, metallic float32) {
	left := 1 - max(specular[0], specular[1], specular[2]) // of the light, for diffusion
	metallic = solveMetallic(perceived(diffuse), perceived(specular), left)
	const least = 1e-6
	for c := range base {
		byDiffuse := diffuse[c] * left / (1 - dielectric) / max(1-metallic, least)
		bySpecular := (specular[c] - dielectric*(1-metallic)) / max(metallic, least)
		k := metallic * metallic
		base[c] = min(max(byDiffuse*(1-k)+bySpecular*k, 0), 1)
	}
	return base, metallic
}

// perceived is the brightness of a linear colour as that appendix weighs it.
func perceived(c [3]float32) float32 {
	return float32(math.Sqrt(float64(0.299*c[0]*c[0] + 0.587*c[1]*c[1] + 0.114*c[2]*c[2])))
}

// solveMetallic is the metallic for which a metal-rough surface has this brightness of
// diffuse and specular light: the root of a quadratic equation.
func solveMetallic(diffuse, specular, left float32) float32 {
	if specular < dielectric {
		return 0
	}
	b := diffuse*left/(1-dielectric) + specular - 2*dielectric
	c := dielectric - specular
	d := max(b*b-4*dielectric*c, 0)
	return min(max((-b+float32(math.Sqrt(float64(d))))/(2*dielectric), 0), 1)
}
