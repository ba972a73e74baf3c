// Package api is the HTTP interface: Gin, with operations, validation and the
// OpenAPI document through huma. Handlers translate, and nothing else.
package api

import (
	"context"
	"errors"
	"io/fs"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"

	"hellebore/core/ground/phrase"
	"hellebore/core/language/labtext"
	"hellebore/core/simulation/history"
	"hellebore/server/live"
	"hellebore/server/store"
	"hellebore/server/sweeps"
)

// Version is the program's.
const Version = "0.1.0"

type handlers struct {
	labs   *live.Labs
	sweeps *sweeps.Pool
	known  known
}

// New makes the handler of the whole server: the interface below /api, and the
// web client everywhere else.
func New(labs *live.Labs, pool *sweeps.Pool, client fs.FS) http.Handler {
	gin.SetMode(gin.ReleaseMode)
	router := gin.New()
	router.HandleMethodNotAllowed = true
	router.Use(logRequests, compressed(), recovered, guarded)
	register(router, labs, pool)
	router.NoMethod(func(c *gin.Context) {
		refuse(c, http.StatusMethodNotAllowed, c.Request.Method+" is not possible here")
	})
	serveClient(router, client)
	return router
}

// recovered makes an answer of a panic: other requests go on.
func recovered(c *gin.Context) {
	defer func() {
		if cause := recover(); cause != nil {
			incident := live.Report("a request panicked: "+c.Request.Method+" "+c.Request.URL.Path, cause)
			if !c.Writer.Written() {
				refuse(c, http.StatusInternalServerError, incident.Error())
			}
			c.Abort()
		}
	}()
	c.Next()
}

// refuse answers with problem+json (RFC 9457).
func refuse(c *gin.Context, status int, detail string) {
	c.Header("Content-Type", "application/problem+json")
	c.AbortWithStatusJSON(status, huma.NewError(status, detail))
}

func register(router *gin.Engine, labs *live.Labs, pool *sweeps.Pool) huma.API {
	huma.DefaultArrayNullable = false // an empty list is a list
	config := huma.DefaultConfig("Hellebore", Version)
	config.OpenAPIPath, config.DocsPath, config.SchemasPath = "/api/openapi", "", "/api/schemas"
	config.CreateHooks = nil // no $schema members in answers
	api := humagin.New(router, config)
	h := &handlers{labs: labs, sweeps: pool}
	h.registerLabs(api)
	h.registerActions(api)
	h.registerText(api)
	h.registerViews(api)
	h.registerPaths(api)
	h.registerWaited(api)
	h.registerProbe(api)
	h.registerCapture(api)
	h.registerEvents(api)
	h.registerChanges(api)
	h.registerKept(api)
	h.registerAnswers(api)
	h.registerQuestions(api)
	h.registerBundles(api)
	h.registerEditing(api)
	h.registerSweeps(api)
	return api
}

// Document is the OpenAPI document, as JSON.
func Document() ([]byte, error) {
	gin.SetMode(gin.ReleaseMode)
	api := register(gin.New(), nil, nil)
	return api.OpenAPI().MarshalJSON()
}

// logRequests writes one structured line a request that is not a file of the
// client.
func logRequests(c *gin.Context) {
	start := time.Now()
	c.Next()
	if strings.HasPrefix(c.Request.URL.Path, "/api/") {
		slog.Debug("request", "method", c.Request.Method, "path", c.Request.URL.Path,
			"status", c.Writer.Status(), "took", time.Since(start))
	}
}

// problem turns an error of the layers below into problem+json (RFC 9457).
func problem(err error) error {
	var text *history.TextError
	var moved *live.MovedOn
	var overtaken *live.Overtaken
	var away *live.Unavailable
	var broken *live.Broken
	var incident *live.Incident
	switch {
	case err == nil:
		return nil
	case errors.As(err, &text):
		p := huma.NewError(http.StatusUnprocessableEntity, text.Error())
		for _, x := range text.Problems {
			if x.Severity == labtext.Error {
				p.(*huma.ErrorModel).Add(&huma.ErrorDetail{Message: x.String(), Location: "body.text"})
			}
		}
		return p
	case errors.As(err, &moved):
		p := huma.Error409Conflict(moved.Error())
		p.(*huma.ErrorModel).Add(&huma.ErrorDetail{Message: moved.Text, Location: "text", Value: moved.Seq})
		for _, c := range moved.Changes {
			p.(*huma.ErrorModel).Add(&huma.ErrorDetail{Message: c.String(), Location: "change"})
		}
		return p
	case errors.As(err, &overtaken):
		p := huma.Error409Conflict(overtaken.Error())
		p.(*huma.ErrorModel).Add(&huma.ErrorDetail{Message: overtaken.ID, Location: "preview"})
		for _, a := range overtaken.Since {
			p.(*huma.ErrorModel).Add(&huma.ErrorDetail{Message: a, Location: "since"})
		}
		return p
	case errors.As(err, &away):
		slog.Error("the database is away", "error", away.Err)
		return huma.Error503ServiceUnavailable(away.Error())
	case errors.As(err, &broken):
		p := huma.Error500InternalServerError(broken.Error())
		p.(*huma.ErrorModel).Add(&huma.ErrorDetail{Message: broken.Number, Location: "broken"})
		return p
	case errors.As(err, &incident):
		return huma.Error500InternalServerError(incident.Error())
	case errors.Is(err, store.ErrRefused):
		return huma.Error422UnprocessableEntity(phrase.Text("the database cannot keep this; is there a character in it that no text has?"))
	case errors.Is(err, store.ErrNotFound):
		return huma.Error404NotFound(phrase.Text("there is no such lab; it may have been deleted"))
	case errors.Is(err, store.ErrNoSweep):
		return huma.Error404NotFound(phrase.Text("there is no such sweep; it may have been deleted, or the lab was reset"))
	case errors.Is(err, store.ErrMovedOn):
		return huma.Error409Conflict(phrase.Text("the lab has moved on: another server has acted on it; reload the page"))
	case errors.Is(err, context.Canceled), errors.Is(err, history.ErrStopped):
		return huma.NewError(499, phrase.Text("the request was cancelled"))
	}
	// What is left are refusals of the core: sentences for the user.
	return huma.Error422UnprocessableEntity(err.Error())
}
