// Package breeders shows whose eggs hatch: rates by anything that is known of eggs, whether a difference is real, the
// eggs behind every figure, what moves hatch; and what follows from it: fertility tests, statements to a buyer of
// hatching eggs, which birds might go, and what young cost.
package breeders

import (
	"embed"

	"github.com/labstack/echo/v5"

	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	ratesRoutes(e, s)
	testRoutes(e, s)
}
