// Package flock shows the pens with what their eggs did and what stands behind every figure, and the breeding birds:
// the list, one with its family, matings with what comes of them, and what selection did.
package flock

import (
	"embed"

	"github.com/labstack/echo/v5"

	"metrogon/web/page"
)

//go:embed *.html
var files embed.FS

// Routes hangs the pages in.
func Routes(e *echo.Echo, s *page.Site) {
	penRoutes(e, s)
	birdRoutes(e, s)
}
