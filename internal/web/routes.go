package web

import (
	"context"
	"net/http"

	"aldermoor/internal/library/people"
	"aldermoor/internal/library/pictures"

	"github.com/labstack/echo/v5"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// route is one row of the table: what it answers to, which right it asks for, and whether
// it changes an existing thing, so that a version must be named.
type route struct {
	method, path string
	right        people.Right
	versioned    bool
	do           echo.HandlerFunc
}

func (s *Server) routes() []route {
	const get, post, put, patch, remove = http.MethodGet, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete
	const anyone, enter, share, drafts, work, decide, admin, own = people.Anyone, people.Enter, people.Share, people.SeeDrafts, people.Contribute, people.Decide, people.Administer, people.SelfManage
	const makes, changes = false, true
	return []route{
		// For those who run the server.
		{get, "/healthz", anyone, makes, s.healthy},
		{get, "/readyz", anyone, makes, s.ready},
		{get, "/metrics", anyone, makes, s.showMetrics},
		{get, "/static/*", anyone, makes, echo.WrapHandler(s.static)},

		// Coming in and going out.
		{get, "/", anyone, makes, s.front},
		{post, "/sign-in", anyone, makes, s.signIn},
		{post, "/sign-out", own, makes, s.signOut},
		{get, "/setup", anyone, makes, s.setupPage},
		{post, "/setup", anyone, makes, s.setup},
		{get, "/new-password", anyone, makes, s.codePage},
		{post, "/new-password", anyone, makes, s.useCode},

		// Places.
		{get, "/intake", drafts, makes, s.intake},
		{get, "/intake/rules", drafts, makes, s.rules},
		{get, "/intake/folders", drafts, makes, s.folders},
		{get, "/intake/:id", drafts, makes, s.intake},
		{get, "/bench", drafts, makes, s.bench},
		{get, "/bench/:id", drafts, makes, s.benchMaterial},
		{post, "/bench/:id/delete", work, changes, s.deleteDraft},
		{post, "/intake/:id/delete", work, changes, s.deleteDelivery},
		{get, "/compare", enter, makes, s.compare},
		{get, "/sheet", enter, makes, s.sheet},
		{get, "/sheet.png", enter, makes, s.sheetPicture},
		{get, "/finishes", work, makes, s.finishes},
		{get, "/finishes/:kind/ball.png", enter, makes, s.finishBall},
		{get, "/library", enter, makes, s.library},
		{get, "/library/choices", enter, makes, s.choices},
		{get, "/library/:slug", enter, makes, s.material},
		{get, "/library/:slug/cost", enter, makes, s.cost},
		{get, "/reviews", drafts, makes, s.reviews},
		{get, "/collections", enter, makes, s.collections},
		{get, "/library/cards", enter, makes, s.cards},
		{get, "/requests", enter, makes, s.requests},
		{get, "/requests/:id", enter, makes, s.requests},
		{get, "/notices", enter, makes, s.notices},
		{get, "/taken", enter, makes, s.taken},
		{get, "/profiles", enter, makes, s.profiles},
		{get, "/profiles/:id", enter, makes, s.profiles},
		{get, "/licences", anyone, makes, s.licences},
		{get, "/boards", enter, makes, s.boards},
		{get, "/jobs", drafts, makes, s.jobs},
		{post, "/jobs/:id/retry", work, makes, s.retryJob},
		{post, "/jobs/:id/cancel", work, makes, s.cancelJob},
		{get, "/standards", drafts, makes, s.standards},
		{get, "/words", drafts, makes, s.words},
		{get, "/people", admin, makes, s.people},
		{post, "/people", admin, makes, s.addPerson},
		{post, "/people/:id", admin, changes, s.changePerson},
		{post, "/people/:id/reset", admin, changes, s.resetPerson},
		{get, "/webhooks", admin, makes, s.webhooks},
		{post, "/webhooks", admin, changes, s.addWebhook},
		{post, "/webhooks/remove", admin, changes, s.removeWebhook},
		{post, "/webhooks/test", admin, makes, s.testWebhook},
		{post, "/webhooks/messages/:id/retry", admin, makes, s.retryMessage},
		{get, "/audit", admin, makes, s.audit},
		{post, "/people/tokens/:id/revoke", admin, makes, s.revokeAny},
		{get, "/deleted", drafts, makes, s.deleted},
		{post, "/deleted/:kind/:id", share, makes, s.restore},
		{get, "/you", enter, makes, s.you},
		{post, "/you/password", own, makes, s.changePassword},
		{post, "/you/tokens", own, makes, s.addToken},
		{post, "/you/tokens/:id/revoke", own, makes, s.revokeToken},
		{post, "/you/sign-ins/:sign-in/end", own, makes, s.endSignIn},
		{get, "/events", enter, makes, s.eventStream},
		{get, "/bench/:id/heat.png", drafts, makes, s.heat},
		{get, "/maps/:map/picture.jpg", drafts, makes, s.mapPicture},
		{get, "/maps/:map/exact.png", drafts, makes, s.mapExact},
		{get, "/maps/:map/tile.png", drafts, makes, s.mapTile},
		{get, "/maps/:map/pixel", drafts, makes, s.mapPixel},
		{get, "/maps/:map/section", drafts, makes, s.mapSection},
		{get, "/releases/:id/maps/:channel/picture.jpg", enter, makes, s.mapPicture},
		{get, "/releases/:id/maps/:channel/exact.png", enter, makes, s.mapExact},
		{get, "/releases/:id/maps/:channel/tile.png", enter, makes, s.mapTile},
		{get, "/releases/:id/maps/:channel/pixel", enter, makes, s.mapPixel},
		{get, "/releases/:id/maps/:channel/section", enter, makes, s.mapSection},
		{get, "/changes/:was/:now/:channel/:what", enter, makes, s.changePicture},
		{get, "/materials/:id/surface.bin", enter, makes, s.surfacePack},
		{get, "/releases/:id/surface.bin", enter, makes, s.releasedPack},
		{get, "/light/tables.bin", enter, makes, s.lightTables},
		{get, "/light/:id/light.bin", enter, makes, s.lightPack},
		{get, "/light/:id/thumb.png", enter, makes, s.lightThumb},
		{get, "/backdrops/:id/picture.png", enter, makes, s.backdrop},

		// For programs.
		{get, "/api/v1/openapi.json", anyone, makes, s.openAPI},
		{get, "/api/v1/events", enter, makes, s.eventStream},
		{get, "/api/v1/deliveries", drafts, makes, s.apiDeliveries},
		{post, "/api/v1/deliveries", work, makes, s.apiDeliver},
		{post, "/api/v1/uploads", work, makes, s.uploads.serve},
		{http.MethodHead, "/api/v1/uploads/:upload", work, makes, s.uploads.serve},
		{patch, "/api/v1/uploads/:upload", work, makes, s.uploads.serve},
		{remove, "/api/v1/uploads/:upload", work, makes, s.uploads.serve},
		{get, "/api/v1/deliveries/:id", drafts, makes, s.apiDelivery},
		{remove, "/api/v1/deliveries/:id", work, changes, s.apiDeleteDelivery},
		{post, "/api/v1/deliveries/:id/accept", work, changes, s.apiAccept},
		{post, "/api/v1/deliveries/:id/leave", work, changes, s.apiLeave},
		{post, "/api/v1/deliveries/:id/words", work, changes, s.apiAnswerWord},
		{post, "/api/v1/deliveries/:id/retry", work, changes, s.apiRetry},
		{put, "/api/v1/deliveries/:id/file", work, changes, s.apiResend},
		{get, "/api/v1/deliveries/:id/steps", drafts, makes, s.apiSteps},
		{get, "/api/v1/materials/:id/steps", drafts, makes, s.apiSteps},
		{post, "/api/v1/steps/:id/undo", work, makes, s.apiUndo}, // the step's id names exactly what is undone
		{post, "/api/v1/steps/:id/redo", work, makes, s.apiRedo},
		{get, "/api/v1/maps/:map/like", drafts, makes, s.apiLike},
		{post, "/api/v1/maps/:map/like", work, changes, s.apiAssignLike},
		{get, "/api/v1/watches", drafts, makes, s.apiWatches},
		{post, "/api/v1/watches", work, makes, s.apiAddWatch},
		{put, "/api/v1/watches/:id", work, changes, s.apiChangeWatch},
		{remove, "/api/v1/watches/:id", work, changes, s.apiRemoveWatch},
		{get, "/api/v1/rules", drafts, makes, s.apiRules},
		{get, "/api/v1/rules/proposals", drafts, makes, s.apiProposals},
		{post, "/api/v1/rules", work, makes, s.apiSaveRule},
		{put, "/api/v1/rules/:id", work, changes, s.apiSaveRule},
		{remove, "/api/v1/rules/:id", work, changes, s.apiRemoveRule},
		{get, "/api/v1/figures", enter, makes, s.apiFigure},
		{get, "/api/v1/materials", drafts, makes, s.apiDrafts},
		{patch, "/api/v1/materials", work, makes, s.apiChangeMany}, // each material is named with its version
		{post, "/api/v1/releases", work, makes, s.apiReleaseMany},
		{get, "/api/v1/materials/:id", drafts, makes, s.apiMaterial},
		{patch, "/api/v1/materials/:id", work, changes, s.apiPatch},
		{remove, "/api/v1/materials/:id", work, changes, s.apiDelete},
		{post, "/api/v1/materials/delete", work, makes, s.apiDeleteMany}, // each material is named with its version
		{get, "/api/v1/deleted", drafts, makes, s.apiDeleted},
		{post, "/api/v1/materials/:id/move", work, changes, s.apiMoveMaps},
		{put, "/api/v1/materials/:id/maps/:map", work, changes, s.apiAssign},
		{post, "/api/v1/materials/:id/known", work, changes, s.apiKnown},
		{post, "/api/v1/materials/:id/recipe", work, changes, s.apiTreat},
		{put, "/api/v1/materials/:id/recipe", work, changes, s.apiRecipe},
		{get, "/api/v1/treatments", drafts, makes, s.apiTreatments},
		{get, "/api/v1/standards", drafts, makes, s.apiStandards},
		{put, "/api/v1/standards", decide, changes, s.apiSaveStandards},
		{get, "/api/v1/synonyms", drafts, makes, s.apiSynonyms},
		{put, "/api/v1/synonyms", decide, changes, s.apiSaveSynonyms},
		{get, "/api/v1/materials/:id/releases", enter, makes, s.apiReleases},
		{post, "/api/v1/materials/:id/releases", work, changes, s.apiRelease},
		{get, "/api/v1/schedules", drafts, makes, s.apiSchedules},
		{post, "/api/v1/schedules", work, makes, s.apiSchedule},
		{remove, "/api/v1/schedules/:id", work, changes, s.apiRemoveSchedule},
		{get, "/api/v1/reviews", drafts, makes, s.apiReviews},
		{post, "/api/v1/materials/:id/review", work, changes, s.apiAskReview},
		{put, "/api/v1/materials/:id/review", decide, changes, s.apiAnswerReview},
		{put, "/api/v1/releases/:id/state", decide, changes, s.apiStand},
		{patch, "/api/v1/releases/:id", work, changes, s.apiCorrect},
		{post, "/api/v1/words", decide, makes, s.apiRenameWord},
		{get, "/api/v1/requests", enter, makes, s.apiRequests},
		{post, "/api/v1/requests", share, makes, s.apiAsk},
		{get, "/api/v1/requests/:id", enter, makes, s.apiRequest},
		{post, "/api/v1/requests/:id/answers", share, changes, s.apiAnswer},
		{get, "/api/v1/requests/:id/picture.jpg", enter, makes, s.apiRequestPicture},
		{put, "/api/v1/requests/:id/picture", share, changes, s.apiIllustrate},
		{get, "/api/v1/notices", enter, makes, s.apiNotices},
		{get, "/api/v1/webhooks", admin, makes, s.apiWebhooks},
		{put, "/api/v1/webhooks", admin, changes, s.apiSaveWebhooks},
		{post, "/api/v1/webhooks/test", admin, makes, s.apiTestWebhook},
		{get, "/api/v1/webhooks/messages", admin, makes, s.apiMessages},
		{post, "/api/v1/webhooks/messages/:id/retry", admin, makes, s.apiRetryMessage},
		{post, "/api/v1/corrections", work, makes, s.apiCorrectMany},
		{get, "/api/v1/collections", enter, makes, s.apiCollections},
		{post, "/api/v1/collections", share, makes, s.apiAddCollection},
		{get, "/api/v1/collections/:id", enter, makes, s.apiCollection},
		{patch, "/api/v1/collections/:id", share, changes, s.apiChangeCollection},
		{remove, "/api/v1/collections/:id", share, changes, s.apiRemoveCollection},
		{get, "/api/v1/stars", enter, makes, s.apiStars},
		{post, "/api/v1/stars", share, makes, s.apiStar},
		{get, "/api/v1/searches", enter, makes, s.apiSearches},
		{post, "/api/v1/searches", share, makes, s.apiAddSearch},
		{post, "/api/v1/searches/seen", share, makes, s.apiSeeSearch},
		{remove, "/api/v1/searches/:id", share, changes, s.apiRemoveSearch},
		{get, "/api/v1/packs", enter, makes, s.apiPack},
		{get, "/api/v1/takings", enter, makes, s.apiTakings},
		{get, "/api/v1/materials/:id/swatch.png", enter, makes, s.apiSwatch},
		{get, "/api/v1/materials/:id/swatch.jpg", enter, makes, s.apiSwatch},
		{get, "/api/v1/materials/:id/ball.png", enter, makes, s.apiBall},
		{get, "/api/v1/materials/:id/picture.png", enter, makes, s.apiView},
		{get, "/api/v1/materials/:id/picture.exr", enter, makes, s.apiView},
		{get, "/api/v1/releases/:id/picture.png", enter, makes, s.apiReleaseView},
		{get, "/api/v1/releases/:id/picture.exr", enter, makes, s.apiReleaseView},
		{get, "/api/v1/finishes", enter, makes, s.apiFinishes},
		{post, "/api/v1/finishes", work, makes, s.apiAddFinishes},
		{get, "/api/v1/environments", enter, makes, s.apiProps(pictures.Environment)},
		{post, "/api/v1/environments", share, makes, s.apiAddProp(pictures.Environment)},
		{remove, "/api/v1/environments/:id", share, changes, s.apiRemoveProp(pictures.Environment)},
		{post, "/api/v1/environments/:id/restore", share, changes, s.apiRestoreProp(pictures.Environment)},
		{get, "/api/v1/meshes", enter, makes, s.apiProps(pictures.Mesh)},
		{post, "/api/v1/meshes", share, makes, s.apiAddProp(pictures.Mesh)},
		{remove, "/api/v1/meshes/:id", share, changes, s.apiRemoveProp(pictures.Mesh)},
		{post, "/api/v1/meshes/:id/restore", share, changes, s.apiRestoreProp(pictures.Mesh)},
		{get, "/api/v1/backdrops", enter, makes, s.apiProps(pictures.Backdrop)},
		{post, "/api/v1/backdrops", share, makes, s.apiAddProp(pictures.Backdrop)},
		{remove, "/api/v1/backdrops/:id", share, changes, s.apiRemoveProp(pictures.Backdrop)},
		{post, "/api/v1/backdrops/:id/restore", share, changes, s.apiRestoreProp(pictures.Backdrop)},
		{post, "/api/v1/looks", enter, makes, s.apiLook},
		{get, "/api/v1/library", enter, makes, s.apiLibrary},
		{get, "/api/v1/releases/:id", enter, makes, s.apiReleased},
		{get, "/api/v1/releases/:id/swatch.png", enter, makes, s.apiReleaseSwatch},
		{get, "/api/v1/releases/:id/swatch.jpg", enter, makes, s.apiReleaseSwatch},
		{get, "/api/v1/releases/:id/ball.png", enter, makes, s.apiReleaseBall},
		{get, "/api/v1/releases/:id/handoff", enter, makes, s.apiHandoff},
		{get, "/api/v1/releases/:id/manifest", enter, makes, s.apiManifest},
		{get, "/api/v1/releases/:id/files/*", enter, makes, s.apiHandoffFile},
		{post, "/api/v1/trials", enter, makes, s.apiTry},
		{get, "/api/v1/profiles", enter, makes, s.apiProfiles},
		{post, "/api/v1/profiles", decide, makes, s.apiAddProfile},
		{get, "/api/v1/profiles/:id", enter, makes, s.apiProfile},
		{put, "/api/v1/profiles/:id", decide, changes, s.apiSaveProfile},
		{remove, "/api/v1/profiles/:id", decide, changes, s.apiRemoveProfile},
		{get, "/api/v1/trials/:key/:n", enter, makes, s.apiTrialPicture},
		{get, "/api/v1/jobs", drafts, makes, s.apiJobs},
		{post, "/api/v1/jobs/:id/cancel", work, makes, s.apiCancelJob},
		{get, "/api/v1/audit", admin, makes, s.apiAudit},
		{get, "/api/v1/tokens", admin, makes, s.apiTokens},
		{post, "/api/v1/tokens/:id/revoke", admin, makes, s.apiRevokeToken},
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

// showMetrics answers this machine, and administrators' tokens from elsewhere.
func (s *Server) showMetrics(c *echo.Context) error {
	if p := me(c); !local(c.Request()) && !p.May(people.Administer) {
		return refuse(http.StatusForbidden, "Metrics are for this machine alone, or for an administrator's token.")
	}
	promhttp.HandlerFor(s.registry, promhttp.HandlerOpts{}).ServeHTTP(c.Response(), c.Request())
	return nil
}
