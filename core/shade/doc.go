// Package shade makes pictures of materials on shapes at a real size, under an environment.
//
// A View says everything about a picture: shape, camera, light, film. It is drawn in one of two
// qualities of one model. Preview looks up prefiltered light (split sum, Karis 2013) and is what
// the browser runs too; Reference traces paths, and is what saved pictures are made with and what
// previews are held against. Both march the relief at its true depth, so that it shows in the
// outline and casts shadows. What a material does not have is left neutral, never black or pink.
package shade
