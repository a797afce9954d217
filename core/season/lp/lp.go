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

// border lets the slack of the last row into the basis.
func (p *Program) border() {
	i := len(p.basis)
	p.basis, p.where = append(p.basis, len(p.c)+i), append(p.where, i)
	p.xb, p.worth, p.d, p.up, p.alpha = append(p.xb, 0), append(p.worth, 0), append(p.d, 0), append(p.up, false), append(p.alpha, 0)
	norm := 1.0
	for k, col := range p.inv {
		if col == nil {
			continue
		}
		v := 0.0
		for _, t := range p.rows[i] {
			if r := p.where[t.At]; r >= 0 {
				v -= t.By * col[r]
			}
		}
		p.inv[k] = append(col, v)
		norm += v * v
	}
	p.inv, p.norm = append(p.inv, nil), append(p.norm, norm)
}

// Trim forgets rows from a number on that do not bind.
func (p *Program) Trim(from int) {
	if p.basis == nil {
		return
	}
	n, m := len(p.c), len(p.b)
	number := make([]int, m) // of the rows that stay, or -1
	var stay []int
	for i := range m {
		number[i] = -1
		if i < from || p.where[n+i] < 0 {
			number[i] = len(stay)
			stay = append(stay, i)
		}
	}
	if len(stay) == m {
		return
	}
	keep := func(all []float64, ok func(i int) bool) []float64 {
		kept := all[:0]
		for i, v := range all {
			if ok(i) {
				kept = append(kept, v)
			}
		}
		return kept
	}
	row := func(i int) bool { return number[i] >= 0 }
	place := func(i int) bool { return p.basis[i] < n || row(p.basis[i]-n) } // a slack that goes takes its own place in the basis with it
	for k, i := range stay {
		p.rows[k], p.inv[k] = p.rows[i], p.inv[i]
		if p.inv[i] != nil {
			p.inv[k] = keep(p.inv[i], place)
		}
	}
	p.rows, p.inv = p.rows[:len(stay)], p.inv[:len(stay)]
	p.xb, p.norm, p.b = keep(p.xb, place), keep(p.norm, place), keep(p.b, row)
	variable := func(j int) bool { return j < n || row(j-n) }
	p.worth, p.d = keep(p.worth, variable), keep(p.d, variable)
	var basis []int
	for _, j := range p.basis {
		if j < n {
			basis = append(basis, j)
		} else if row(j - n) {
			basis = append(basis, n+number[j-n])
		}
	}
	p.basis = basis
	p.where, p.up, p.alpha = p.where[:n+len(stay)], p.up[:n+len(stay)], p.alpha[:n+len(stay)]
	for j := n; j < len(p.where); j++ {
		p.where[j], p.up[j] = -1, false
	}
	for i, j := range p.basis {
		p.where[j] = i
	}
	for j := range p.cols {
		p.cols[j] = p.cols[j][:0]
	}
	for i, terms := range p.rows {
		for _, t := range terms {
			p.cols[t.At] = append(p.cols[t.At], Term{i, t.By})
		}
	}
}

// Size is the number of rows and variables.
func (p *Program) Size() (rows, variables int) { return len(p.b), len(p.c) }

// Bounds changes the bounds of a variable.
func (p *Program) Bounds(j int, low, high float64) { p.low[j], p.high[j] = low, high }

// Range gives the bounds of a variable.
func (p *Program) Range(j int) (low, high float64) { return p.low[j], p.high[j] }

// begin puts every slack into the basis.
func (p *Program) begin() {
	m, n := len(p.b), len(p.c)
	p.basis, p.where = make([]int, m), make([]int, n+m)
	p.xb, p.d, p.up, p.alpha = make([]float64, m), make([]float64, n+m), make([]bool, n+m), make([]float64, n+m)
	p.worth = make([]float64, n+m)
	copy(p.worth, p.c)
	copy(p.d, p.c)
	for j := range p.where {
		p.where[j] = -1
	}
	p.cost = make([]float64, n)
	p.inv, p.norm = make([][]float64, m), make([]float64, m)
	for i := range m {
		p.basis[i], p.where[n+i], p.norm[i] = n+i, i, 1
	}
}

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

