// Package geom has the geometry of three dimensions that rendering and models share: vectors,
// rays, triangles and bounds, in float32. Axes are right-handed: x right, y up, z towards the
// viewer. It knows nothing of materials or light.
package geom
