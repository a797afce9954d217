package web

import (
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Who works on a page sees it at the next look, in under a second, and where it is broken.
func TestAChangedTemplateIsSeenAtOnce(t *testing.T) {
	t.Parallel()
	s, source := newSite(t), t.TempDir()
	for _, room := range []string{"page", "people", "assets"} {
		require.NoError(t, os.CopyFS(filepath.Join(source, room), os.DirFS(room)))
	}
	h, err := New(s.books, Options{
		Sessions: s.db.Sessions(), Log: slog.New(slog.DiscardHandler), Source: os.DirFS(source),
	})
	require.NoError(t, err)
	door := filepath.Join(source, "people", "account.html")
	was, err := os.ReadFile(door)
	require.NoError(t, err)
	look := func(with string) (int, string) {
		changed := strings.Replace(string(was), `{{ define "main" }}`, `{{ define "main" }}`+with, 1)
		require.NoError(t, os.WriteFile(door, []byte(changed), 0o600))
		got, began := httptest.NewRecorder(), time.Now()
		h.ServeHTTP(got, httptest.NewRequest(http.MethodGet, "/set-up", nil))
		assert.Less(t, time.Since(began), time.Second)
		return got.Code, got.Body.String()
	}
	status, page := look("<p>Hens and ducks.</p>")
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, page, "<p>Hens and ducks.</p>")
	status, page = look("\n{{ if }}")
	assert.Equal(t, http.StatusInternalServerError, status)
	assert.Contains(t, page, "account.html:2: missing value for if")
	status, _ = look("")
	assert.Equal(t, http.StatusOK, status)
}
