// Package lp bounds linear programs from above: maximise c·x under A x ≤ b and
// bounds on every x, by the dual simplex method. It can be stopped at any pivot, and
// what it then gives is still a proven bound, since any y ≥ 0 gives one by weak
// duality. Bounds of x may be changed, and rows come and go, and the work goes on from
// where it stood, as branch and bound and cuts need it.
package lp

import (
	"math"
	"slices"
)

// Term is a coefficient of a variable, or of a row.
type Term struct {
	At int
	By float64
}

// Program is built by Var and Row, then solved.
type Program struct {
	c, low, high []float64
	cols         [][]Term // by variable: rows
	rows         [][]Term // by row: variables
	b            []float64

	basis  []int       // variable of each row; n+i is the slack of row i
	where  []int       // row of a basic variable, or -1
	up     []bool      // a nonbasic variable stands at its upper bound
	xb     []float64   // values of the basic ones
	worth  []float64   // of variables and slacks: c, nudged, and nothing
	d      []float64   // reduced costs
	inv    [][]float64 // the inverse of the basis, by column; nil: nothing but a one, as the row's slack is basic
	spare  [][]float64 // columns that are not in use
	norm   []float64   // squared length of each of its rows
	alpha  []float64
	cost   []float64 // by the last Bound
	prices []float64 // of the rows, by the last Bound
	since  int       // pivots since the inverse was made anew
	idle   int       // pivots that brought nothing
	nudged bool      // the reduced costs
	Pivots int
	Work   int // about how many additions and multiplications were done
}

// Var adds a variable worth c each, between low and high, and gives its number.
func (p *Program) Var(c, low, high float64) int {
	p.c, p.low, p.high = append(p.c, c), append(p.low, low), append(p.high, high)
	p.cols = append(p.cols, nil)
	return len(p.c) - 1
}

// Row asks that the terms sum to at most b. It may come at any time, and what was
// found so far is gone on from.
func (p *Program) Row(b float64, terms ...Term) {
	i := len(p.b)
	p.b = append(p.b, b)
	p.rows = append(p.rows, terms)
	for _, t := range terms {
		p.cols[t.At] = append(p.cols[t.At], Term{i, t.By})
	}
	if p.basis != nil {
		p.border()
	}
}

// Size is the number of rows and variables.
func (p *Program) Size() (rows, variables int) { return len(p.b), len(p.c) }

// Bounds changes the bounds of a variable.
func (p *Program) Bounds(j int, low, high float64) { p.low[j], p.high[j] = low, high }

// Range gives the bounds of a variable.
func (p *Program) Range(j int) (low, high float64) { return p.low[j], p.high[j] }

// settle puts nonbasic variables to the bound that their reduced cost asks for and
// works the basic ones out.
func (p *Program) settle() {
	n := len(p.c)
	rest := slices.Clone(p.b)
	for j := range n {
		if p.where[j] >= 0 {
			continue
		}
		if p.up[j] = p.d[j] > 0; p.value(j) != 0 {
			for _, t := range p.cols[j] {
				rest[t.At] -= t.By * p.value(j)
			}
		}
	}
	clear(p.xb)
	for k, v := range rest {
		p.add(p.xb, v, k)
	}
}

func (p *Program) value(j int) float64 {
	switch {
	case j >= len(p.c):
		return 0
	case p.up[j]:
		return p.high[j]
	}
	return p.low[j]
}

// X gives a variable's value at the end.
func (p *Program) X(j int) float64 {
	if i := p.where[j]; i >= 0 {
		return p.xb[i]
	}
	return p.value(j)
}

const small = 1e-9

// Solve goes on until the optimum, or until nothing can hold (feasible is then
// false), or the objective falls to enough, or stop says so.
func (p *Program) Solve(enough float64, stop func() bool) (feasible bool) {
	if p.basis == nil {
		p.begin()
	}
	p.settle()
	nudge := 1e-7
	for step := 0; ; step++ {
		if p.since > 600 {
			p.remake()
			p.settle()
		}
		if p.idle > 100 {
			p.nudge(nudge)
			nudge = min(10*nudge, 1e-4)
		}
		if step%20 == 19 && (stop() || p.Bound() <= enough) {
			return true
		}
		r, out := -1, 0.0
		worst := small
		for i, v := range p.xb {
			low, high := p.span(p.basis[i])
			over := 0.0
			if v < low-1e-8*(1+math.Abs(low)) {
				over = v - low
			} else if v > high+1e-8*(1+math.Abs(high)) {
				over = v - high
			}
			if w := over * over / p.norm[i]; over != 0 && w > worst*small {
				if r < 0 || w > worst {
					r, out, worst = i, over, w
				}
			}
		}
		if r < 0 {
			if p.nudged && p.Bound() > enough {
				p.finish(stop)
			}
			return true
		}
		if !p.pivot(r, out) {
			return false
		}
		if step > 50000 {
			return true
		}
	}
}

