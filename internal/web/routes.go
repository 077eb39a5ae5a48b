package web

import (
	"context"
	"net/http"

	"github.com/labstack/echo/v5"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// route is one row of the table: what it answers to, and who may use it.
type route struct {
	method, path string
	who          who
	do           echo.HandlerFunc
}

func (s *Server) routes() []route {
	const get, post, put, patch, remove = http.MethodGet, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete
	return []route{
		// For whoever runs the server.
		{get, "/healthz", anyone, s.healthy},
		{get, "/readyz", anyone, s.ready},
		{get, "/metrics", anyone, echo.WrapHandler(promhttp.HandlerFor(s.registry, promhttp.HandlerOpts{}))},
		{get, "/static/*", anyone, echo.WrapHandler(s.static)},

		// Coming in and going out.
		{get, "/", anyone, s.front},
		{post, "/sign-in", anyone, s.signIn},
		{post, "/sign-out", signedIn, s.signOut},
		{get, "/setup", anyone, s.setupPage},
		{post, "/setup", anyone, s.setup},

		// Places.
		{get, "/intake", staff, s.intake},
		{get, "/intake/rules", staff, s.rules},
		{get, "/intake/folders", staff, s.folders},
		{get, "/intake/:id", staff, s.intake},
		{get, "/bench", staff, s.bench},
		{get, "/bench/:id", staff, s.benchMaterial},
		{get, "/library", signedIn, s.library},
		{get, "/library/:slug", signedIn, s.material},
		{get, "/library/:slug/cost", signedIn, s.cost},
		{get, "/boards", signedIn, s.boards},
		{get, "/standards", staff, s.standards},
		{get, "/people", admin, s.people},
		{post, "/people", admin, s.addPerson},
		{post, "/people/:id", admin, s.changePerson},
		{get, "/you", signedIn, s.you},
		{post, "/you/tokens", signedIn, s.addToken},
		{get, "/events", signedIn, s.eventStream},
		{get, "/bench/:id/heat.png", staff, s.heat},
		{get, "/maps/:map/picture.jpg", staff, s.mapPicture},
		{get, "/maps/:map/exact.png", staff, s.mapExact},
		{get, "/maps/:map/tile.png", staff, s.mapTile},
		{get, "/maps/:map/pixel", staff, s.mapPixel},
		{get, "/maps/:map/section", staff, s.mapSection},
		{get, "/releases/:id/maps/:channel", signedIn, s.releasedMap},

		// For programs.
		{get, "/api/v1/openapi.json", anyone, s.openAPI},
		{get, "/api/v1/deliveries", staff, s.apiDeliveries},
		{post, "/api/v1/deliveries", staff, s.apiDeliver},
		{post, "/api/v1/uploads", staff, s.uploads.serve},
		{http.MethodHead, "/api/v1/uploads/:upload", staff, s.uploads.serve},
		{patch, "/api/v1/uploads/:upload", staff, s.uploads.serve},
		{remove, "/api/v1/uploads/:upload", staff, s.uploads.serve},
		{get, "/api/v1/deliveries/:id", staff, s.apiDelivery},
		{post, "/api/v1/deliveries/:id/accept", staff, s.apiAccept},
		{put, "/api/v1/deliveries/:id/file", staff, s.apiResend},
		{post, "/api/v1/deliveries/:id/leave", staff, s.apiLeave},
		{post, "/api/v1/deliveries/:id/undo", staff, s.apiUndo},
		{post, "/api/v1/deliveries/:id/redo", staff, s.apiRedo},
		{get, "/api/v1/maps/:map/like", staff, s.apiLike},
		{post, "/api/v1/maps/:map/like", staff, s.apiAssignLike},
		{get, "/api/v1/watches", staff, s.apiWatches},
		{post, "/api/v1/watches", staff, s.apiAddWatch},
		{put, "/api/v1/watches/:id", staff, s.apiChangeWatch},
		{remove, "/api/v1/watches/:id", staff, s.apiRemoveWatch},
		{get, "/api/v1/rules", staff, s.apiRules},
		{post, "/api/v1/rules", staff, s.apiSaveRule},
		{put, "/api/v1/rules/:id", staff, s.apiSaveRule},
		{remove, "/api/v1/rules/:id", staff, s.apiRemoveRule},
		{get, "/api/v1/materials/:id", staff, s.apiMaterial},
		{patch, "/api/v1/materials/:id", staff, s.apiPatch},
		{put, "/api/v1/materials/:id/maps/:map", staff, s.apiAssign},
		{post, "/api/v1/materials/:id/known", staff, s.apiKnown},
		{post, "/api/v1/materials/:id/recipe", staff, s.apiTreat},
		{put, "/api/v1/materials/:id/recipe", staff, s.apiRecipe},
		{get, "/api/v1/treatments", staff, s.apiTreatments},
		{get, "/api/v1/standards", staff, s.apiStandards},
		{put, "/api/v1/standards", leading, s.apiSaveStandards},
		{get, "/api/v1/materials/:id/releases", staff, s.apiReleases},
		{post, "/api/v1/materials/:id/releases", staff, s.apiRelease},
		{get, "/api/v1/materials/:id/swatch.png", signedIn, s.apiSwatch},
		{get, "/api/v1/materials/:id/ball.png", signedIn, s.apiBall},
		{get, "/api/v1/library", signedIn, s.apiLibrary},
		{get, "/api/v1/releases/:id", signedIn, s.apiReleased},
		{get, "/api/v1/releases/:id/swatch.png", signedIn, s.apiReleaseSwatch},
		{get, "/api/v1/releases/:id/ball.png", signedIn, s.apiReleaseBall},
		{get, "/api/v1/releases/:id/handoff", signedIn, s.apiHandoff},
	}
}

func background() context.Context { return context.Background() }

func (s *Server) healthy(c *echo.Context) error { return c.String(http.StatusOK, "ok\n") }

func (s *Server) ready(c *echo.Context) error {
	if s.Ready != nil {
		if err := s.Ready(c.Request().Context()); err != nil {
			return refuse(http.StatusServiceUnavailable, "Not ready: "+err.Error())
		}
	}
	return c.String(http.StatusOK, "ready\n")
}
