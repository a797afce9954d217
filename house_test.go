package metrogon

import (
	"encoding/json"
	"errors"
	"io"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What each room of the house may import of the others; rooms not named import
// nothing of the house. docs/decisions.md says why.
var mayImport = map[string][]string{
	"core":    {"core"},
	"store":   {"store"},
	"farm":    {"farm", "store", "core"},
	"formats": {"formats", "farm", "core"},
	"web":     {"web", "formats", "farm", "core"},
	"demo":    {"demo", "farm", "store", "core"},
	"standin": {"standin", "formats"},
	"cmd":     {"cmd", "web", "formats", "standin", "demo", "farm", "store", "core"},
	"docs":    {"web", "demo"},
}

// What core may import from outside the house.
var coreOutside = []string{"gonum.org/", "github.com/pelletier/go-toml/"}

func TestArrowsPointOneWay(t *testing.T) {
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", "./...").Output()
	require.NoError(t, err)
	d := json.NewDecoder(strings.NewReader(string(out)))
	rooms := 0
	for {
		var p struct {
			ImportPath string
			Imports    []string
		}
		if err := d.Decode(&p); errors.Is(err, io.EOF) {
			break
		} else {
			require.NoError(t, err)
		}
		room := roomOf(p.ImportPath)
		if room == "" {
			continue
		}
		rooms++
		for _, used := range p.Imports {
			if other := roomOf(used); other != "" {
				assert.Contains(t, mayImport[room], other, "%s imports %s", p.ImportPath, used)
			} else if room == "core" && strings.Contains(strings.Split(used, "/")[0], ".") {
				assert.True(t, strings.HasPrefix(used, coreOutside[0]) || strings.HasPrefix(used, coreOutside[1]), "%s imports %s", p.ImportPath, used)
			}
			if room == "core" {
				assert.NotContains(t, []string{"os", "net/http", "database/sql", "html/template"}, used, p.ImportPath)
			}
		}
	}
	assert.Greater(t, rooms, 20, "the list of rooms is not the whole house")
}

func roomOf(path string) string {
	rest, ok := strings.CutPrefix(path, "metrogon/")
	if !ok {
		return ""
	}
	room, _, _ := strings.Cut(rest, "/")
	return room
}
