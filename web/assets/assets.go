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
)

//go:embed *.css *.js vendor
var files embed.FS

type asset struct {
	plain, gzipped []byte
	kind           string
}

// Shelf holds every asset under the address that names its content.
type Shelf struct {
	byPath map[string]asset
	urls   map[string]string
}

// New reads and compresses the assets.
func New() (*Shelf, error) {
	s := &Shelf{map[string]asset{}, map[string]string{}}
	// Styles name fonts by their plain file name; those keep it.
	return s, fs.WalkDir(files, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := files.ReadFile(name)
		if err != nil {
			return err
		}
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
	})
}

// URL gives the address of an asset, which changes with its content.
func (s *Shelf) URL(name string) string { return s.urls[name] }

// Plain gives an asset as it is.
func (s *Shelf) Plain(name string) []byte { return s.byPath[name].plain }

// Icon gives a Lucide icon as inline SVG.
func (s *Shelf) Icon(name string) template.HTML {
	svg := string(s.byPath["vendor/icon-"+name+".svg"].plain)
	if i := strings.Index(svg, "<svg"); i >= 0 {
		svg = svg[i:]
	}
	return template.HTML(strings.Replace(svg, "<svg", `<svg aria-hidden="true" focusable="false"`, 1))
}

// ServeHTTP serves what stands below /assets/.
func (s *Shelf) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	a, ok := s.byPath[strings.TrimPrefix(r.URL.Path, "/assets/")]
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
