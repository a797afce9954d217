// Package web serves the pages. Each has a folder of its own; this one puts
// them behind the walls: sessions, headers, limits, and errors in sentences.
package web

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net/http"
	"net/url"
	"path"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"metrogon/farm"
	"metrogon/farm/people"
	"metrogon/farm/services"
	"metrogon/formats/table"
	"metrogon/web/assets"
	"metrogon/web/books"
	"metrogon/web/breeders"
	"metrogon/web/brood"
	"metrogon/web/candle"
	"metrogon/web/clutch"
	"metrogon/web/find"
	"metrogon/web/flock"
	"metrogon/web/gauges"
	"metrogon/web/handover"
	"metrogon/web/hatch"
	"metrogon/web/incubate"
	"metrogon/web/journal"
	"metrogon/web/kinds"
	"metrogon/web/machines"
	"metrogon/web/moving"
	"metrogon/web/outage"
	"metrogon/web/page"
	door "metrogon/web/people"
	"metrogon/web/probes"
	"metrogon/web/remind"
	"metrogon/web/report"
	"metrogon/web/season"
	"metrogon/web/stock"
	"metrogon/web/supplies"
	"metrogon/web/today"
	"metrogon/web/weigh"
)

//go:embed lost.html
var files embed.FS

// Options say how the pages are served.
type Options struct {
	Sessions scs.CtxStore // where sessions are kept
	Secure   bool         // behind a proxy that speaks HTTPS
	Log      *slog.Logger
	Closing  <-chan struct{} // closed once the server stops; nil: never
	Server   page.Server
	Source   fs.FS // web's own folder, so that a changed template, style or script is seen at once; nil: what was built in
}

// what a page may load: this server's own, and nothing inline
const policy = "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data:; " +
	"manifest-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"

// New builds the server's handler.
func New(farms *services.Services, o Options) (http.Handler, error) {
	e, site, err := routes(farms, o)
	if err != nil {
		return nil, err
	}
	var h http.Handler = site.Sessions.LoadAndSave(e)
	h = http.NewCrossOriginProtection().Handler(h)
	return headers(h), nil
}

// pages hang their routes in, in the order of a day's work.
var pages = []func(*echo.Echo, *page.Site){
	door.Routes, today.Routes, stock.Routes, incubate.Routes, clutch.Routes, moving.Routes, outage.Routes, report.Routes,
	brood.Routes, supplies.Routes, gauges.Routes, probes.Routes, candle.Routes, hatch.Routes, weigh.Routes, season.Routes,
	flock.Routes, breeders.Routes, machines.Routes, kinds.Routes, handover.Routes, journal.Routes, remind.Routes,
	books.Routes, find.Routes,
}

func routes(farms *services.Services, o Options) (*echo.Echo, *page.Site, error) {
	assetServer, err := assets.New(o.Source)
	if err != nil {
		return nil, nil, err
	}
	sessions := scs.New()
	sessions.Store = o.Sessions
	sessions.Lifetime = people.SessionHolds
	sessions.Cookie.Name = "metrogon"
	sessions.Cookie.HttpOnly = true
	sessions.Cookie.SameSite = http.SameSiteLaxMode
	sessions.Cookie.Secure = o.Secure
	sessions.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) {
		o.Log.Error("session", "err", err)
		w.Header().Set("Retry-After", "3")
		http.Error(w, awayText, http.StatusServiceUnavailable)
	}
	site := &page.Site{
		Services: farms, Sessions: sessions, Assets: assetServer, Log: o.Log, Secure: o.Secure,
		Closing: o.Closing, Server: o.Server, Source: o.Source,
	}
	e := echo.NewWithConfig(echo.Config{Logger: o.Log})
	e.IPExtractor = echo.ExtractIPDirect()
	if o.Secure {
		e.IPExtractor = echo.ExtractIPFromXFFHeader()
	}
	e.Use(page.Tracked, middleware.RequestLoggerWithConfig(middleware.RequestLoggerConfig{
		LogStatus: true, LogMethod: true, LogURIPath: true, LogLatency: true, HandleError: true,
		Skipper: func(c *echo.Context) bool { // and what comes many times a second
			return strings.HasPrefix(c.Request().URL.Path, "/assets/") || c.Request().URL.Path == "/probe"
		},
		LogValuesFunc: func(c *echo.Context, v middleware.RequestLoggerValues) error {
			t := page.TrackOf(c.Request().Context())
			o.Log.InfoContext(
				c.Request().Context(), "asked", "method", v.Method, "path", logged(v.URIPath), "status", v.Status,
				"ms", ms(v.Latency), "db_ms", ms(t.Spent.Took()), "db_asked", t.Spent.Asked(),
			)
			return nil
		},
	}), middleware.Recover(), bounded, bodyLimits, middleware.GzipWithConfig(middleware.GzipConfig{
		Level: 2, // a few bytes more for half of the work
		Skipper: func(c *echo.Context) bool {
			return strings.HasPrefix(c.Request().URL.Path, "/assets/") || livePath(c.Request().URL.Path)
		},
	}))
	e.GET("/assets/*", echo.WrapHandler(assetServer))
	e.GET("/sw.js", func(c *echo.Context) error { // at the root, since it serves pages from there
		return c.Blob(http.StatusOK, "text/javascript; charset=utf-8", assetServer.Plain("sw.js"))
	})
	e.GET("/manifest.webmanifest", func(c *echo.Context) error {
		return c.Blob(http.StatusOK, "application/manifest+json", assetServer.Plain("manifest.webmanifest"))
	})
	e.GET("/healthz", func(c *echo.Context) error {
		ctx, cancel := context.WithTimeout(c.Request().Context(), 3*time.Second)
		defer cancel()
		err := farms.Ping(ctx)
		switch newer := farm.Newer(err); {
		case newer != "":
			return c.String(http.StatusServiceUnavailable, newer+"\n")
		case err != nil:
			return c.String(http.StatusServiceUnavailable, "the database does not answer\n")
		}
		return c.String(http.StatusOK, "well\n")
	})
	for _, hang := range pages {
		hang(e, site)
	}
	e.HTTPErrorHandler = errorHandler(site, e)
	return e, site, nil
}

