package assets

import (
	"io/fs"
	"slices"
	"testing"

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
