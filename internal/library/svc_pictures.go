package library

import (
	"aldermoor/core/shade"
	"context"
)

// Pictures shows materials and maps.
type Pictures struct {
	*Base
	Store     Store[PicturesReader, any]
	Events    *Events
	Materials *Materials
	Releases  *Releases
	Search    *Search
	Renderer  func() *shade.Renderer
	opened    opened
}

// Handlers are the jobs of pictures, by kind.
func (s *Pictures) Handlers() map[string]func(ctx context.Context, key string) error {
	return map[string]func(context.Context, string) error{JobPicture: s.picture}
}
