// Package candle is the candling bench for a dark cellar, egg after egg, one tap a call, and what was called without a
// signal is sent later; and the trainer, drawn eggs to be called, each explained.
package candle

import (
	"embed"

	"github.com/labstack/echo/v5"

	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	candleRoutes(e, s)
	practiceRoutes(e, s)
}
