package storage

import (
	"math"
	"sort"

	"metrogon/core/species"
)

// Own is what became of a farm's own eggs that were set at one age.
type Own struct {
	AgeDays      float64
	Set, Hatched int
}

// Curve is the hatch of stored eggs relative to fresh ones, as this farm may
// expect it: the published curve, blended with its own eggs.
type Curve struct {
	kind  *species.Profile
	fresh float64   // the level of hatch of fresh eggs at which the published curve fits the own eggs
	Eggs  int       // own eggs behind it; 0: the published curve alone
	at    []float64 // relative hatch each quarter of a day, from 0 on
	own   []near
}

// near is what own eggs of about one age did: eggs as far as they count there,
// and the hatched of them.
type near struct{ eggs, hatched float64 }

const (
	// published is how many eggs the published curve is worth at each age.
	// Common practice in shrinking; ours to choose: as many as a good trayful.
	published = 40
	// reach is how far, in days, an egg still tells of another age; it counts
	// less the further off, and not at all from here on.
	reach   = 2.0
	quarter = 0.25
	longest = 60 // days
)

// Blend joins a farm's own eggs with the published curve. At each age both
// count as eggs of that age: own ones as many as there are, those up to two
// days younger or older in part; the published curve as 40. The outcome is made
// to fall with age (pooling adjacent violators) and is relative to day 1. Without
// own eggs it is the published curve. Entries must have 0 ≤ Hatched ≤ Set and an
// age of 0 to 60 days.
func Blend(p *species.Profile, own []Own) Curve {
	c := Curve{kind: p}
	set, hatched, asFresh := 0.0, 0.0, 0.0
	for _, o := range own {
		c.Eggs += o.Set
		set += float64(o.Set)
		hatched += float64(o.Hatched)
		asFresh += float64(o.Set) * Relative(p, o.AgeDays)
	}
	if c.Eggs == 0 || p.IsReptile() {
		c.Eggs = 0
		return c
	}
	// The level of hatch at which the published curve fits these eggs as a whole.
	fresh := (hatched + .5) / (math.Max(asFresh, set/10) + 1)
	c.fresh = fresh
	const n = int(longest/quarter) + 1
	c.own = make([]near, n)
	rate, weight := make([]float64, n), make([]float64, n)
	for i := range n {
		day := quarter * float64(i)
		for _, o := range own {
			// Eggs of the first day are all fresh.
			if w := 1 - math.Abs(max(o.AgeDays, 1)-max(day, 1))/reach; w > 0 {
				c.own[i].eggs += w * float64(o.Set)
				c.own[i].hatched += w * float64(o.Hatched)
			}
		}
		weight[i] = published + c.own[i].eggs
		rate[i] = (published*fresh*Relative(p, day) + c.own[i].hatched) / weight[i]
	}
	c.at = falling(rate, weight)
	top := c.at[int(1/quarter)]
	for i := range c.at {
		if top > 0 {
			c.at[i] = math.Min(1, c.at[i]/top)
		}
	}
	return c
}

// falling is the weighted least-squares fit that never rises.
func falling(v, weight []float64) []float64 {
	type block struct {
		mean, weight float64
		n            int
	}
	var blocks []block
	for i := range v {
		b := block{v[i], weight[i], 1}
		for k := len(blocks); k > 0 && blocks[k-1].mean < b.mean; k = len(blocks) {
			last := blocks[k-1]
			w := last.weight + b.weight
			b = block{(last.mean*last.weight + b.mean*b.weight) / w, w, last.n + b.n}
			blocks = blocks[:k-1]
		}
		blocks = append(blocks, b)
	}
	fit := make([]float64, 0, len(v))
	for _, b := range blocks {
		for range b.n {
			fit = append(fit, b.mean)
		}
	}
	return fit
}

// Relative gives the hatch at an age in days relative to a fresh egg, 0 to 1.
func (c Curve) Relative(ageDays float64) float64 {
	if c.Eggs == 0 {
		return Relative(c.kind, ageDays)
	}
	x := min(max(ageDays, 0)/quarter, float64(len(c.at)-1))
	i := min(int(x), len(c.at)-2)
	return c.at[i] + (c.at[i+1]-c.at[i])*(x-float64(i))
}

// Bounds give how low and how high that may be: as far from it, in proportion, as the published bounds are.
func (c Curve) Bounds(ageDays float64) (low, high float64) {
	x, own := at(c.kind, ageDays), c.Relative(ageDays)
	if x.mid == 0 {
		return x.low, x.high
	}
	return own * x.low / x.mid, min(1, own*x.high/x.mid)
}

// Weight is the share that own eggs have in the curve at an age, 0 to 1, and
// how many eggs they count as.
func (c Curve) Weight(ageDays float64) (share, eggs float64) {
	if c.Eggs == 0 {
		return 0, 0
	}
	i := min(int(math.Round(max(ageDays, 0)/quarter)), len(c.own)-1)
	eggs = c.own[i].eggs
	return eggs / (eggs + published), eggs
}

// Differs finds the age in whole days, up to a last one, at which a farm's own eggs
// differ most from what the published curve expects of them, by how much (relative
// hatch, below 0 is worse), and whether chance alone would hardly do that: 2.6
// standard errors, since the most different of about five independent ages is
// looked at (a normal test at 1 in 20, by Šidák's rule). Ages count where there are
// ten own eggs or more.
func (c Curve) Differs(lastDay float64) (day int, by float64, sure bool) {
	if c.Eggs == 0 {
		return 0, 0, false
	}
	best := 0.0
	for d := 2; float64(d) <= lastDay; d++ {
		n := c.own[min(int(float64(d)/quarter), len(c.own)-1)]
		if n.eggs < 10 {
			continue
		}
		expected := c.fresh * Relative(c.kind, float64(d))
		rate := n.hatched / n.eggs
		se := math.Sqrt(max(expected*(1-expected), .01) * (1/n.eggs + 1/math.Max(float64(c.Eggs)-n.eggs, n.eggs)))
		if z := math.Abs(rate-expected) / se; z > best {
			best, day, by = z, d, (rate-expected)/c.fresh
		}
	}
	return day, by, best > 2.6 && math.Abs(by) > .03
}

// advice on the temperature of storage by how long eggs are to wait: the longer
// the cooler, 12 to 18 °C [common practice].
var advice = []struct{ days, from, to float64 }{{3, 16, 18}, {7, 14, 16}, {10, 13, 15}, {math.Inf(1), 12, 13}}

// AdviseTemperature gives the range of °C in which to keep eggs that are to wait
// so many days.
func AdviseTemperature(days float64) species.Figure {
	i := sort.Search(len(advice), func(i int) bool { return days <= advice[i].days })
	a := advice[min(i, len(advice)-1)]
	return species.Figure{
		At: (a.from + a.to) / 2, From: a.from, To: a.to, Origin: species.Origin{Mark: species.CommonPractice},
	}
}

// Limits of a place: above GrowsAboveC the germ begins to grow; below
// ChillsBelowC it is harmed; humidity 70 to 80 % [common practice].
const (
	GrowsAboveC  = 20.0
	ChillsBelowC = 10.0
	DampPct      = 80.0
	DryPct       = 70.0
)
