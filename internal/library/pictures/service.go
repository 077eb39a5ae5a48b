// Package pictures draws what people look at: swatches and balls of materials, maps, tiles of
// maps at any zoom, single pixels and sections.
package pictures

import (
	"context"
	"fmt"

	"aldermoor/core/light"
	"aldermoor/core/mesh"
	"aldermoor/core/raster"
	"aldermoor/core/shade"
	"aldermoor/internal/library"
	"aldermoor/internal/library/events"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/search"
)

// Service shows materials and maps.
type Service struct {
	*library.Base
	Store     library.Store[Reader, Tx]
	Events    *events.Service
	Materials *materials.Service
	Releases  *releases.Service
	Search    *search.Service
	opened    opened
	surfaces  surfaces
	lights    recent[*light.Environment]
	meshes    recent[*mesh.Mesh]
	backdrops recent[*[3]raster.Plane]
	bodies    shade.Bodies
	rendering library.Progress
}

// Handlers are the jobs of pictures, by kind.
func (s *Service) Handlers() map[string]func(ctx context.Context, key string) error {
	return map[string]func(context.Context, string) error{materials.JobPicture: s.picture, JobView: s.view, JobTraits: s.describe}
}

// JobFailed tells who waits for a picture that it has failed for good.
func (s *Service) JobFailed(_ context.Context, kind, key string, problem error) error {
	if kind == JobView {
		s.rendering.Set(key, 0, 0, library.Invalid(fmt.Sprintf("The picture could not be made: %v. Ask for it again.", problem)))
	}
	return nil
}