func headers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", policy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		if !strings.HasPrefix(r.URL.Path, "/assets/") {
			h.Set("Cache-Control", "no-store")
		}
		next.ServeHTTP(w, r)
	})
}

// awayText is said while the database is.
const awayText = "The database does not answer just now. Nothing was lost; try again in a moment."

// How long a request may be worked on; a list may take longer.
const (
	longest     = 30 * time.Second
	longestFile = 2 * time.Minute
)

// Where files may be sent.
const (
	restorePath = "/books/restore"
	listsPath   = "/books/lists/"
)

// maxArchive is how large the archive of a farm may be, in bytes.
const maxArchive = 200 << 20

// secrets are the addresses that open something to whoever has them: a link for a password, onto a farm, to a calendar,
// to a list.
var secrets = []string{"/password/", "/join/", "/calendar/", "/list/"}

// logged is a path as the log has it: secrets are cut.
func logged(path string) string {
	for _, s := range secrets {
		if rest, ok := strings.CutPrefix(path, s); ok {
			return s + rest[:min(3, len(rest))] + "…"
		}
	}
	return path
}

// ms is a duration as the log has it.
func ms(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }

// livePath is where pages hear of what is done meanwhile.
func livePath(path string) bool {
	return strings.HasSuffix(path, "/live") &&
		(strings.HasPrefix(path, "/watch/") || strings.HasPrefix(path, "/machines/"))
}

// bounded ends the work on a request after its time, or once nobody waits for it.
func bounded(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		asked := c.Request()
		if livePath(asked.URL.Path) { // stays open, and holds nothing
			return next(c)
		}
		limit := longest
		if asked.URL.Path == restorePath || strings.HasPrefix(asked.URL.Path, listsPath) {
			limit = longestFile
		}
		ctx, cancel := context.WithTimeout(asked.Context(), limit)
		defer func() {
			cancel()
			c.SetRequest(asked) // what answers an error has a living context
		}()
		c.SetRequest(asked.WithContext(ctx))
		return next(c)
	}
}

// bodyLimits hold what may be sent: lists, archives and forms.
func bodyLimits(next echo.HandlerFunc) echo.HandlerFunc {
	files := middleware.BodyLimit(table.MaxBytes + 1<<16)(next)
	forms := middleware.BodyLimit(page.MaxForm)(next)
	archives := middleware.BodyLimit(maxArchive)(next)
	return func(c *echo.Context) error {
		switch path := c.Request().URL.Path; {
		case strings.HasPrefix(path, listsPath):
			return files(c)
		case path == restorePath:
			return archives(c)
		}
		return forms(c)
	}
}

// told is what a page itself says of a refusal.
func told(err error) string {
	var coded *echo.HTTPError
	if errors.As(err, &coded) {
		return coded.Message
	}
	return "This is not open to you."
}

// lost says what is wrong, and leads on.
type lost struct{ Says, To, Label string }

// lists are the pages that lead to one thing each, by the first part of its address.
var lists = map[string]lost{
	"batches": {To: "/batches", Label: "To the batches"}, "watch": {To: "/batches", Label: "To the batches"},
	"pens": {To: "/pens", Label: "To the pens"}, "birds": {To: "/birds", Label: "To the birds"},
	"machines": {To: "/machines", Label: "To the machines"}, "promises": {To: "/promises", Label: "To the promises"},
	"planned": {To: "/board", Label: "To the board"}, "places": {To: "/eggs/store", Label: "To the store"},
}

