package page

import (
	"context"
	"crypto/rand"
	"log/slog"
	"sync/atomic"

	"github.com/labstack/echo/v5"

	"metrogon/farm"
)

// Track is what the log says of one request: its id, and farm and person by their numbers, once they are known.
type Track struct {
	ID           string
	Spent        *farm.Spent
	farm, person atomic.Int64
}

type trackKey struct{}

// Tracked gives each request its track.
func Tracked(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		ctx, spent := farm.Timed(c.Request().Context())
		t := &Track{ID: rand.Text()[:12], Spent: spent}
		c.SetRequest(c.Request().WithContext(context.WithValue(ctx, trackKey{}, t)))
		c.Response().Header().Set("X-Request-Id", t.ID)
		return next(c)
	}
}

// TrackOf is the track of the request that a context belongs to; nil where there is none.
func TrackOf(ctx context.Context) *Track {
	t, _ := ctx.Value(trackKey{}).(*Track)
	return t
}

// of notes who asks.
func (t *Track) of(m *farm.Member) {
	if t != nil {
		t.farm.Store(m.FarmID)
		t.person.Store(m.PersonID)
	}
}

// LogHandler puts the track of a request on every line that is logged in it.
type LogHandler struct{ slog.Handler }

// Handle logs a line.
func (h LogHandler) Handle(ctx context.Context, r slog.Record) error {
	if t := TrackOf(ctx); t != nil {
		r.AddAttrs(slog.String("request", t.ID))
		if id := t.farm.Load(); id != 0 {
			r.AddAttrs(slog.Int64("farm", id), slog.Int64("person", t.person.Load()))
		}
	}
	return h.Handler.Handle(ctx, r)
}

// WithAttrs is the handler with attributes on every line.
func (h LogHandler) WithAttrs(all []slog.Attr) slog.Handler {
	return LogHandler{h.Handler.WithAttrs(all)}
}

// WithGroup is the handler with a group around what follows.
func (h LogHandler) WithGroup(name string) slog.Handler { return LogHandler{h.Handler.WithGroup(name)} }
