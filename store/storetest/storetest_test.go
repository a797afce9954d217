package storetest

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a killed run left is removed by the next one; what another run works in stays.
func TestWhatAKilledRunLeftIsRemoved(t *testing.T) {
	t.Setenv("TMPDIR", t.TempDir())
	gone := exec.CommandContext(t.Context(), "true")
	require.NoError(t, gone.Run())
	folders := map[bool]string{}
	for lives, process := range map[bool]int{true: os.Getpid(), false: gone.Process.Pid} {
		folders[lives] = filepath.Join(os.TempDir(), fmt.Sprintf("%s%d-1", folder, process))
		require.NoError(t, os.MkdirAll(filepath.Join(folders[lives], "postgres"), 0o700))
	}
	clearAway()
	assert.DirExists(t, folders[true])
	assert.NoDirExists(t, folders[false])
}