// notHere leads from the address of a thing that is gone to those that are there.
func notHere(path string) lost {
	first, rest, _ := strings.Cut(strings.TrimPrefix(path, "/"), "/")
	if to, ok := lists[first]; ok && rest != "" {
		to.Says = "What stood here was taken back, or never was on your farm."
		return to
	}
	return lost{"There is no such page on your farm.", "/", "To today"}
}

// nearest finds the page that an address lies under to which only forms are sent: one that came back leaves it in the
// bar, where it may be opened again.
func nearest(e *echo.Echo) func(*http.Request, int) (string, bool) {
	routes := http.NewServeMux()
	for _, r := range e.Router().Routes() {
		if r.Path != "/" {
			routes.Handle(r.Method+" "+page.Pattern(strings.TrimSuffix(r.Path, "*")), http.NotFoundHandler())
		}
	}
	route := func(method, address string) string {
		_, pattern := routes.Handler(&http.Request{Method: method, URL: &url.URL{Path: address}, Host: "farm"})
		return pattern
	}
	return func(r *http.Request, status int) (string, bool) {
		form := route(http.MethodPost, r.URL.Path)
		switch gone := strings.HasSuffix(form, "}"); { // a thing that has a page, and is no more
		case r.Method != http.MethodGet || form == "":
			return "", false
		case status != http.StatusMethodNotAllowed && (status != http.StatusNotFound || gone):
			return "", false
		}
		for to := path.Dir(r.URL.Path); to != "/"; to = path.Dir(to) {
			if route(http.MethodGet, to) != "" {
				return to, true
			}
		}
		return "/", true
	}
}

// errorHandler turns what went wrong into a page with one sentence.
func errorHandler(site *page.Site, e *echo.Echo) echo.HTTPErrorHandler {
	above := nearest(e)
	t := page.Parse[lost](site, files, "lost.html")
	return func(c *echo.Context, err error) {
		if r, _ := echo.UnwrapResponse(c.Response()); r != nil && r.Committed {
			return
		}
		status, title := http.StatusInternalServerError, "That did not work"
		to := lost{
			"Something went wrong on our side and was written down. Nothing you entered before was lost; try again.",
			"/", "To today",
		}
		var coded echo.HTTPStatusCoder
		switch {
		case errors.Is(err, farm.ErrNone):
			status = http.StatusNotFound
		case c.Request().Context().Err() != nil && !errors.Is(c.Request().Context().Err(), context.DeadlineExceeded):
			site.Log.InfoContext(c.Request().Context(), "nobody waited", "path", logged(c.Request().URL.Path))
			status, to.Says = http.StatusServiceUnavailable, awayText
		case farm.Unavailable(err):
			status, to.Says = http.StatusServiceUnavailable, awayText
			site.Log.ErrorContext(c.Request().Context(), "unavailable", "path", logged(c.Request().URL.Path), "err", err)
			c.Response().Header().Set("Retry-After", "3")
		case errors.As(err, &coded) && coded.StatusCode() == http.StatusForbidden:
			status, title, to.Says = http.StatusForbidden, "Not yours to do", told(err)
		case errors.As(err, &coded) && coded.StatusCode() == http.StatusGone:
			status, title, to.Says = http.StatusGone, "This link is spent", told(err)
		case errors.As(err, &coded) && coded.StatusCode() < 500:
			status, to.Says = coded.StatusCode(), "This cannot be read. Go back and send it again."
		}
		if to, ok := above(c.Request(), status); ok {
			_ = c.Redirect(http.StatusSeeOther, to)
			return
		}
		switch status {
		case http.StatusNotFound, http.StatusMethodNotAllowed:
			status, title, to = http.StatusNotFound, "Not here", notHere(c.Request().URL.Path)
		case http.StatusRequestEntityTooLarge:
			to.Says = fmt.Sprintf(
				"That is too large; a file may have up to %d MB, a form %d.", table.MaxBytes>>20, page.MaxForm>>20,
			)
		case http.StatusInternalServerError:
			site.Log.ErrorContext(c.Request().Context(), "request failed", "path", logged(c.Request().URL.Path), "err", err)
		}
		c.Response().Header().Set("HX-Push-Url", "false")
		whole, err := t.Draw(page.Meta{Title: title}, to)
		if err != nil {
			site.Log.ErrorContext(c.Request().Context(), "error page", "err", err)
		}
		_ = c.HTMLBlob(status, whole)
	}
}
