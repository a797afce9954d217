// Command guards takes one guard out of the code at a time and runs the tests that come by it: a guard that may be
// missing without a test noticing is held by none.
//
//	go run ./tools/guards -n 300 -seed 1 farm store
//	go run ./tools/guards -n 100 -seed 1 -tests ./web web
//	go run ./tools/guards -bare farm store
//
// A guard is a condition whose body refuses (returns a problem or an error of the house, or notes a problem in a form),
// and a line of a statement that begins with "and". Which tests come by it is measured once, test by test. One test
// program holds all drawn guards, each behind a switch (the environment variable GUARD_OUT names the one that is off).
// The working tree is left alone: what is changed is laid over it.
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
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"
)

// guard is one that can be taken out: what stands in a file from one byte to another. Within a statement, "statement"
// is where that begins.
type guard struct {
	file      string
	line      int
	from, to  int
	statement [2]int
}

func main() {
	n := flag.Int("n", 300, "guards to take out")
	seed := flag.Uint64("seed", 1, "of the draw")
	tests := flag.String("tests", "./farm", "package whose tests come by the guards")
	keep := flag.String("keep", filepath.Join(os.TempDir(), "guards"), "folder for what was measured")
	bare := flag.Bool("bare", false, "only list the guards that no test comes by")
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
	if err := os.MkdirAll(*keep, 0o750); err != nil {
		log.Fatal(err)
	}
	passes, err := measured(*tests, *keep, flag.Args())
	if err != nil {
		log.Fatal(err)
	}
	if *bare {
		for _, g := range all {
			if len(passes.by(g)) == 0 {
				fmt.Printf("%s:%d: %.110s\n", g.file, g.line, said(g))
			}
		}
		return
	}
	drawn := drawn(all, *n, *seed)
	program, err := switched(drawn, flag.Args(), *tests, *keep)
	if err != nil {
		log.Fatal(err)
	}
	held, tried := map[string]int{}, map[string]int{}
	var told sync.Mutex
	var runs errgroup.Group
	runs.SetLimit(runtime.NumCPU())
	for i, g := range drawn {
		runs.Go(func() error {
			by := passes.by(g)
			fell := falls(program, *tests, *limit, i, by)
			told.Lock()
			defer told.Unlock()
			room := filepath.Dir(g.file)
			tried[room]++
			if fell {
				held[room]++
			} else {
				fmt.Printf("alive %s:%d (%d tests come by): %.90s\n", g.file, g.line, len(by), said(g))
			}
			return nil
		})
	}
	if err := runs.Wait(); err != nil {
		log.Fatal(err)
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

// sources are the files of a folder and the folders in it, tests apart.
func sources(root string) (all []string, err error) {
	err = filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() && filepath.Ext(path) == ".go" && !strings.HasSuffix(path, "_test.go") {
			all = append(all, path)
		}
		return err
	})
	return all, err
}

