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
	const unversioned, versioned = false, true
	return []route{
		// For those who run the server.
		{get, "/healthz", anyone, unversioned, s.healthy},
		{get, "/readyz", anyone, unversioned, s.ready},
		{get, "/metrics", anyone, unversioned, s.showMetrics},
		{get, "/static/*", anyone, unversioned, echo.WrapHandler(s.static)},

		// Coming in and going out.
		{get, "/", anyone, unversioned, s.front},
		{post, "/sign-in", anyone, unversioned, s.signIn},
		{post, "/sign-out", own, unversioned, s.signOut},
		{get, "/setup", anyone, unversioned, s.setupPage},
		{post, "/setup", anyone, unversioned, s.setup},
		{get, "/new-password", anyone, unversioned, s.codePage},
		{post, "/new-password", anyone, unversioned, s.useCode},

		// Places.
		{get, "/intake", drafts, unversioned, s.intake},
		{get, "/intake/rules", drafts, unversioned, s.rules},
		{get, "/intake/folders", drafts, unversioned, s.folders},
		{get, "/intake/:id", drafts, unversioned, s.intake},
		{get, "/bench", drafts, unversioned, s.bench},
		{get, "/bench/:id", drafts, unversioned, s.benchMaterial},
		{post, "/bench/:id/delete", work, versioned, s.deleteDraft},
		{post, "/intake/:id/delete", work, versioned, s.deleteDelivery},
		{get, "/compare", enter, unversioned, s.compare},
		{get, "/sheet", enter, unversioned, s.sheet},
		{get, "/sheet.png", enter, unversioned, s.sheetPicture},
		{get, "/finishes", work, unversioned, s.finishes},
		{get, "/finishes/:kind/ball.png", enter, unversioned, s.finishBall},
		{get, "/library", enter, unversioned, s.library},
		{get, "/library/choices", enter, unversioned, s.choices},
		{get, "/library/:slug", enter, unversioned, s.material},
		{get, "/library/:slug/cost", enter, unversioned, s.cost},
		{get, "/reviews", drafts, unversioned, s.reviews},
		{get, "/collections", enter, unversioned, s.collections},
		{get, "/library/cards", enter, unversioned, s.cards},
		{get, "/requests", enter, unversioned, s.requests},
		{get, "/requests/:id", enter, unversioned, s.requests},
		{get, "/notices", enter, unversioned, s.notices},
		{get, "/taken", enter, unversioned, s.taken},
		{get, "/profiles", enter, unversioned, s.profiles},
		{get, "/profiles/:id", enter, unversioned, s.profiles},
		{get, "/licences", anyone, unversioned, s.licences},
		{get, "/jobs", drafts, unversioned, s.jobs},
		{post, "/jobs/:id/retry", work, unversioned, s.retryJob},
		{post, "/jobs/:id/cancel", work, unversioned, s.cancelJob},
		{get, "/standards", drafts, unversioned, s.standards},
		{get, "/words", drafts, unversioned, s.words},
		{get, "/people", admin, unversioned, s.people},
		{post, "/people", admin, unversioned, s.addPerson},
		{post, "/people/:id", admin, versioned, s.changePerson},
		{post, "/people/:id/reset", admin, versioned, s.resetPerson},
		{get, "/webhooks", admin, unversioned, s.webhooks},
		{post, "/webhooks", admin, versioned, s.addWebhook},
		{post, "/webhooks/remove", admin, versioned, s.removeWebhook},
		{post, "/webhooks/test", admin, unversioned, s.testWebhook},
		{post, "/webhooks/messages/:id/retry", admin, unversioned, s.retryMessage},
		{get, "/audit", admin, unversioned, s.audit},
		{post, "/people/tokens/:id/revoke", admin, unversioned, s.revokeAny},
		{get, "/deleted", drafts, unversioned, s.deleted},
		{post, "/deleted/:kind/:id", share, unversioned, s.restore},
		{get, "/you", enter, unversioned, s.you},
		{post, "/you/password", own, unversioned, s.changePassword},
		{post, "/you/tokens", own, unversioned, s.addToken},
		{post, "/you/tokens/:id/revoke", own, unversioned, s.revokeToken},
		{post, "/you/sign-ins/:sign-in/end", own, unversioned, s.endSignIn},
		{get, "/events", enter, unversioned, s.eventStream},
		{get, "/bench/:id/heat.png", drafts, unversioned, s.heat},
		{post, "/bench/:id/trial.png", drafts, unversioned, s.trial},
		{get, "/maps/:map/picture.jpg", drafts, unversioned, s.mapPicture},
		{get, "/maps/:map/exact.png", drafts, unversioned, s.mapExact},
		{get, "/maps/:map/tile.png", drafts, unversioned, s.mapTile},
		{get, "/maps/:map/pixel", drafts, unversioned, s.mapPixel},
		{get, "/maps/:map/mean", drafts, unversioned, s.mapMean},
		{get, "/maps/:map/section", drafts, unversioned, s.mapSection},
		{get, "/releases/:id/maps/:channel/picture.jpg", enter, unversioned, s.mapPicture},
		{get, "/releases/:id/maps/:channel/exact.png", enter, unversioned, s.mapExact},
		{get, "/releases/:id/maps/:channel/tile.png", enter, unversioned, s.mapTile},
		{get, "/releases/:id/maps/:channel/pixel", enter, unversioned, s.mapPixel},
		{get, "/releases/:id/maps/:channel/section", enter, unversioned, s.mapSection},
		{get, "/changes/:was/:now/:channel/:what", enter, unversioned, s.changePicture},
		{get, "/materials/:id/surface.bin", enter, unversioned, s.surfacePack},
		{get, "/releases/:id/surface.bin", enter, unversioned, s.releasedPack},
		{get, "/light/tables.bin", enter, unversioned, s.lightTables},
		{get, "/light/:id/light.bin", enter, unversioned, s.lightPack},
		{get, "/light/:id/thumb.png", enter, unversioned, s.lightThumb},
		{get, "/backdrops/:id/picture.png", enter, unversioned, s.backdrop},

		// For programs.
		{get, "/api/v1/openapi.json", anyone, unversioned, s.openAPI},
		{get, "/api/v1/events", enter, unversioned, s.eventStream},
		{get, "/api/v1/deliveries", drafts, unversioned, s.apiDeliveries},
		{post, "/api/v1/deliveries", work, unversioned, s.apiDeliver},
		{post, "/api/v1/uploads", work, unversioned, s.uploads.serve},
		{http.MethodHead, "/api/v1/uploads/:upload", work, unversioned, s.uploads.serve},
		{patch, "/api/v1/uploads/:upload", work, unversioned, s.uploads.serve},
		{remove, "/api/v1/uploads/:upload", work, unversioned, s.uploads.serve},
		{get, "/api/v1/deliveries/:id", drafts, unversioned, s.apiDelivery},
		{remove, "/api/v1/deliveries/:id", work, versioned, s.apiDeleteDelivery},
		{post, "/api/v1/deliveries/:id/accept", work, versioned, s.apiAccept},
		{post, "/api/v1/deliveries/:id/leave", work, versioned, s.apiLeave},
		{post, "/api/v1/deliveries/:id/words", work, versioned, s.apiAnswerWord},
		{post, "/api/v1/deliveries/:id/retry", work, versioned, s.apiRetry},
		{put, "/api/v1/deliveries/:id/file", work, versioned, s.apiResend},
		{get, "/api/v1/deliveries/:id/steps", drafts, unversioned, s.apiSteps},
		{get, "/api/v1/materials/:id/steps", drafts, unversioned, s.apiSteps},
		{post, "/api/v1/steps/:id/undo", work, unversioned, s.apiUndo}, // the step's id names exactly what is undone
		{post, "/api/v1/steps/:id/redo", work, unversioned, s.apiRedo},
		{get, "/api/v1/maps/:map/like", drafts, unversioned, s.apiLike},
		{post, "/api/v1/maps/:map/like", work, versioned, s.apiAssignLike},
		{get, "/api/v1/watches", drafts, unversioned, s.apiWatches},
		{post, "/api/v1/watches", work, unversioned, s.apiAddWatch},
		{put, "/api/v1/watches/:id", work, versioned, s.apiChangeWatch},
		{remove, "/api/v1/watches/:id", work, versioned, s.apiRemoveWatch},
		{get, "/api/v1/rules", drafts, unversioned, s.apiRules},
		{get, "/api/v1/rules/proposals", drafts, unversioned, s.apiProposals},
		{post, "/api/v1/rules", work, unversioned, s.apiSaveRule},
		{put, "/api/v1/rules/:id", work, versioned, s.apiSaveRule},
		{remove, "/api/v1/rules/:id", work, versioned, s.apiRemoveRule},
		{get, "/api/v1/figures", enter, unversioned, s.apiFigure},
		{get, "/api/v1/materials", drafts, unversioned, s.apiDrafts},
		{patch, "/api/v1/materials", work, unversioned, s.apiChangeMany}, // each material is named with its version
		{post, "/api/v1/releases", work, unversioned, s.apiReleaseMany},
		{get, "/api/v1/materials/:id", drafts, unversioned, s.apiMaterial},
		{patch, "/api/v1/materials/:id", work, versioned, s.apiPatch},
		{remove, "/api/v1/materials/:id", work, versioned, s.apiDelete},
		{post, "/api/v1/materials/delete", work, unversioned, s.apiDeleteMany}, // each material is named with its version
		{get, "/api/v1/deleted", drafts, unversioned, s.apiDeleted},
		{post, "/api/v1/materials/:id/move", work, versioned, s.apiMoveMaps},
		{put, "/api/v1/materials/:id/maps/:map", work, versioned, s.apiAssign},
		{post, "/api/v1/materials/:id/known", work, versioned, s.apiKnown},
		{post, "/api/v1/materials/:id/recipe", work, versioned, s.apiTreat},
		{put, "/api/v1/materials/:id/recipe", work, versioned, s.apiRecipe},
		{get, "/api/v1/treatments", drafts, unversioned, s.apiTreatments},
		{get, "/api/v1/standards", drafts, unversioned, s.apiStandards},
		{put, "/api/v1/standards", decide, versioned, s.apiSaveStandards},
		{get, "/api/v1/synonyms", drafts, unversioned, s.apiSynonyms},
		{put, "/api/v1/synonyms", decide, versioned, s.apiSaveSynonyms},
		{get, "/api/v1/thesaurus", drafts, unversioned, s.apiThesaurus},
		{put, "/api/v1/thesaurus", decide, versioned, s.apiSaveThesaurus},
		{get, "/api/v1/materials/:id/releases", enter, unversioned, s.apiReleases},
		{post, "/api/v1/materials/:id/releases", work, versioned, s.apiRelease},
		{get, "/api/v1/schedules", drafts, unversioned, s.apiSchedules},
		{post, "/api/v1/schedules", work, unversioned, s.apiSchedule},
		{remove, "/api/v1/schedules/:id", work, versioned, s.apiRemoveSchedule},
		{get, "/api/v1/reviews", drafts, unversioned, s.apiReviews},
		{post, "/api/v1/materials/:id/review", work, versioned, s.apiAskReview},
		{put, "/api/v1/materials/:id/review", decide, versioned, s.apiAnswerReview},
		{put, "/api/v1/releases/:id/state", decide, versioned, s.apiStand},
		{patch, "/api/v1/releases/:id", work, versioned, s.apiCorrect},
		{post, "/api/v1/words", decide, unversioned, s.apiRenameWord},
		{get, "/api/v1/requests", enter, unversioned, s.apiRequests},
		{post, "/api/v1/requests", share, unversioned, s.apiAsk},
		{get, "/api/v1/requests/:id", enter, unversioned, s.apiRequest},
		{post, "/api/v1/requests/:id/answers", share, versioned, s.apiAnswer},
		{get, "/api/v1/requests/:id/picture.jpg", enter, unversioned, s.apiRequestPicture},
		{put, "/api/v1/requests/:id/picture", share, versioned, s.apiIllustrate},
		{get, "/api/v1/notices", enter, unversioned, s.apiNotices},
		{get, "/api/v1/webhooks", admin, unversioned, s.apiWebhooks},
		{put, "/api/v1/webhooks", admin, versioned, s.apiSaveWebhooks},
		{post, "/api/v1/webhooks/test", admin, unversioned, s.apiTestWebhook},
		{get, "/api/v1/webhooks/messages", admin, unversioned, s.apiMessages},
		{post, "/api/v1/webhooks/messages/:id/retry", admin, unversioned, s.apiRetryMessage},
		{post, "/api/v1/corrections", work, unversioned, s.apiCorrectMany},
		{get, "/api/v1/collections", enter, unversioned, s.apiCollections},
		{post, "/api/v1/collections", share, unversioned, s.apiAddCollection},
		{get, "/api/v1/collections/:id", enter, unversioned, s.apiCollection},
		{patch, "/api/v1/collections/:id", share, versioned, s.apiChangeCollection},
		{remove, "/api/v1/collections/:id", share, versioned, s.apiRemoveCollection},
		{get, "/api/v1/stars", enter, unversioned, s.apiStars},
		{post, "/api/v1/stars", share, unversioned, s.apiStar},
		{get, "/api/v1/searches", enter, unversioned, s.apiSearches},
		{post, "/api/v1/searches", share, unversioned, s.apiAddSearch},
		{post, "/api/v1/searches/seen", share, unversioned, s.apiSeeSearch},
		{remove, "/api/v1/searches/:id", share, versioned, s.apiRemoveSearch},
		{get, "/api/v1/packs", enter, unversioned, s.apiPack},
		{get, "/api/v1/takings", enter, unversioned, s.apiTakings},
		{get, "/api/v1/convention", enter, unversioned, s.apiConvention},
		{put, "/api/v1/convention", share, versioned, s.apiSaveConvention},
		{get, "/api/v1/materials/:id/swatch.png", enter, unversioned, s.apiSwatch},
		{get, "/api/v1/materials/:id/swatch.jpg", enter, unversioned, s.apiSwatch},
		{get, "/api/v1/materials/:id/ball.png", enter, unversioned, s.apiBall},
		{get, "/api/v1/materials/:id/picture.png", enter, unversioned, s.apiView},
		{get, "/api/v1/materials/:id/picture.exr", enter, unversioned, s.apiView},
		{get, "/api/v1/releases/:id/picture.png", enter, unversioned, s.apiReleaseView},
		{get, "/api/v1/releases/:id/picture.exr", enter, unversioned, s.apiReleaseView},
		{get, "/api/v1/finishes", enter, unversioned, s.apiFinishes},
		{post, "/api/v1/finishes", work, unversioned, s.apiAddFinishes},
		{get, "/api/v1/environments", enter, unversioned, s.apiProps(pictures.Environment)},
		{post, "/api/v1/environments", share, unversioned, s.apiAddProp(pictures.Environment)},
		{remove, "/api/v1/environments/:id", share, versioned, s.apiRemoveProp(pictures.Environment)},
		{post, "/api/v1/environments/:id/restore", share, versioned, s.apiRestoreProp(pictures.Environment)},
		{get, "/api/v1/meshes", enter, unversioned, s.apiProps(pictures.Mesh)},
		{post, "/api/v1/meshes", share, unversioned, s.apiAddProp(pictures.Mesh)},
		{remove, "/api/v1/meshes/:id", share, versioned, s.apiRemoveProp(pictures.Mesh)},
		{post, "/api/v1/meshes/:id/restore", share, versioned, s.apiRestoreProp(pictures.Mesh)},
		{get, "/api/v1/backdrops", enter, unversioned, s.apiProps(pictures.Backdrop)},
		{post, "/api/v1/backdrops", share, unversioned, s.apiAddProp(pictures.Backdrop)},
		{remove, "/api/v1/backdrops/:id", share, versioned, s.apiRemoveProp(pictures.Backdrop)},
		{post, "/api/v1/backdrops/:id/restore", share, versioned, s.apiRestoreProp(pictures.Backdrop)},
		{post, "/api/v1/looks", enter, unversioned, s.apiLook},
		{post, likePath, enter, unversioned, s.apiLook},
		{get, "/api/v1/library", enter, unversioned, s.apiLibrary},
		{get, "/api/v1/releases/:id", enter, unversioned, s.apiReleased},
		{get, "/api/v1/releases/:id/swatch.png", enter, unversioned, s.apiReleaseSwatch},
		{get, "/api/v1/releases/:id/swatch.jpg", enter, unversioned, s.apiReleaseSwatch},
		{get, "/api/v1/releases/:id/ball.png", enter, unversioned, s.apiReleaseBall},
		{get, "/api/v1/releases/:id/handoff", enter, unversioned, s.apiHandoff},
		{get, "/api/v1/releases/:id/manifest", enter, unversioned, s.apiManifest},
		{get, "/api/v1/releases/:id/files/*", enter, unversioned, s.apiHandoffFile},
		{post, "/api/v1/trials", enter, unversioned, s.apiTry},
		{get, "/api/v1/profiles", enter, unversioned, s.apiProfiles},
		{post, "/api/v1/profiles", decide, unversioned, s.apiAddProfile},
		{get, "/api/v1/profiles/:id", enter, unversioned, s.apiProfile},
		{put, "/api/v1/profiles/:id", decide, versioned, s.apiSaveProfile},
		{remove, "/api/v1/profiles/:id", decide, versioned, s.apiRemoveProfile},
		{get, "/api/v1/trials/:key/:n", enter, unversioned, s.apiTrialPicture},
		{get, "/api/v1/jobs", drafts, unversioned, s.apiJobs},
		{post, "/api/v1/jobs/:id/cancel", work, unversioned, s.apiCancelJob},
		{get, "/api/v1/audit", admin, unversioned, s.apiAudit},
		{get, "/api/v1/tokens", admin, unversioned, s.apiTokens},
		{post, "/api/v1/tokens/:id/revoke", admin, unversioned, s.apiRevokeToken},
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