func (p *Program) span(j int) (low, high float64) {
	if j >= len(p.c) {
		return 0, math.Inf(1)
	}
	return p.low[j], p.high[j]
}

// pivot lets the basic variable of row r leave, which lies over its bound by out.
func (p *Program) pivot(r int, out float64) bool {
	p.row(r)
	hits, slack := p.hits(out)
	slope := math.Abs(out)
	q := -1
	var flips []int
	for i, h := range hits {
		low, high := p.span(h.j)
		slope -= math.Abs(p.alpha[h.j]) * (high - low)
		if slope <= 0 || (i == len(hits)-1 && slope <= slack) || math.IsInf(high, 1) {
			q = h.j
			for k := i + 1; k < len(hits) && hits[k].ratio <= h.ratio+1e-11; k++ { // of equals the surest pivot
				if math.Abs(p.alpha[hits[k].j]) > math.Abs(p.alpha[q]) {
					q = hits[k].j
				}
			}
			break
		}
		flips = append(flips, h.j)
	}
	if q < 0 {
		return false
	}
	if len(flips) > 0 {
		p.flip(flips)
	}
	leaving := p.basis[r]
	low, high := p.span(leaving)
	target, toUpper := low, false
	if out > 0 {
		target, toUpper = high, true
	}
	col := p.column(q)
	theta := (p.xb[r] - target) / col[r]
	entering := p.value(q) + theta
	for i, v := range col {
		p.xb[i] -= theta * v
	}
	if p.idle++; math.Abs(p.d[q]/p.alpha[q]*out) > 1e-10 {
		p.idle = 0
	}
	p.swap(r, q, col, entering, toUpper)
	return true
}

// hit is a variable that may enter the basis, and how far the objective lets it.
type hit struct {
	j     int
	ratio float64
}

// hits are the variables that heal the row which is out by so much, the nearest first;
// slack is what rounding may hide.
func (p *Program) hits(out float64) (hits []hit, slack float64) {
	n := len(p.c)
	slack = 1e-7 * (1 + math.Abs(out))
	for j, a := range p.alpha {
		if a == 0 || p.where[j] >= 0 {
			continue
		}
		low, high := p.span(j)
		if math.Abs(a) < 1e-8 {
			slack += math.Abs(a) * min(high-low, 1e6)
			continue
		}
		if low == high {
			continue
		}
		grows := (a < 0) == (out < 0) // x_j has to grow for the row to heal
		if grows != p.up[j] || (j >= n && grows) {
			if j >= n && !grows {
				continue
			}
			hits = append(hits, hit{j, math.Abs(p.d[j] / a)})
		}
	}
	slices.SortFunc(hits, func(a, b hit) int {
		if a.ratio != b.ratio {
			if a.ratio < b.ratio {
				return -1
			}
			return 1
		}
		return a.j - b.j
	})
	return hits, slack
}

// flip moves variables from one of their bounds to the other.
func (p *Program) flip(flips []int) {
	move := make([]float64, len(p.b))
	for _, j := range flips {
		by := p.high[j] - p.low[j]
		if p.up[j] {
			by = -by
		}
		p.up[j] = !p.up[j]
		for _, t := range p.cols[j] {
			move[t.At] += t.By * by
		}
	}
	for k, v := range move {
		p.add(p.xb, -v, k)
	}
}

// row works out row r of the program in terms of the basis.
func (p *Program) row(r int) {
	clear(p.alpha)
	for i := range p.inv {
		v := p.at(r, i)
		if v == 0 {
			continue
		}
		p.alpha[len(p.c)+i] = v
		p.Work += len(p.rows[i])
		for _, t := range p.rows[i] {
			p.alpha[t.At] += v * t.By
		}
	}
}

