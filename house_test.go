package metrogon

import (
	"encoding/json"
	"errors"
	"go/ast"
	"go/parser"
	"go/token"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What each room of the house may import of the others; rooms not named import
// nothing of the house. docs/architecture.md draws it.
var mayImport = map[string][]string{
	"core":    {"core"},
	"store":   {"store"},
	"farm":    {"farm", "store", "core"},
	"formats": {"formats", "farm", "core"},
	"web":     {"web", "formats", "farm", "core"},
	"demo":    {"demo", "farm", "store", "core"},
	"standin": {"standin", "formats", "core"}, // a simulated machine is physics
	"outside": {"farm", "formats"},            // what comes from a broker is in an open format
	"work":    {"work", "farm", "store", "core"},
	"cmd":     {"cmd", "web", "work", "formats", "standin", "outside", "demo", "farm", "store", "core"},
	"tools":   {"core"},
	"docs":    {"web", "demo"},
}

// Within farm: what a stage of the work stands on. One stage never imports another;
// only services, which puts them together, knows them all.
var groundFloor = []string{
	"metrogon/farm", "metrogon/farm/snapshot", "metrogon/farm/lineage", "metrogon/farm/ahead", "metrogon/farm/journal",
	"metrogon/farm/chores",
}

// A package that is larger is several.
const largest = 3500

// What core may import from outside the house.
var coreOutside = []string{"gonum.org/", "github.com/pelletier/go-toml/"}

// What core does without: files, the network, the database, pages.
var coreWithout = []string{"os", "net/http", "database/sql", "html/template"}

type goPackage struct {
	ImportPath string
	Imports    []string
}

func packages(t *testing.T) (all []goPackage) {
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", "./...").Output()
	require.NoError(t, err)
	d := json.NewDecoder(strings.NewReader(string(out)))
	for {
		var p goPackage
		if err := d.Decode(&p); errors.Is(err, io.EOF) {
			return all
		} else {
			require.NoError(t, err)
		}
		all = append(all, p)
	}
}

func TestArrowsPointOneWay(t *testing.T) {
	all := packages(t)
	assert.Greater(t, len(all), 20, "the list of rooms is not the whole house")
	for _, p := range all {
		room := roomOf(p.ImportPath)
		for _, used := range p.Imports {
			other := roomOf(used)
			switch {
			case other != "":
				assert.Contains(t, mayImport[room], other, "%s imports %s", p.ImportPath, used)
			case room == "core" && strings.Contains(strings.Split(used, "/")[0], "."):
				fits := strings.HasPrefix(used, coreOutside[0]) || strings.HasPrefix(used, coreOutside[1])
				assert.True(t, fits, "%s imports %s", p.ImportPath, used)
			}
			if room == "core" {
				assert.NotContains(t, coreWithout, used, p.ImportPath)
			}
			if stage(p.ImportPath) && strings.HasPrefix(used, "metrogon/farm") {
				assert.Contains(
					t, groundFloor, used, "%s imports %s: one stage of the work never imports another", p.ImportPath,
					used,
				)
			}
			if p.ImportPath == "metrogon/farm" {
				assert.NotContains(t, used, "metrogon/farm/", "the ground floor stands on no room above it")
			}
		}
	}
}

// A package outside core can be read in an afternoon.
func TestPackagesAreOfASize(t *testing.T) {
	lines := map[string]int{}
	require.NoError(t, filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || filepath.Ext(path) != ".go" || strings.HasSuffix(path, "_test.go") {
			return err
		}
		text, err := os.ReadFile(path)
		lines[filepath.ToSlash(filepath.Dir(path))] += strings.Count(string(text), "\n")
		return err
	}))
	require.Greater(t, len(lines), 20)
	for path, n := range lines {
		if !strings.HasPrefix(path, "core/") {
			assert.LessOrEqual(t, n, largest, "%s has %d lines", path, n)
		}
	}
}

// stage tells the rooms of farm but for services.
func stage(path string) bool {
	return strings.HasPrefix(path, "metrogon/farm/") && path != "metrogon/farm/services"
}

func roomOf(path string) string {
	rest, ok := strings.CutPrefix(path, "metrogon/")
	if !ok {
		return ""
	}
	room, _, _ := strings.Cut(rest, "/")
	return room
}

