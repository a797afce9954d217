package rates

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/floats"
)

// Count is k of n eggs; a part of an egg counts where eggs are worth less than one.
type Count struct{ K, N float64 }

func (c Count) plus(d Count) Count { return Count{c.K + d.K, c.N + d.N} }

// Eggs are those of one pen, or of any group that is drawn towards the others.
type Eggs struct {
	Batches []Count
	// Apart tells that Batches are batches, which differ beyond chance; else they are one count of single eggs.
	Apart bool
}

func (e Eggs) total() Count { return total(e.Batches) }

// The grid. Pens' true rates are even cells in the angle φ = asin √rate. How far pens differ (t: their standard
// deviation is t·√(m(1−m)) about the mean m), and batches (rho), are nodes, each with the weight of what is
// believed of it before [judgement, tuned in simulation]: t half-normal, rho exponential, m even in the angle.
const (
	cells    = 120
	width    = math.Pi / 2 / cells
	meanRho  = 0.025
	edge     = 0.03 // of the angle of m
	penScale = 0.22 // of t: pens' standard deviation is about 0 to 18 points at 75 %
	// bestScale is that of t where one group is to be called the best: a claim needs more than an interval.
	bestScale = 0.08
)

var (
	tNodes   = []float64{0.03, 0.06, 0.10, 0.15, 0.21, 0.29, 0.40}
	rhoNodes = []float64{0.002, 0.015, 0.035, 0.065, 0.12}
)

// widths are from midway to midway of the nodes; the first from 0, the last as far beyond as it lies from its
// neighbour.
func widths(nodes []float64) []float64 {
	w := make([]float64, len(nodes))
	for i := range nodes {
		from, to := 0.0, 0.0
		if i > 0 {
			from = (nodes[i-1] + nodes[i]) / 2
		}
		if i < len(nodes)-1 {
			to = (nodes[i] + nodes[i+1]) / 2
		} else {
			to = nodes[i] + (nodes[i] - from)
		}
		w[i] = to - from
	}
	return w
}

// angle of the middle of a cell.
func angle(cell int) float64 { return (float64(cell) + 0.5) * width }

func rateOf(angle float64) float64 { return math.Sin(angle) * math.Sin(angle) }

// rateAt is the rate in the middle of each cell; 1 − it is that of the cell as far from the other end.
var rateAt = func() (all [cells]float64) {
	for c := range all {
		all[c] = rateOf(angle(c))
	}
	return all
}()

// reading is one of how the groups lie together.
type reading struct {
	m, t   float64
	rho    int // among the rhos
	weight float64
	prior  []float64 // of a group, by cell
	sums   []float64 // of each group: Σ likelihood · prior
}

// Pooled are groups that were drawn towards one another: each group's rate by what its own eggs and those of the others
// say together. Nothing is fitted: all readings are weighed.
type Pooled struct {
	readings []reading
	like     [][][]float64 // likelihood by group, rho, cell
	seen     []bool        // groups with eggs
	each     [][]float64   // posterior by group, cell
}

// Pool draws groups together. Groups without eggs say nothing of the others.
func Pool(groups []Eggs) *Pooled { return pool(groups, penScale) }

func pool(groups []Eggs, scale float64) *Pooled {
	rhos, rhoWeights := []float64{0}, []float64{1}
	var all Count
	batches, pens, apart := 0.0, 0.0, false
	for _, g := range groups {
		sum := g.total()
		if sum.N == 0 {
			continue
		}
		all, pens, apart = all.plus(sum), pens+1, apart || g.Apart
		if batches++; g.Apart {
			batches += float64(len(g.Batches)) - 1
		}
	}
	if apart {
		rhos = rhoNodes
		rhoWeights = widths(rhoNodes)
		for i, rho := range rhoNodes {
			rhoWeights[i] *= math.Exp(-rho / meanRho)
		}
	}
	p := &Pooled{}
	p.likelihoods(groups, rhos)
	tWeights := widths(tNodes)
	for i, t := range tNodes {
		tWeights[i] *= math.Exp(-t * t / (2 * scale * scale))
		sd := 0.5 // nothing is known
		if all.N > 0 {
			over := 1.0
			if apart {
				over = 1 + 0.03*(all.N/batches-1)
			}
			sd = math.Sqrt(t*t/(4*pens) + over/(4*all.N))
		}
		middle := math.Asin(math.Sqrt((all.K + 0.5) / (all.N + 1)))
		for j := -4.0; j <= 4; j++ {
			at := middle + sd*0.8*j
			if at <= edge || at >= math.Pi/2-edge {
				continue
			}
			prior := spreadPrior(rateOf(at), t)
			for r := range rhos {
				p.readings = append(p.readings, reading{
					m: rateOf(at), t: t, rho: r, prior: prior, weight: math.Log(tWeights[i] * rhoWeights[r] * sd),
				})
			}
		}
	}
	p.weigh()
	return p
}

