package lp

import (
	"cmp"
	"math"
	"slices"
)

// First finds good prices by first-order steps (primal-dual hybrid gradient with diagonal
// steps, averages and restarts; Chambolle and Pock 2011, Applegate and others 2021, from
// memory). A step costs no more than reading the program twice, so that large programs,
// on which a simplex method is still at its beginning, get a proven bound soon. Any prices
// prove one by weak duality: what is rough about them makes it no less true.
type First struct {
	p            *Program
	x, y         []float64
	sumX, sumY   []float64 // since the last restart
	slope        []float64 // c − yA
	room         []float64 // Ax − b
	stepX, stepY []float64
	rows         int // for which the steps were reckoned
	since, cycle int // steps since the last restart, and until the next
	weight       float64
	fromX, fromY []float64
	bound        float64
	best, mended []float64 // prices of the best bound, and those that are tried
	average      []float64
	stop         func() bool
	bends        []bend
	Work         int
}

// firstCycle and lastCycle are how many steps lie between restarts: few at first, when the
// average is far off anyhow.
const (
	firstCycle = 64
	lastCycle  = 1024
)

// First begins at nothing for nothing.
func (p *Program) First() *First {
	f := &First{p: p, cycle: firstCycle, weight: 1, bound: math.Inf(1)}
	f.x = make([]float64, len(p.c))
	for j := range f.x {
		f.x[j] = min(max(0, p.low[j]), p.high[j])
	}
	f.fit()
	return f
}

// fit takes up rows that came since, and reckons the steps anew.
func (f *First) fit() {
	p := f.p
	for len(f.y) < len(p.b) {
		f.y = append(f.y, 0)
	}
	f.rows = len(p.b)
	f.stepX, f.stepY = make([]float64, len(p.c)), make([]float64, len(p.b))
	f.slope, f.room = make([]float64, len(p.c)), make([]float64, len(p.b))
	for j := range p.c {
		sum := 0.0
		for _, t := range p.cols[j] {
			sum += math.Abs(t.By)
		}
		f.stepX[j] = 1 / max(sum, 1e-9)
	}
	for i := range p.b {
		sum := 0.0
		for _, t := range p.rows[i] {
			sum += math.Abs(t.By)
		}
		f.stepY[i] = 1 / max(sum, 1e-9)
	}
	f.begin()
}

// begin restarts from where x and y are.
func (f *First) begin() {
	f.sumX, f.sumY = make([]float64, len(f.x)), make([]float64, len(f.y))
	f.fromX, f.fromY = append(f.fromX[:0], f.x...), append(f.fromY[:0], f.y...)
	f.since = 0
}

// Steps makes so many, and sees which bound the average of the prices proves.
// It ends where stop says so, at any step.
func (f *First) Steps(n int, stop func() bool) {
	if f.stop = stop; f.rows < len(f.p.b) {
		f.fit()
	}
	for range n {
		if stop() {
			return
		}
		f.step()
		if f.since >= f.cycle {
			f.restart()
		}
	}
	if n := float64(f.since); n > 0 {
		f.average = append(f.average[:0], f.sumY...)
		for i := range f.average {
			f.average[i] /= n
		}
		f.prove(f.average)
	}
}

func (f *First) step() {
	p := f.p
	f.slopes(f.y)
	for i := range f.room {
		f.room[i] = -p.b[i]
	}
	for j, x := range f.x {
		next := min(max(x+f.stepX[j]/f.weight*f.slope[j], p.low[j]), p.high[j])
		f.x[j] = next
		f.sumX[j] += next
		if ahead := 2*next - x; ahead != 0 {
			for _, t := range p.cols[j] {
				f.room[t.At] += t.By * ahead
			}
			f.Work += len(p.cols[j])
		}
	}
	for i, over := range f.room {
		f.y[i] = max(0, f.y[i]+f.stepY[i]*f.weight*over)
		f.sumY[i] += f.y[i]
	}
	f.since++
}

// slopes are c − yA.
func (f *First) slopes(y []float64) {
	copy(f.slope, f.p.c)
	for i, price := range y {
		if price != 0 {
			for _, t := range f.p.rows[i] {
				f.slope[t.At] -= price * t.By
			}
			f.Work += len(f.p.rows[i])
		}
	}
}

// restart goes on from the average, with the steps of x and y weighed by how far each has
// come, and sees which bound its prices prove.
func (f *First) restart() {
	n := float64(f.since)
	for j := range f.x {
		f.x[j] = f.sumX[j] / n
	}
	for i := range f.y {
		f.y[i] = f.sumY[i] / n
	}
	if dx, dy := distance(f.x, f.fromX), distance(f.y, f.fromY); dx > 1e-9 && dy > 1e-9 {
		f.weight = math.Sqrt(f.weight * dy / dx)
	}
	f.prove(f.y)
	f.begin()
	f.cycle = min(2*f.cycle, lastCycle)
}

func distance(a, b []float64) float64 {
	sum := 0.0
	for i := range b {
		sum += (a[i] - b[i]) * (a[i] - b[i])
	}
	return math.Sqrt(sum)
}

// sweeps of mending that are made at a restart.
const sweeps = 3

// prove reckons the bound of some prices, once they are mended row by row: what is
// rough about them would cost a variable's whole range.
func (f *First) prove(prices []float64) {
	f.mended = append(f.mended[:0], prices...)
	f.slopes(f.mended)
	for range sweeps {
		for i := range f.mended {
			f.mend(i)
		}
		if f.stop() {
			break
		}
	}
	sum := 0.0
	for i, y := range f.mended {
		sum += y * f.p.b[i]
	}
	for j, c := range f.slope {
		sum += max(c*f.p.low[j], c*f.p.high[j])
	}
	if sum < f.bound {
		f.bound, f.best = sum, append(f.best[:0], f.mended...)
	}
}

// bend is where the bound bends as one price rises, and by how much.
type bend struct{ at, by float64 }

// mend gives a row the price that makes the bound lowest with all others as they are. By one
// price the bound is convex and bends where a variable's slope changes its sign.
func (f *First) mend(i int) {
	p, was := f.p, f.mended[i]
	slope := p.b[i] // of the bound, where the price is far below
	bends := f.bends[:0]
	for _, t := range p.rows[i] {
		if t.By > 0 {
			slope -= t.By * p.high[t.At]
		} else {
			slope -= t.By * p.low[t.At]
		}
		bends = append(bends, bend{was + f.slope[t.At]/t.By, math.Abs(t.By) * (p.high[t.At] - p.low[t.At])})
	}
	f.bends = bends
	f.Work += 4 * len(bends)
	slices.SortFunc(bends, func(a, b bend) int { return cmp.Compare(a.at, b.at) })
	best := 0.0
	for _, b := range bends {
		if slope >= 0 {
			break
		}
		best = b.at
		slope += b.by
	}
	if best = max(0, best); best != was {
		f.mended[i] = best
		for _, t := range p.rows[i] {
			f.slope[t.At] -= t.By * (best - was)
		}
	}
}

// Bound is the lowest that was proven.
func (f *First) Bound() float64 { return f.bound }

// X is about the value of a variable.
func (f *First) X(j int) float64 { return f.x[j] }

// Price is what one more of a row's right side would bring, by the prices of the bound.
func (f *First) Price(i int) float64 {
	if i >= len(f.best) {
		return 0
	}
	return f.best[i]
}

// Cost is what the bound falls by when a variable leaves the bound that suits it.
func (f *First) Cost(j int) float64 {
	c := f.p.c[j]
	for _, t := range f.p.cols[j] {
		c -= f.Price(t.At) * t.By
	}
	return c
}