// What a line may have, so that anybody can review it.
var widest = map[string]int{".go": 120, ".sql": 120, ".css": 120, ".js": 120, ".html": 140}

// Files that are not ours, and long figures that are.
var notOurs = regexp.MustCompile(`/vendor/|/testdata/|\.min\.`)

func TestLinesCanBeReviewed(t *testing.T) {
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		most := widest[filepath.Ext(path)]
		if err != nil || d.IsDir() || most == 0 || notOurs.MatchString("/"+path) {
			return err
		}
		text, err := os.ReadFile(path)
		for i, line := range strings.Split(string(text), "\n") {
			assert.LessOrEqual(t, len(line), most, "%s:%d has %d bytes", path, i+1, len(line))
		}
		return err
	})
	require.NoError(t, err)
}

// A function that does not fit on a page wants names for its parts.
const longest = 90

func TestFunctionsFitOnAPage(t *testing.T) {
	all, long := 0, 0
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || filepath.Ext(path) != ".go" || strings.HasSuffix(path, "_test.go") {
			return err
		}
		set := token.NewFileSet()
		file, err := parser.ParseFile(set, path, nil, 0)
		if err != nil {
			return err
		}
		for _, d := range file.Decls {
			if f, ok := d.(*ast.FuncDecl); ok {
				lines := set.Position(f.End()).Line - set.Position(f.Pos()).Line + 1
				assert.LessOrEqual(t, lines, longest, "%s: %s has %d lines", path, f.Name.Name, lines)
				all++
				if lines > 40 {
					long++
				}
			}
		}
		return nil
	})
	require.NoError(t, err)
	assert.LessOrEqual(t, 20*long, all, "%d of %d functions have over 40 lines: one in twenty may", long, all)
}

// A style has one home: the same name in two sheets dresses pages that its writer never saw. These few
// are refined elsewhere on purpose.
var refined = []string{".past", ".now-line", ".cellar", ".lit", ".call-key"}

func TestAStyleHasOneHome(t *testing.T) {
	sheets, err := filepath.Glob("web/assets/styles/*.css")
	require.NoError(t, err)
	require.NotEmpty(t, sheets)
	comment, alone := regexp.MustCompile(`(?s)/\*.*?\*/`), regexp.MustCompile(`^\.[a-z][a-z0-9-]*$`)
	home := map[string]string{}
	for _, sheet := range sheets {
		text, err := os.ReadFile(sheet)
		require.NoError(t, err)
		for _, name := range topNames(comment.ReplaceAllString(string(text), "")) {
			if !alone.MatchString(name) || slices.Contains(refined, name) {
				continue
			}
			if other, known := home[name]; known && other != sheet {
				t.Errorf("%s stands in %s and in %s", name, other, sheet)
			}
			home[name] = sheet
		}
	}
}

// topNames lists the selectors of a sheet that stand in no other block.
func topNames(css string) (all []string) {
	deep, from := 0, 0
	for i, c := range css {
		switch c {
		case '{':
			if deep == 0 && !strings.HasPrefix(strings.TrimSpace(css[from:i]), "@") {
				for name := range strings.SplitSeq(css[from:i], ",") {
					all = append(all, strings.TrimSpace(name))
				}
			}
			deep++
			from = i + 1
		case '}', ';':
			if c == '}' {
				deep--
			}
			from = i + 1
		}
	}
	return all
}

// What asks again at each change answers the last one: the script's usual way is to drop a third change, and a second
// with it where the answer takes the place of who asked.
func TestTheLastChangeIsAnswered(t *testing.T) {
	pages, err := filepath.Glob("web/*/*.html")
	require.NoError(t, err)
	require.NotEmpty(t, pages)
	asks := regexp.MustCompile(`<[a-z]+\s[^<>]*hx-trigger=[^<>]*>`)
	changed := regexp.MustCompile(`hx-trigger="[^"]*(change|input)`)
	for _, page := range pages {
		text, err := os.ReadFile(page)
		require.NoError(t, err)
		for _, tag := range asks.FindAllString(string(text), -1) {
			if changed.MatchString(tag) {
				assert.Contains(t, tag, `hx-sync="this:replace"`, page)
			}
		}
	}
}
