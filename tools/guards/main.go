// Command guards takes one guard out of the code at a time and runs the tests that come by it: a guard that may be
// missing without a test noticing is held by none.
//
//	go run ./tools/guards -n 300 -seed 1 farm store
//	go run ./tools/guards -n 100 -seed 1 -tests ./web web
//
// A guard is a condition whose body refuses (returns a problem or an error of the house, or notes a problem in a form),
// and a line of a statement that begins with "and". Which tests come by it is measured once, test by test. The working
// tree is left alone: what is taken out is laid over it.
package main

import (
	"bufio"
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"log"
	"maps"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// guard is one that can be taken out: what stands in a file from one byte to another, and what is left without it.
type guard struct {
	file     string
	line     int
	from, to int
	without  string
}

func main() {
	n := flag.Int("n", 300, "guards to take out")
	seed := flag.Uint64("seed", 1, "of the draw")
	tests := flag.String("tests", "./farm", "package whose tests come by the guards")
	keep := flag.String("keep", filepath.Join(os.TempDir(), "guards"), "folder for what was measured")
	limit := flag.String("timeout", "5m", "of one run of the tests")
	flag.Parse()
	var all []guard
	for _, root := range flag.Args() {
		found, err := guards(root)
		if err != nil {
			log.Fatal(err)
		}
		all = append(all, found...)
	}
	passes, err := measured(*tests, *keep, flag.Args())
	if err != nil {
		log.Fatal(err)
	}
	held, tried := map[string]int{}, map[string]int{}
	for _, i := range rand.New(rand.NewPCG(*seed, 0)).Perm(len(all))[:min(*n, len(all))] {
		g := all[i]
		by := passes.by(g)
		room := filepath.Dir(g.file)
		fell, built := false, true
		if len(by) > 0 {
			fell, built = fails(g, *tests, *limit, *keep, by)
		}
		if !built {
			continue // nothing is told by it
		}
		tried[room]++
		if fell {
			held[room]++
		} else {
			fmt.Printf("alive %s:%d (%d tests come by): %.90s\n", g.file, g.line, len(by), said(g))
		}
	}
	sum := [2]int{}
	for _, room := range slices.Sorted(maps.Keys(tried)) {
		fmt.Printf("%-24s %3d of %3d held\n", room, held[room], tried[room])
		sum[0], sum[1] = sum[0]+held[room], sum[1]+tried[room]
	}
	fmt.Printf("together %d of %d\n", sum[0], sum[1])
}

// refuses are the calls by which a body says no.
var refuses = regexp.MustCompile(
	`farm\.Problemf|farm\.ErrNone|store\.ErrNone|return .*ErrNone|echo\.NewHTTPError|\bp\.Addf|\bp\.Doubtf|f\.bad\(`)

// guards lists those of a folder and the folders in it.
func guards(root string) (all []guard, err error) {
	err = filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || filepath.Ext(path) != ".go" || strings.HasSuffix(path, "_test.go") {
			return err
		}
		text, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		set := token.NewFileSet()
		file, err := parser.ParseFile(set, path, text, 0)
		if err != nil {
			return err
		}
		at := func(p token.Pos) int { return set.Position(p).Offset }
		ast.Inspect(file, func(n ast.Node) bool {
			switch x := n.(type) {
			case *ast.IfStmt:
				if body := text[at(x.Body.Pos()):at(x.Body.End())]; len(body) < 400 && refuses.Match(body) {
					from, to := at(x.Cond.Pos()), at(x.Cond.End())
					all = append(all, guard{
						path, set.Position(x.Pos()).Line, from, to, "false && (" + string(text[from:to]) + ")",
					})
				}
			case *ast.BasicLit:
				if x.Kind == token.STRING && strings.HasPrefix(x.Value, "`") {
					all = append(all, conditions(path, x.Value, at(x.Pos()), set.Position(x.Pos()).Line)...)
				}
			}
			return true
		})
		return nil
	})
	return all, err
}

var condition = regexp.MustCompile(`(?m)^\s+and [^\n()]*$`)

