// Package assets serves styles, scripts and fonts, all of which ship with the
// program, compressed once and kept by browsers for good.
package assets

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"html/template"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"
	"sync"
	"time"
)

//go:embed sw.js manifest.webmanifest icon.svg icon-maskable.svg styles scripts vendor
var files embed.FS

// What pages load is put together from a file a feature, in this order: a later one
// may say otherwise than one before.
var bundles = map[string][]string{
	"theme.css": {
		"styles/theme.css", "styles/layout.css", "styles/messages.css", "styles/forms.css", "styles/eggs.css",
		"styles/bands.css", "styles/trays.css", "styles/picking.css", "styles/cards.css", "styles/today.css",
		"styles/drawings.css", "styles/board.css", "styles/batch.css", "styles/set.css", "styles/door.css",
		"styles/practice.css", "styles/water.css", "styles/candle.css", "styles/watch.css", "styles/breeders.css",
		"styles/journal.css", "styles/handover.css", "styles/air.css", "styles/moving.css",
		"styles/opened.css", "styles/power.css", "styles/readings.css",
		"styles/report.css", "styles/brood.css", "styles/clutches.css",
		"styles/narrow.css", "styles/print.css",
	},
	"app.js": {
		"scripts/shared.js", "scripts/keys.js", "scripts/counting.js", "scripts/set.js", "scripts/zone.js",
		"scripts/away.js", "scripts/later.js", "scripts/focus.js", "scripts/board.js", "scripts/plan.js", "scripts/trays.js",
		"scripts/outbox.js", "scripts/push.js", "scripts/candle.js", "scripts/watch.js",
		"scripts/readings.js", "scripts/rows.js", "scripts/thumb.js",
	},
}

type asset struct {
	plain, gzipped []byte
	kind           string
}

// Server serves every asset under the address that names its content.
type Server struct {
	byPath map[string]asset
	urls   map[string]string
	source fs.FS // where they are read anew when one was changed; nil: they were built in

	mu    sync.Mutex
	fresh *Server   // what was read last
	at    time.Time // when the newest of it was changed
}

// New reads, bundles and compresses the assets: those of web's folder as it is on disk, if it is given.
func New(source fs.FS) (*Server, error) {
	if source == nil {
		return read(files)
	}
	folder, err := fs.Sub(source, "assets")
	if err != nil {
		return nil, err
	}
	s, err := read(folder)
	if err != nil {
		return nil, err
	}
	return &Server{byPath: s.byPath, source: folder, fresh: s, at: newest(folder)}, nil
}

// now is what is served: as it was read, or as it is on disk.
func (s *Server) now() *Server {
	if s.source == nil {
		return s
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if at := newest(s.source); at.After(s.at) {
		if fresh, err := read(s.source); err == nil { // half saved, the next look has it
			s.fresh, s.at = fresh, at
		}
	}
	return s.fresh
}

// newest is when the file that was changed last was.
func newest(files fs.FS) (at time.Time) {
	_ = fs.WalkDir(files, ".", func(_ string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if info, err := d.Info(); err == nil && info.ModTime().After(at) {
			at = info.ModTime()
		}
		return nil
	})
	return at
}

func read(files fs.FS) (*Server, error) {
	s := &Server{byPath: map[string]asset{}, urls: map[string]string{}}
	for name, parts := range bundles {
		var whole []byte
		for _, part := range parts {
			data, err := fs.ReadFile(files, part)
			if err != nil {
				return nil, err
			}
			whole = append(whole, data...)
		}
		if err := s.add(name, whole); err != nil {
			return nil, err
		}
	}
	// Styles name fonts by their plain file name; those keep it.
	return s, fs.WalkDir(files, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || path.Dir(name) == "styles" || path.Dir(name) == "scripts" {
			return err
		}
		data, err := fs.ReadFile(files, name)
		if err != nil {
			return err
		}
		return s.add(name, data)
	})
}

func (s *Server) add(name string, data []byte) error {
	a := asset{plain: data, kind: mime.TypeByExtension(path.Ext(name))}
	if a.kind == "" {
		a.kind = "text/plain; charset=utf-8"
	}
	if strings.HasPrefix(a.kind, "text/") {
		var b bytes.Buffer
		z, _ := gzip.NewWriterLevel(&b, gzip.BestCompression)
		if _, err := z.Write(data); err != nil {
			return err
		}
		if err := z.Close(); err != nil {
			return err
		}
		a.gzipped = b.Bytes()
	}
	sum := sha256.Sum256(data)
	s.byPath[name] = a
	s.urls[name] = "/assets/" + name + "?" + hex.EncodeToString(sum[:6])
	return nil
}

// URL gives the address of an asset, which changes with its content.
func (s *Server) URL(name string) string { return s.now().urls[name] }

// Plain gives an asset as it is.
func (s *Server) Plain(name string) []byte { return s.now().byPath[name].plain }

// Icon gives a Lucide icon as inline SVG.
func (s *Server) Icon(name string) template.HTML {
	svg := string(s.byPath["vendor/icon-"+name+".svg"].plain)
	if i := strings.Index(svg, "<svg"); i >= 0 {
		svg = svg[i:]
	}
	return template.HTML(strings.Replace(svg, "<svg", `<svg aria-hidden="true" focusable="false"`, 1))
}

// ServeHTTP serves what stands below /assets/.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	a, ok := s.now().byPath[strings.TrimPrefix(r.URL.Path, "/assets/")]
	if !ok {
		http.NotFound(w, r)
		return
	}
	h := w.Header()
	h.Set("Content-Type", a.kind)
	h.Set("Cache-Control", "public, max-age=31536000, immutable")
	h.Set("Vary", "Accept-Encoding")
	body := a.plain
	if a.gzipped != nil && strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
		h.Set("Content-Encoding", "gzip")
		body = a.gzipped
	}
	_, _ = w.Write(body)
}