// spreadPrior is what is believed of one group's rate, by cell, where groups lie so about a mean.
func spreadPrior(m, t float64) []float64 {
	size := 1/(t*t) - 1
	a, b := 2*m*size-1, 2*(1-m)*size-1
	prior := make([]float64, cells)
	for c := range prior {
		prior[c] = a*math.Log(math.Sin(angle(c))) + b*math.Log(math.Cos(angle(c)))
	}
	top := floats.Max(prior)
	for c := range prior {
		prior[c] = math.Exp(prior[c] - top)
	}
	floats.Scale(1/floats.Sum(prior), prior)
	return prior
}

// likelihoods are of each group's eggs, by rho and cell, in proportion.
func (p *Pooled) likelihoods(groups []Eggs, rhos []float64) {
	p.like = make([][][]float64, len(groups))
	for g := range groups {
		p.like[g], p.seen = make([][]float64, len(rhos)), append(p.seen, groups[g].total().N > 0)
	}
	for r, rho := range rhos {
		size := (1 - rho) / rho // infinite without batches
		var up [cells]rising
		for c := range up {
			up[c].from = rateAt[c] * size
		}
		together := rising{from: size}
		for i, g := range groups {
			like, sum := make([]float64, cells), g.total()
			for c := range like {
				if !g.Apart || rho == 0 {
					like[c] = sum.K*math.Log(rateAt[c]) + (sum.N-sum.K)*math.Log(1-rateAt[c])
					continue
				}
				for _, b := range g.Batches {
					like[c] += up[c].log(b.K) + up[cells-1-c].log(b.N-b.K) - together.log(b.N)
				}
			}
			p.like[i][r] = like
		}
	}
	for g := range groups {
		top := math.Inf(-1)
		for _, like := range p.like[g] {
			top = max(top, floats.Max(like))
		}
		for _, like := range p.like[g] {
			for c := range like {
				like[c] = math.Exp(like[c] - top)
			}
		}
	}
}

// rising gives the logarithms of a·(a+1)·…·(a+k−1), whole k by table.
type rising struct {
	from  float64
	table []float64
}

func (up *rising) log(k float64) float64 {
	if k != math.Trunc(k) || k > 500 {
		above, _ := math.Lgamma(up.from + k)
		below, _ := math.Lgamma(up.from)
		return above - below
	}
	if up.table == nil {
		up.table = append(make([]float64, 0, 40), 0)
	}
	for j := len(up.table); j <= int(k); j++ {
		up.table = append(up.table, up.table[j-1]+math.Log(up.from+float64(j-1)))
	}
	return up.table[int(k)]
}

// weigh weighs the nodes by what the groups say of them, and each group's rate over all nodes.
func (p *Pooled) weigh() {
	top := math.Inf(-1)
	for i := range p.readings {
		n := &p.readings[i]
		n.sums = make([]float64, len(p.like))
		for g := range p.like {
			n.sums[g] = floats.Dot(p.like[g][n.rho], n.prior)
			n.weight += math.Log(n.sums[g])
		}
		top = max(top, n.weight)
	}
	// Readings that the groups rule out leave nothing to divide by.
	p.readings = slices.DeleteFunc(p.readings, func(n reading) bool { return math.IsInf(n.weight, -1) })
	sum := 0.0
	for i := range p.readings {
		p.readings[i].weight = math.Exp(p.readings[i].weight - top)
		sum += p.readings[i].weight
	}
	for i := range p.readings {
		p.readings[i].weight /= sum
	}
	for g := range p.like {
		mixed := make([][]float64, len(p.like[g]))
		for _, n := range p.readings {
			if mixed[n.rho] == nil {
				mixed[n.rho] = make([]float64, cells)
			}
			floats.AddScaled(mixed[n.rho], n.weight/n.sums[g], n.prior)
		}
		each := make([]float64, cells)
		for r, m := range mixed {
			for c := range m {
				each[c] += m[c] * p.like[g][r][c]
			}
		}
		p.each = append(p.each, each)
	}
}