// add adds so many times a column of the inverse.
func (p *Program) add(to []float64, times float64, k int) {
	if times == 0 {
		return
	}
	p.Work++
	if p.inv[k] == nil {
		to[p.where[len(p.c)+k]] += times
		return
	}
	p.Work += len(to)
	col := p.inv[k][:len(to)]
	for i := range to {
		to[i] += times * col[i]
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
	n := len(p.c)
	p.row(r)
	type hit struct {
		j     int
		ratio float64
	}
	var hits []hit
	slack := 1e-7 * (1 + math.Abs(out)) // what rounding may hide
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
			if low, high := p.span(j); p.where[j] < 0 && low < high && math.Abs(d) > small && (d > 0) != p.up[j] && (q < 0 || math.Abs(d) > math.Abs(p.d[q])) {
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
			if room = max(0, room) / math.Abs(v); room < far-1e-12 || r >= 0 && room < far+1e-12 && math.Abs(v) > math.Abs(col[r]) {
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

func (p *Program) column(q int) []float64 {
	col := make([]float64, len(p.b))
	if q >= len(p.c) {
		p.add(col, 1, q-len(p.c))
		return col
	}
	for _, t := range p.cols[q] {
		p.add(col, t.By, t.At)
	}
	return col
}

// at is a number of the inverse.
func (p *Program) at(i, k int) float64 {
	switch {
	case p.inv[k] != nil:
		return p.inv[k][i]
	case p.where[len(p.c)+k] == i:
		return 1
	}
	return 0
}

// exchange puts variable q into the basis at row r.
func (p *Program) exchange(r, q int, col []float64) {
	n := len(p.c)
	if k := p.basis[r] - n; k >= 0 { // a slack leaves
		p.inv[k] = p.blank()
		p.inv[k][r] = 1
	}
	var at []int // rows that change
	for i, f := range col {
		if i != r && math.Abs(f) >= 1e-13 {
			at = append(at, i)
		}
	}
	length := 0.0
	cross := make([]float64, len(col))
	for _, inv := range p.inv {
		if inv == nil || inv[r] == 0 {
			continue
		}
		v := inv[r] / col[r]
		if math.Abs(v) < 1e-13 {
			inv[r] = 0
			continue
		}
		inv[r] = v
		length += v * v
		p.Work += 2 * len(at)
		for _, i := range at {
			cross[i] += inv[i] * v
			inv[i] -= col[i] * v
		}
	}
	p.norm[r] = length
	for _, i := range at {
		p.norm[i] = max(p.norm[i]-2*col[i]*cross[i]+col[i]*col[i]*length, 1e-12)
	}
	p.where[p.basis[r]] = -1
	p.basis[r], p.where[q] = q, r
	if q >= n {
		p.spare, p.inv[q-n] = append(p.spare, p.inv[q-n]), nil
	}
}

// blank is a column of noughts.
func (p *Program) blank() []float64 {
	if last := len(p.spare) - 1; last >= 0 && len(p.spare[last]) >= len(p.b) {
		col := p.spare[last][:len(p.b)]
		p.spare = p.spare[:last]
		clear(col)
		return col
	}
	p.spare = nil
	return make([]float64, len(p.b))
}

// remake makes the inverse and the reduced costs anew from the basis.
func (p *Program) remake() {
	n, m := len(p.c), len(p.b)
	var wanted []int
	for _, j := range p.basis {
		if j < n {
			wanted = append(wanted, j)
		}
		p.where[j] = -1
	}
	keeps := make([]bool, m)
	for _, j := range p.basis {
		if j >= n {
			keeps[j-n] = true
		}
	}
	for i := range m {
		if p.inv[i] != nil {
			p.spare = append(p.spare, p.inv[i])
		}
		p.inv[i], p.norm[i] = nil, 1
		p.basis[i], p.where[n+i] = n+i, i
	}
	for _, j := range wanted {
		col := p.column(j)
		best := -1
		for i, v := range col {
			if p.basis[i] >= n && !keeps[p.basis[i]-n] && (best < 0 || math.Abs(v) > math.Abs(col[best])) {
				best = i
			}
		}
		if best >= 0 && math.Abs(col[best]) > 1e-9 {
			p.exchange(best, j, col)
		}
	}
	p.price()
	p.mend()
	p.since = 0
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

// price makes the reduced costs anew.
func (p *Program) price() {
	n, y := len(p.c), make([]float64, len(p.b))
	for k, col := range p.inv {
		if col == nil {
			y[k] = p.worth[n+k]
		}
		for i, v := range col {
			y[k] += p.worth[p.basis[i]] * v
		}
	}
	for j := range p.d {
		switch {
		case p.where[j] >= 0:
			p.d[j] = 0
		case j >= n:
			p.d[j] = p.worth[j] - y[j-n]
		default:
			p.d[j] = p.worth[j]
			for _, t := range p.cols[j] {
				p.d[j] -= y[t.At] * t.By
			}
		}
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
	return sum
}

// Cost is what the last Bound falls by, at least, for every unit by which a variable
// leaves the bound that suits it: above its lower one if the cost is negative,
// below its upper one if it is positive.
func (p *Program) Cost(j int) float64 { return p.cost[j] }