// guards lists those of a folder and the folders in it.
func guards(root string) (all []guard, err error) {
	paths, err := sources(root)
	if err != nil {
		return nil, err
	}
	for _, path := range paths {
		text, err := os.ReadFile(path)
		if err != nil {
			return nil, err
		}
		set := token.NewFileSet()
		file, err := parser.ParseFile(set, path, text, 0)
		if err != nil {
			return nil, err
		}
		at := func(p token.Pos) int { return set.Position(p).Offset }
		ast.Inspect(file, func(n ast.Node) bool {
			switch x := n.(type) {
			case *ast.IfStmt:
				if body := text[at(x.Body.Pos()):at(x.Body.End())]; len(body) < 400 && refuses.Match(body) {
					from, to := at(x.Cond.Pos()), at(x.Cond.End())
					all = append(all, guard{file: path, line: set.Position(x.Pos()).Line, from: from, to: to})
				}
			case *ast.BasicLit:
				if x.Kind == token.STRING && strings.HasPrefix(x.Value, "`") {
					all = append(all, conditions(path, x.Value, at(x.Pos()), set.Position(x.Pos()).Line)...)
				}
			}
			return true
		})
	}
	return all, nil
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
			[2]int{from, from + len(sql)},
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
	var told sync.Mutex
	var runs errgroup.Group
	runs.SetLimit(runtime.NumCPU())
	for _, name := range strings.Fields(string(names)) {
		runs.Go(func() error {
			profile := filepath.Join(keep, name+".profile")
			defer os.Remove(profile)
			run := exec.Command(program, "-test.run", "^"+name+"$", "-test.coverprofile", profile)
			run.Dir = pkg
			if out, err := run.CombinedOutput(); err != nil {
				log.Printf("%s does not pass by itself: %.200s", name, bytes.TrimSpace(out))
				return nil
			}
			by, err := blocks(profile)
			told.Lock()
			defer told.Unlock()
			all[name] = by
			return err
		})
	}
	if err := runs.Wait(); err != nil {
		return nil, err
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

// drawn are so many of the guards, in a random order that the seed gives.
func drawn(all []guard, n int, seed uint64) (some []guard) {
	for _, i := range rand.New(rand.NewPCG(seed, 0)).Perm(len(all))[:min(n, len(all))] {
		some = append(some, all[i])
	}
	return some
}

// the switch of a package.
const off = `package %s

import "os"

var guardOut = os.Getenv("GUARD_OUT")

func guardText(statement string, cuts map[string][2]int) string {
	if c, ok := cuts[guardOut]; ok {
		return statement[:c[0]] + statement[c[1]:]
	}
	return statement
}
`

// switched builds a test program in which each guard has its switch. Constants are made variables in all files, for
// one may be made of another.
func switched(all []guard, roots []string, pkg, keep string) (string, error) {
	files := map[string][]int{}
	for _, root := range roots {
		paths, err := sources(root)
		if err != nil {
			return "", err
		}
		for _, path := range paths {
			files[path] = nil
		}
	}
	for i, g := range all {
		files[g.file] = append(files[g.file], i)
	}
	replace, n := map[string]string{}, 0
	lay := func(name string, text []byte) error {
		path, err := filepath.Abs(name)
		if err != nil {
			return err
		}
		n++
		replace[path] = filepath.Join(keep, strconv.Itoa(n)+".go")
		return os.WriteFile(replace[path], text, 0o600)
	}
	switches := map[string]bool{}
	for file, in := range files {
		text, err := os.ReadFile(file)
		if err != nil {
			return "", err
		}
		name, text, err := withSwitches(file, text, all, in)
		if err != nil {
			return "", err
		}
		if err := lay(file, text); err != nil {
			return "", err
		}
		if beside := filepath.Join(filepath.Dir(file), "guard_out.go"); !switches[beside] {
			switches[beside] = true
			if err := lay(beside, fmt.Appendf(nil, off, name)); err != nil {
				return "", err
			}
		}
	}
	laid, err := json.Marshal(map[string]map[string]string{"Replace": replace})
	if err != nil {
		return "", err
	}
	over, program := filepath.Join(keep, "over.json"), filepath.Join(keep, "switched.test")
	if err := os.WriteFile(over, laid, 0o600); err != nil {
		return "", err
	}
	out, err := exec.Command("go", "test", "-c", "-o", program, "-overlay", over, "-vet=off", pkg).CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("%w: %s", err, out)
	}
	return program, nil
}

// joined is a constant that is a statement, or is made of others.
var joined = regexp.MustCompile("`|= [a-z]\\w* \\+ [a-z]")

// withSwitches writes the guards of a file behind their switches. A statement that is a constant becomes a variable.
func withSwitches(path string, text []byte, all []guard, in []int) (name string, with []byte, err error) {
	set := token.NewFileSet()
	file, err := parser.ParseFile(set, path, text, 0)
	if err != nil {
		return "", nil, err
	}
	edits := map[int][2]string{} // at a byte: what is written before it, and how many of the bytes behind go
	put := func(at int, s string) { edits[at] = [2]string{edits[at][0] + s, edits[at][1]} }
	statements := map[[2]int]string{}
	for _, i := range in {
		g := all[i]
		if g.statement == ([2]int{}) {
			put(g.from, fmt.Sprintf("guardOut != %q && (", strconv.Itoa(i)))
			put(g.to, ")")
			continue
		}
		// The opening quote is a byte of the literal and none of the text.
		from := g.statement[0] + 1
		statements[g.statement] += fmt.Sprintf("%q: {%d, %d}, ", strconv.Itoa(i), g.from-from, g.to-from)
	}
	for at, cuts := range statements {
		put(at[0], "guardText(")
		put(at[1], ", map[string][2]int{"+cuts+"})")
	}
	ast.Inspect(file, func(n ast.Node) bool {
		if d, ok := n.(*ast.GenDecl); ok && d.Tok == token.CONST && joined.Match(text[d.Pos()-1:d.End()-1]) {
			edits[set.Position(d.Pos()).Offset] = [2]string{"var", "const"}
		}
		return true
	})
	last := 0
	for _, at := range slices.Sorted(maps.Keys(edits)) {
		with = append(append(with, text[last:at]...), edits[at][0]...)
		last = at + len(edits[at][1])
	}
	return file.Name.Name, append(with, text[last:]...), nil
}

// falls tells whether one of the tests notices that a guard is missing.
func falls(program, pkg, limit string, i int, tests []string) bool {
	if len(tests) == 0 {
		return false
	}
	run := exec.Command(program, "-test.failfast", "-test.timeout", limit, "-test.run", "^("+strings.Join(tests, "|")+")$")
	run.Dir = pkg
	run.Env = append(os.Environ(), "GUARD_OUT="+strconv.Itoa(i))
	return run.Run() != nil
}