// Of is the rate of one group: its mean, and the interval that holds it with this confidence in (0, 1), equal-tailed.
func (p *Pooled) Of(group int, confidence float64) Interval {
	mean, _ := moments(p.each[group])
	return Interval{mean, quantile(p.each[group], 0.5-confidence/2), quantile(p.each[group], 0.5+confidence/2)}
}

// Belief is that as a beta distribution of the same mean and variance: the group's own eggs are in it already.
func (p *Pooled) Belief(group int) Beta { return likeBeta(p.each[group]) }

// leastSize is the least that what is believed of a group not seen yet is worth, in eggs.
const leastSize = 0.5

// Unseen is what is believed of a group of the same kind that was not seen yet.
func (p *Pooled) Unseen() Beta {
	mixed := make([]float64, cells)
	for _, n := range p.readings {
		floats.AddScaled(mixed, n.weight, n.prior)
	}
	b := likeBeta(mixed)
	if size := b.A + b.B; size < leastSize {
		return Beta{b.A / size * leastSize, b.B / size * leastSize}
	}
	return b
}

// Bounded is Unseen as the start of a group's belief: worth 4 to 60 eggs, however alike or unlike the groups are
// [common practice].
func (p *Pooled) Bounded() Beta {
	b := p.Unseen()
	size := min(max(b.A+b.B, 4), 60)
	return Beta{b.Mean() * size, (1 - b.Mean()) * size}
}

// Points is how far the groups differ, in points of a hundred: the standard deviation of their true rates, and between
// which it lies 9 times in 10.
func (p *Pooled) Points() Interval {
	type points struct{ sd, weight float64 }
	var all []points
	mean := 0.0
	for _, n := range p.readings {
		sd := 100 * n.t * math.Sqrt(n.m*(1-n.m))
		all, mean = append(all, points{sd, n.weight}), mean+sd*n.weight
	}
	slices.SortFunc(all, func(a, b points) int { return cmp.Compare(a.sd, b.sd) })
	first := func(share float64) float64 {
		sum := 0.0
		for _, x := range all {
			if sum += x.weight; sum >= share {
				return x.sd
			}
		}
		return all[len(all)-1].sd
	}
	return Interval{mean, first(0.05), first(0.95)}
}

// BestOf gives for each group the chance that its true rate is the highest of all; those without eggs take no part. The
// luck that groups had in common in one batch is not used, which is cautious.
func BestOf(groups []Eggs) []float64 {
	p := pool(groups, bestScale)
	best := make([]float64, len(groups))
	top := 0.0
	for _, n := range p.readings {
		top = max(top, n.weight)
	}
	each, under := make([][]float64, len(groups)), make([][]float64, len(groups))
	for _, n := range p.readings {
		if n.weight < top/1000 {
			continue
		}
		for g := range groups {
			each[g], under[g] = make([]float64, cells), make([]float64, cells)
			sum := 0.0
			for c := range each[g] {
				each[g][c] = p.like[g][n.rho][c] * n.prior[c] / n.sums[g]
				sum += each[g][c]
				under[g][c] = sum - each[g][c]/2
			}
		}
		for g := range groups {
			if !p.seen[g] {
				continue
			}
			for c, x := range each[g] {
				for o := range groups {
					if o != g && p.seen[o] {
						x *= under[o][c]
					}
				}
				best[g] += n.weight * x
			}
		}
	}
	if sum := floats.Sum(best); sum > 0 {
		floats.Scale(1/sum, best)
	}
	return best
}

func moments(by []float64) (mean, variance float64) {
	sum := floats.Sum(by)
	for c, p := range by {
		mean += p * rateAt[c] / sum
	}
	for c, p := range by {
		variance += p * (rateAt[c] - mean) * (rateAt[c] - mean) / sum
	}
	return mean, variance
}

func likeBeta(by []float64) Beta {
	mean, variance := moments(by)
	size := max(mean*(1-mean)/variance-1, 1e-3)
	return Beta{mean * size, (1 - mean) * size}
}

// quantile is even in the angle within a cell.
func quantile(by []float64, share float64) float64 {
	share *= floats.Sum(by)
	for c, p := range by {
		if share <= p {
			return rateOf((float64(c) + share/p) * width)
		}
		share -= p
	}
	return 1
}
