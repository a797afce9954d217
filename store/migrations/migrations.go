// Package migrations carries the tables' history; it only moves forward.
package migrations

import "embed"

// Files are the steps, in order of their numbers.
//
//go:embed *.sql
var Files embed.FS
