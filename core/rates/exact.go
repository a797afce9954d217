package rates

import (
	"math"
	"math/rand/v2"
)

// Tally is k young, or fertile eggs, of n eggs; 0 ≤ K ≤ N.
type Tally struct{ K, N int }

// Exact is Fisher's exact test, two-sided, in the form of Freeman and Halton for any number
// of groups: how often chance alone, with the same eggs and the same young in all, deals the
// young out in a way that is no likelier than the one that was seen. 1 where there is
// nothing to compare. Where there are too many ways to go through, so many are drawn at
// random that p is off by at most 0.003, and estimated is true.
//
// Fisher 1922, On the interpretation of χ² from contingency tables; Freeman & Halton 1951,
// Note on an exact treatment of contingency, goodness of fit and other problems of
// significance, Biometrika 38.
func Exact(groups []Tally) (p float64, estimated bool) {
	var known []Tally
	var all Tally
	for _, g := range groups {
		if g.N > 0 {
			known = append(known, g)
			all.K, all.N = all.K+g.K, all.N+g.N
		}
	}
	if len(known) < 2 || all.K == 0 || all.K == all.N {
		return 1, false
	}
	d := newDeals(known, all)
	if all.N <= mostEggsByWays || len(known) == 2 {
		if p, ok := d.through(0, all.K, 0); ok {
			return min(p, 1), false
		}
	}
	return d.drawn(), true
}

// Exact goes through the ways of so many eggs at most, and so many ways.
const (
	mostEggsByWays = 4000
	mostWays       = 3_000_000
)

// deals goes through the ways in which young can be dealt out to groups.
type deals struct {
	groups []Tally
	all    Tally
	rest   []int       // eggs of group i and those after it
	best   [][]float64 // log weight of the likeliest way to deal k young to group i and those after it
	worst  [][]float64 // and of the least likely
	limit  float64     // log weight of what was seen, a little raised so that ties are counted
	whole  float64     // log of all weights together
	ways   int
	choose logChoose
}

// logChoose holds the logs of factorials, of which those of binomial coefficients are made.
type logChoose []float64

func newLogChoose(most int) logChoose {
	c := make(logChoose, most+1)
	for n := 1; n <= most; n++ {
		c[n] = c[n-1] + math.Log(float64(n))
	}
	return c
}

func (c logChoose) of(n, k int) float64 { return c[n] - c[k] - c[n-k] }

func newDeals(groups []Tally, all Tally) *deals {
	r := len(groups)
	d := &deals{
		groups: groups, all: all, rest: make([]int, r+1), best: make([][]float64, r+1),
		worst: make([][]float64, r+1), choose: newLogChoose(all.N),
	}
	d.whole = d.choose.of(all.N, all.K)
	for i := r - 1; i >= 0; i-- {
		d.rest[i] = d.rest[i+1] + groups[i].N
	}
	for _, g := range groups {
		d.limit += d.choose.of(g.N, g.K)
	}
	d.limit += 1e-7
	worst := []float64{0}
	for i := r - 1; i > 0; i-- {
		most := min(all.K, d.rest[i])
		worst = d.withOneMore(worst, groups[i], most)
		d.best[i], d.worst[i] = likeliest(groups[i:], most), worst
	}
	return d
}

// through sums the chance of every way, with k young left for group i and those after it,
// that is no likelier than what was seen; past is the log weight of the groups before. It
// gives up where there are too many.
func (d *deals) through(i, k int, past float64) (p float64, ok bool) {
	if i == len(d.groups)-1 {
		if w := past + d.choose.of(d.groups[i].N, k); w <= d.limit {
			p = math.Exp(w - d.whole)
		}
		return p, true
	}
	n := d.groups[i].N
	for x := max(0, k-d.rest[i+1]); x <= min(n, k); x++ {
		if d.ways++; d.ways > mostWays {
			return 0, false
		}
		w := past + d.choose.of(n, x)
		switch left := k - x; {
		case w+d.best[i+1][left] <= d.limit: // all of them count
			p += math.Exp(w + d.choose.of(d.rest[i+1], left) - d.whole)
		case w+d.worst[i+1][left] > d.limit: // none does
		default:
			more, ok := d.through(i+1, left, w)
			if !ok {
				return 0, false
			}
			p += more
		}
	}
	return p, true
}

// likeliest gives, for each number of young from 0 to most, the log weight of the likeliest way to
// deal them to groups. The weight of one group is concave in its young, so each next one goes to
// where it adds most.
func likeliest(groups []Tally, most int) []float64 {
	best := make([]float64, most+1)
	given := make([]int, len(groups))
	for k := 1; k <= most; k++ {
		top, gain := -1, math.Inf(-1)
		for i, g := range groups {
			if given[i] == g.N {
				continue
			}
			if more := math.Log(float64(g.N-given[i]) / float64(given[i]+1)); more > gain {
				top, gain = i, more
			}
		}
		given[top]++
		best[k] = best[k-1] + gain
	}
	return best
}

// withOneMore gives from the log weights of the least likely ways of some groups those with one
// group more, for 0 to most young.
func (d *deals) withOneMore(worst []float64, g Tally, most int) []float64 {
	all := make([]float64, most+1)
	for k := range all {
		all[k] = math.Inf(1)
	}
	for x := 0; x <= min(g.N, most); x++ {
		own := d.choose.of(g.N, x)
		for k, w := range worst[:min(len(worst), most-x+1)] {
			all[k+x] = min(all[k+x], own+w)
		}
	}
	return all
}

// draws is how many ways are drawn where they cannot be gone through.
const draws = 40_000

// drawn estimates the chance from ways drawn at random, always the same ones.
func (d *deals) drawn() float64 {
	dice := rand.New(rand.NewPCG(uint64(d.all.N), uint64(d.all.K)))
	hits := 0
	for range draws {
		w, eggs, young := 0.0, d.all.N, d.all.K
		for i, g := range d.groups {
			x := young
			if i < len(d.groups)-1 {
				x = d.hypergeometric(dice, g.N, eggs, young)
			}
			w += d.choose.of(g.N, x)
			eggs, young = eggs-g.N, young-x
		}
		if w <= d.limit {
			hits++
		}
	}
	return float64(hits+1) / (draws + 1)
}

// hypergeometric draws how many of young are among n of the eggs: by the inverse of its
// distribution, outwards from the middle.
func (d *deals) hypergeometric(dice *rand.Rand, n, eggs, young int) int {
	lo, hi := max(0, young-(eggs-n)), min(n, young)
	middle := min(max((n+1)*(young+1)/(eggs+2), lo), hi)
	at := math.Exp(d.choose.of(n, middle) + d.choose.of(eggs-n, young-middle) - d.choose.of(eggs, young))
	u := dice.Float64() - at
	below, above := middle, middle
	pb, pa := at, at
	for u > 0 && (below > lo || above < hi) {
		if above < hi {
			pa *= float64(n-above) * float64(young-above) / (float64(above+1) * float64(eggs-n-young+above+1))
			above++
			if u -= pa; u <= 0 {
				return above
			}
		}
		if below > lo {
			pb *= float64(below) * float64(eggs-n-young+below) / (float64(n-below+1) * float64(young-below+1))
			below--
			if u -= pb; u <= 0 {
				return below
			}
		}
	}
	return middle
}
