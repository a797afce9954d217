package flock

import (
	"fmt"
	"math"
	"strings"

	"metrogon/farm/flock"
	"metrogon/web/page"
)

// tree is a bird's family: generations side by side, the bird on the left.
type tree struct {
	High  int
	Says  string
	Nodes []node
	Lines []line
}

// node is an ancestor in its place, in percent of the width and pixels from the top.
type node struct {
	X, Wide string
	Y       int
	Name    string
	Small   string // mark, or that it stands further up as well
	ID      int64  // 0: not known
	Class   string
}

type line struct {
	X1, X2 string
	Y1, Y2 int
}

const nodeHigh = 44

func draw(f flock.Family) (t tree) {
	last := 0
	for _, a := range f.Ancestors {
		if a.Bird != nil {
			last = max(last, a.Generation)
		}
	}
	last = min(max(last, 1), flock.Generations-1)
	t.High = nodeHigh * (1 << last)
	wide := 1.0 / float64(last+1)
	at := func(no, generation int) int {
		slots := 1 << generation
		return int((float64(no-slots) + .5) * float64(t.High) / float64(slots))
	}
	var names []string
	for _, a := range f.Ancestors {
		if a.Generation > last {
			break
		}
		n := node{
			X: page.Percent(wide * float64(a.Generation)), Wide: page.Percent(wide * .86), Y: at(a.No, a.Generation),
			Name: "not known", Class: "unknown",
		}
		if b := a.Bird; b != nil {
			n.Name, n.ID, n.Small, n.Class = b.Name, b.ID, b.Mark, b.Sex
			if a.Again {
				n.Small, n.Class = "again", b.Sex+" again"
			}
			if a.No > 1 {
				names = append(names, fmt.Sprintf("%s: %s", role(a.No), b.Name))
			}
		}
		if a.No > 1 {
			t.Lines = append(t.Lines, line{
				page.Percent(wide*float64(a.Generation-1) + wide*.86), page.Percent(wide * float64(a.Generation)),
				at(a.No/2, a.Generation-1), n.Y,
			})
		}
		t.Nodes = append(t.Nodes, n)
	}
	t.Says = "Family of " + f.Name
	if len(names) > 0 {
		t.Says += ". " + strings.Join(names, ", ")
	}
	return t
}

// role of ancestor number n: sire, dam, sire's dam and so on.
func role(n int) (r string) {
	for ; n > 1; n /= 2 {
		of := "sire"
		if n%2 == 1 {
			of = "dam"
		}
		if r != "" {
			of += "’s "
		}
		r = of + r
	}
	return r
}

// selectionView is what selection did, as its page shows it.
type selectionView struct {
	flock.Selection
	Steps curve
}

// curve is the mean of each generation with its spread, and that of its parents.
type curve struct{ Points []point }

type point struct {
	X               string
	Mean, Low, High float64 // from the top
	Parents         float64
	HasParents      bool
	Label           string
	Value           float64 // the mean itself, g
}

func steps(s flock.Selection) (c curve) {
	lo, hi := math.Inf(1), math.Inf(-1)
	for _, g := range s.Generations {
		if g.Birds > 0 {
			lo, hi = min(lo, g.Mean-g.SD), max(hi, g.Mean+g.SD)
			if g.Parents > 0 {
				lo, hi = min(lo, g.Selected), max(hi, g.Selected)
			}
		}
	}
	if math.IsInf(lo, 0) {
		return c
	}
	pad := max((hi-lo)*.1, hi*.02)
	lo, hi = lo-pad, hi+pad
	y := func(v float64) float64 { return page.Down((v - lo) / (hi - lo)) }
	for i, g := range s.Generations {
		if g.Birds == 0 {
			continue
		}
		c.Points = append(c.Points, point{
			X:    page.Percent((float64(i) + .5) / float64(len(s.Generations))),
			Mean: y(g.Mean), Low: y(g.Mean - g.SD), High: y(g.Mean + g.SD), Parents: y(g.Selected),
			HasParents: g.Parents > 0, Label: fmt.Sprint(g.No), Value: g.Generation.Mean,
		})
	}
	return c
}
