// Package bsdf says how a surface scatters light: a metal or a dielectric with rough diffuse
// reflection, under a coat and a sheen, with transmission and anisotropy.
//
// Directions are unit vectors in the frame of the surface: z is its normal, x and y its
// tangents; wo goes to the viewer, wi to the light. Roughness is perceptual, α = roughness².
// The base is reciprocal: its lobes are coupled by their albedos, and the light that a rough
// lobe scatters more than once is given back (Kulla & Conty 2017). What lies under a coat or a
// sheen is scaled by what that layer leaves towards the viewer, so a white surface returns
// exactly what it receives under any layers; seen the other way round, such a surface differs
// a little. Integrals that have no closed form are tabulated
// once (Tables). The same equations run in the browser (internal/web/static/js/lit).
package bsdf