// swap lets variable q enter with a value where that of row r, which was worked out,
// leaves to one of its bounds.
func (p *Program) swap(r, q int, col []float64, value float64, toUpper bool) {
	t := p.d[q] / p.alpha[q]
	for j, a := range p.alpha {
		if a != 0 && p.where[j] < 0 {
			p.d[j] -= t * a
		}
	}
	leaving := p.basis[r]
	p.d[leaving], p.d[q] = -t, 0
	p.up[leaving] = toUpper
	p.exchange(r, q, col)
	p.xb[r] = value
	p.Pivots++
	p.Work += 10 * len(p.d)
	p.since++
}

// finish goes from the optimum of the nudged program, where all bounds are kept, to
// that of the true one, by the primal simplex.
func (p *Program) finish(stop func() bool) {
	clear(p.worth)
	copy(p.worth, p.c)
	p.nudged = false
	p.price()
	for step, idle := 1, 0; idle < 200 && (step%20 > 0 || !stop()); step++ {
		q := -1
		for j, d := range p.d {
			low, high := p.span(j)
			may := p.where[j] < 0 && low < high && math.Abs(d) > small && (d > 0) != p.up[j]
			if may && (q < 0 || math.Abs(d) > math.Abs(p.d[q])) {
				q = j
			}
		}
		if q < 0 {
			break
		}
		col := p.column(q)
		low, high := p.span(q)
		sign := 1.0
		if p.up[q] {
			sign = -1
		}
		far, r := high-low, -1
		for i, v := range col {
			if math.Abs(v) < small {
				continue
			}
			low, high := p.span(p.basis[i])
			room := p.xb[i] - low
			if v*sign < 0 {
				room = high - p.xb[i]
			}
			room = max(0, room) / math.Abs(v)
			if room < far-1e-12 || r >= 0 && room < far+1e-12 && math.Abs(v) > math.Abs(col[r]) {
				far, r = min(far, room), i
			}
		}
		if math.IsInf(far, 1) {
			break
		}
		if idle++; far > small {
			idle = 0
		}
		for i, v := range col {
			p.xb[i] -= sign * far * v
		}
		if r < 0 { // from one of its bounds to the other
			p.up[q] = !p.up[q]
			continue
		}
		p.row(r)
		p.swap(r, q, col, p.value(q)+sign*far, col[r]*sign < 0)
	}
	p.mend()
}

// mend takes away what a slack must not be worth.
func (p *Program) mend() {
	for j := len(p.c); j < len(p.d); j++ {
		if p.where[j] < 0 && p.d[j] > 0 {
			p.nudged = p.nudged || p.d[j] > small
			p.worth[j] -= p.d[j]
			p.d[j] = 0
		}
	}
}

// nudge moves the reduced costs apart a little, each to its own side, where pivots
// bring nothing because many are zero.
func (p *Program) nudge(much float64) {
	p.nudged, p.idle = true, 0
	for j := range p.d {
		if p.where[j] >= 0 {
			continue
		}
		by := much * (1 + float64(j*7919%1000)/1000)
		if !p.up[j] {
			by = -by
		}
		p.d[j] += by
		p.worth[j] += by
	}
}

// Bound is proven: b·y + Σ max over the range of x of (c − yA)·x, for the present
// prices made non-negative.
func (p *Program) Bound() float64 {
	y := make([]float64, len(p.b))
	sum := 0.0
	for i := range y {
		if p.where[len(p.c)+i] < 0 {
			y[i] = max(0, p.worth[len(p.c)+i]-p.d[len(p.c)+i])
			sum += y[i] * p.b[i]
		}
	}
	for j, c := range p.c {
		for _, t := range p.cols[j] {
			c -= y[t.At] * t.By
		}
		p.cost[j] = c
		sum += max(c*p.low[j], c*p.high[j])
	}
	p.prices = y
	return sum
}

// Price is what one more of a row's right side would bring, by the last Bound.
func (p *Program) Price(i int) float64 { return p.prices[i] }

// Cost is what the last Bound falls by, at least, for every unit by which a variable
// leaves the bound that suits it: above its lower one if the cost is negative,
// below its upper one if it is positive.
func (p *Program) Cost(j int) float64 { return p.cost[j] }
