package assets

import (
	"io/fs"
	"net/http"
	"net/http/httptest"
	"slices"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestEveryStyleAndScriptIsInABundle(t *testing.T) {
	for bundle, folder := range map[string]string{"theme.css": "styles", "app.js": "scripts"} {
		entries, err := fs.ReadDir(files, folder)
		require.NoError(t, err)
		for _, e := range entries {
			assert.True(t, slices.Contains(bundles[bundle], folder+"/"+e.Name()), "%s is in no bundle", e.Name())
		}
		assert.Len(t, bundles[bundle], len(entries), bundle)
	}
}

// Read from disk, a changed style has another address at once, and the new words behind it.
func TestAChangedStyleIsSeenAtOnce(t *testing.T) {
	built, err := New(nil)
	require.NoError(t, err)
	folder := fstest.MapFS{}
	require.NoError(t, fs.WalkDir(files, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := files.ReadFile(name)
		folder["assets/"+name] = &fstest.MapFile{Data: data, ModTime: time.Unix(1, 0)}
		return err
	}))
	s, err := New(folder)
	require.NoError(t, err)
	assert.Equal(t, built.URL("theme.css"), s.URL("theme.css"))
	before := s.URL("theme.css")
	folder["assets/styles/today.css"] = &fstest.MapFile{Data: []byte("main { color: teal }"), ModTime: time.Unix(2, 0)}
	assert.NotEqual(t, before, s.URL("theme.css"))
	got := httptest.NewRecorder()
	s.ServeHTTP(got, httptest.NewRequest(http.MethodGet, s.URL("theme.css"), nil))
	assert.Contains(t, got.Body.String(), "main { color: teal }")
}
