// Command mutants tries a random sample of the mutants that a dry run of gremlins
// lists, where all of them would take days: core/season/solve has some 1,500, at a minute each.
//
//	go tool -modfile=tools/mutation.mod gremlins unleash --dry-run ./core/season/solve > list
//	go run ./tools/mutants -n 80 -package core/season/solve -slow TestRandomProblems < list
//
// The working tree is changed while it runs: use a clone. A mutant is killed when the
// package's tests fail, do not build, or take longer than -timeout.
package main

import (
	"bufio"
	"flag"
	"fmt"
	"log"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
)

// mutant is a line of the dry run: what to change, and where.
type mutant struct {
	kind, file   string
	line, column int
}

var (
	runnable = regexp.MustCompile(`RUNNABLE (\w+) at (\S+):(\d+):(\d+)`)
	boundary = map[string]string{"<": "<=", "<=": "<", ">": ">=", ">=": ">"}
	negation = map[string]string{"==": "!=", "!=": "==", "<": ">=", "<=": ">", ">": "<=", ">=": "<"}
	swapped  = map[string]string{"+": "-", "-": "+", "*": "/", "/": "*", "%": "*", "++": "--", "--": "++"}
)

func main() {
	n := flag.Int("n", 80, "mutants to try")
	seed := flag.Uint64("seed", 1, "of the draw")
	pkg := flag.String("package", "core/season/solve", "folder of the package")
	slow := flag.String("slow", "^$", "tests that only mutants meet which the others let live")
	limit := flag.Duration("timeout", 150*time.Second, "of one run of the tests")
	share := flag.Int("of", 1, "workers that share the draw, each in its own clone")
	mine := flag.Int("worker", 0, "this worker's number, from 0")
	flag.Parse()

	var all []mutant
	in := bufio.NewScanner(os.Stdin)
	for in.Scan() {
		if m := runnable.FindStringSubmatch(in.Text()); m != nil {
			line, _ := strconv.Atoi(m[3])
			column, _ := strconv.Atoi(m[4])
			all = append(all, mutant{m[1], m[2], line, column})
		}
	}
	draw := rand.New(rand.NewPCG(*seed, 0)).Perm(len(all))
	for i := *mine; i < min(*n, len(all)); i += *share {
		m := all[draw[i]]
		said, err := m.try(*pkg, *slow, *limit)
		if err != nil {
			log.Fatalf("%+v: %v", m, err)
		}
		fmt.Printf("%s %s at %s:%d:%d\n", said, m.kind, m.file, m.line, m.column)
	}
}

// try changes the file, runs the tests and puts the file back.
func (m mutant) try(pkg, slow string, limit time.Duration) (string, error) {
	path := filepath.Join(pkg, m.file)
	before, err := os.ReadFile(path)
	if err != nil {
		return "", err
	}
	after, err := m.changed(string(before))
	if err != nil {
		return "", err
	}
	if err := os.WriteFile(path, []byte(after), 0o644); err != nil {
		return "", err
	}
	defer os.WriteFile(path, before, 0o644)
	if exec.Command("go", "build", "./"+pkg).Run() != nil {
		return "UNBUILT", nil
	}
	for _, which := range []string{"-skip", "-run"} {
		test := exec.Command("go", "test", "-failfast", "-timeout", limit.String(), which, slow, "./"+pkg)
		switch out, err := test.CombinedOutput(); {
		case err != nil && strings.Contains(string(out), "test timed out"):
			return "TIMED OUT", nil
		case err != nil:
			return "KILLED", nil
		}
	}
	return "LIVED", nil
}

// changed is the file with the mutant in it.
func (m mutant) changed(file string) (string, error) {
	lines := strings.SplitAfter(file, "\n")
	if m.line > len(lines) || m.column > len(lines[m.line-1]) {
		return "", fmt.Errorf("no such place")
	}
	line := lines[m.line-1]
	head, rest := line[:m.column-1], line[m.column-1:]
	was := rest[:1]
	if len(rest) > 1 && slices.Contains([]string{"==", "!=", "<=", ">=", "++", "--"}, rest[:2]) {
		was = rest[:2]
	}
	becomes, known := map[string]map[string]string{
		"CONDITIONALS_BOUNDARY": boundary,
		"CONDITIONALS_NEGATION": negation,
		"ARITHMETIC_BASE":       swapped,
		"INCREMENT_DECREMENT":   swapped,
		"INVERT_NEGATIVES":      {"-": "+"},
	}[m.kind][was]
	if !known {
		return "", fmt.Errorf("%q is not of this kind", was)
	}
	lines[m.line-1] = head + becomes + rest[len(was):]
	return strings.Join(lines, ""), nil
}