// conditions are the lines of a statement that begin with "and" and stand alone.
func conditions(path, sql string, from, line int) (all []guard) {
	for _, span := range condition.FindAllStringIndex(sql, -1) {
		if strings.Contains(sql[span[0]:span[1]], " between ") || strings.Contains(sql[span[0]:span[1]], "`") {
			continue
		}
		all = append(all, guard{
			path, line + strings.Count(sql[:span[0]+1], "\n"), from + span[0], from + span[1],
			strings.Repeat("\n", strings.Count(sql[span[0]:span[1]], "\n")),
		})
	}
	return all
}

func said(g guard) string {
	text, err := os.ReadFile(g.file)
	if err != nil {
		return err.Error()
	}
	return strings.TrimSpace(string(text[g.from:g.to]))
}

// passed is which tests come by which lines.
type passed map[string][]string // test → "file:from-to"

func (p passed) by(g guard) (tests []string) {
	for test, blocks := range p {
		if slices.ContainsFunc(blocks, func(b string) bool {
			name, lines, _ := strings.Cut(b, ":")
			from, to, _ := strings.Cut(lines, "-")
			first, _ := strconv.Atoi(from)
			last, _ := strconv.Atoi(to)
			return name == g.file && first <= g.line && g.line <= last
		}) {
			tests = append(tests, test)
		}
	}
	slices.Sort(tests)
	return tests
}

// measured runs each test of a package by itself and keeps the lines that it comes by.
func measured(pkg, keep string, roots []string) (passed, error) {
	cache := filepath.Join(keep, strings.NewReplacer("/", "_", ".", "").Replace(pkg)+".json")
	all := passed{}
	if text, err := os.ReadFile(cache); err == nil {
		return all, json.Unmarshal(text, &all)
	}
	if err := os.MkdirAll(keep, 0o755); err != nil {
		return nil, err
	}
	program := filepath.Join(keep, "measured.test")
	var over []string
	for _, root := range roots {
		over = append(over, "./"+root+"/...")
	}
	build := exec.Command("go", "test", "-c", "-o", program, "-coverpkg="+strings.Join(over, ","), pkg)
	if out, err := build.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("%w: %s", err, out)
	}
	list := exec.Command(program, "-test.list", "^Test")
	list.Dir = pkg
	names, err := list.Output()
	if err != nil {
		return nil, err
	}
	for _, name := range strings.Fields(string(names)) {
		profile := filepath.Join(keep, "profile")
		run := exec.Command(program, "-test.run", "^"+name+"$", "-test.coverprofile", profile)
		run.Dir = pkg
		if out, err := run.CombinedOutput(); err != nil {
			log.Printf("%s does not pass by itself: %.200s", name, bytes.TrimSpace(out))
			continue
		}
		if all[name], err = blocks(profile); err != nil {
			return nil, err
		}
	}
	text, err := json.Marshal(all)
	if err != nil {
		return nil, err
	}
	return all, os.WriteFile(cache, text, 0o600)
}

var block = regexp.MustCompile(`^metrogon/(\S+):(\d+)\.\d+,(\d+)\.\d+ \d+ ([1-9]\d*)$`)

func blocks(profile string) (all []string, err error) {
	f, err := os.Open(profile)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	for in := bufio.NewScanner(f); in.Scan(); {
		if m := block.FindStringSubmatch(in.Text()); m != nil {
			all = append(all, m[1]+":"+m[2]+"-"+m[3])
		}
	}
	return all, nil
}

// fails tells whether one of the tests notices that a guard is missing, and whether the code is built without it.
func fails(g guard, pkg, limit, keep string, tests []string) (fell, built bool) {
	text, err := os.ReadFile(g.file)
	if err != nil {
		log.Fatal(err)
	}
	without := filepath.Join(keep, "without.go")
	over := filepath.Join(keep, "over.json")
	path, err := filepath.Abs(g.file)
	if err != nil {
		log.Fatal(err)
	}
	laid, err := json.Marshal(map[string]map[string]string{"Replace": {path: without}})
	if err != nil {
		log.Fatal(err)
	}
	for name, content := range map[string][]byte{
		without: slices.Concat(text[:g.from], []byte(g.without), text[g.to:]), over: laid,
	} {
		if err := os.WriteFile(name, content, 0o600); err != nil {
			log.Fatal(err)
		}
	}
	run := exec.Command("go", "test", "-overlay", over, "-failfast", "-timeout", limit,
		"-run", "^("+strings.Join(tests, "|")+")$", pkg)
	out, err := run.CombinedOutput()
	return err != nil, !bytes.Contains(out, []byte("[build failed]"))
}
