// Package migrations carries the tables' history; it only moves forward.
package migrations

import (
	"embed"
	"path"
	"strconv"
	"strings"
	"sync"
)

// Files are the steps, in order of their numbers.
//
//go:embed *.sql
var Files embed.FS

// Newest is the number of the last step.
var Newest = sync.OnceValue(func() (n int64) {
	all, _ := Files.ReadDir(".") // which is there
	for _, f := range all {
		number, _, _ := strings.Cut(path.Base(f.Name()), "_")
		if step, err := strconv.ParseInt(number, 10, 64); err == nil {
			n = max(n, step)
		}
	}
	return n
})
