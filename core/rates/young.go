package rates

import (
	"math"
	"sync"

	"gonum.org/v1/gonum/integrate/quad"
	"gonum.org/v1/gonum/stat/distuv"
)

// Lot is eggs of which the same is believed.
type Lot struct {
	Eggs   int
	Belief Beta
}

// Expect is the distribution of the young of several lots. What is believed of one lot is
// independent of the others. The eggs of one batch fare alike: with the correlation rho in
// [0, 1) the batch's own rate lies about each lot's. Together, all lots are one batch, and
// a good or bad one for all of them; else each lot is a batch of its own.
func Expect(lots []Lot, rho float64, together bool) Young {
	if rho <= 0 || !together {
		y := Young{[]float64{1}}
		for _, l := range lots {
			y = y.add(l.alone(rho))
		}
		return y
	}
	batches := batchesOf(rho)
	nodes := make([][]node, len(lots))
	for i, l := range lots {
		nodes[i] = l.Belief.nodes(beliefNodes)
	}
	var sum []float64
	for i, z := range batches.z {
		y := Young{[]float64{1}}
		for j, l := range lots {
			at := make([]float64, l.Eggs+1)
			for _, r := range nodes[j] {
				addBinomial(at, batches.rate(i, r.at), r.weight)
			}
			y = y.add(at)
		}
		if sum == nil {
			sum = make([]float64, len(y.At))
		}
		for x, p := range y.At {
			sum[x] += z.weight * p
		}
	}
	return Young{sum}
}

// alone is the distribution of the young of a lot that is a batch of its own.
func (l Lot) alone(rho float64) []float64 {
	at := make([]float64, l.Eggs+1)
	if rho <= 0 {
		for x := range at {
			at[x] = l.Belief.pmf(x, l.Eggs)
		}
		return at
	}
	size := (1 - rho) / rho
	for _, r := range l.Belief.nodes(beliefNodes) {
		batch := Beta{r.at * size, (1 - r.at) * size}
		for x := range at {
			at[x] += r.weight * batch.pmf(x, l.Eggs)
		}
	}
	return at
}

// Young is the distribution of the number of young from several lots of eggs:
// At[x] is the probability of exactly x.
type Young struct{ At []float64 }

// AtLeast is the probability of k young or more.
func (y Young) AtLeast(k int) float64 {
	sum := 0.0
	for x := max(k, 0); x < len(y.At); x++ {
		sum += y.At[x]
	}
	if k <= 0 {
		return 1
	}
	return min(sum, 1)
}

// Mean number of young.
func (y Young) Mean() float64 {
	m := 0.0
	for x, p := range y.At {
		m += float64(x) * p
	}
	return m
}

// Quantile is the fewest young x with P(X ≤ x) ≥ q.
func (y Young) Quantile(q float64) int {
	sum := 0.0
	for x, p := range y.At {
		if sum += p; sum >= q-1e-12 {
			return x
		}
	}
	return max(0, len(y.At)-1)
}

// add joins what is independent of the lots before (a convolution).
func (y Young) add(lot []float64) Young {
	sum := make([]float64, len(y.At)+len(lot)-1)
	for x, p := range lot {
		for i, q := range y.At {
			sum[i+x] += p * q
		}
	}
	return Young{sum}
}

// addBinomial adds to each at[x] the weighted chance of x out of len(at)-1 at this rate.
func addBinomial(at []float64, rate, weight float64) {
	n := len(at) - 1
	if rate <= 0 || rate >= 1 || n == 0 {
		at[int(math.Round(rate))*n] += weight
		return
	}
	top := int(float64(n+1) * rate)
	top = min(top, n)
	first := weight * distuv.Binomial{N: float64(n), P: rate}.Prob(float64(top))
	odds := rate / (1 - rate)
	for x, p := top, first; x <= n && p > 1e-15; x++ {
		at[x] += p
		p *= float64(n-x) / float64(x+1) * odds
	}
	for x, p := top, first; x > 0 && p > 1e-15; x-- {
		p *= float64(x) / (float64(n-x+1) * odds)
		at[x-1] += p
	}
}

// node is a point at which a distribution is read, with its share.
type node struct{ at, weight float64 }

const (
	beliefNodes = 24
	batchNodes  = 24
)

// nodes reads a belief at n points. With the rate as the square of a sine its density is
// smooth to the ends, and so a few points (Gauss-Legendre) do.
func (b Beta) nodes(n int) []node {
	d := distuv.Beta{Alpha: b.A, Beta: b.B}
	angle := func(p float64) float64 { return math.Asin(math.Sqrt(p)) }
	x, w := make([]float64, n), make([]float64, n)
	quad.Legendre{}.FixedLocations(x, w, angle(d.Quantile(1e-10)), angle(d.Quantile(1-1e-10)))
	all, sum := make([]node, 0, n), 0.0
	for i := range x {
		s, c := math.Sincos(x[i])
		weight := w[i] * math.Exp((2*b.A-1)*math.Log(s)+(2*b.B-1)*math.Log(c)+peak(b))
		if !math.IsNaN(weight) && weight > 0 {
			all = append(all, node{s * s, weight})
			sum += weight
		}
	}
	if sum == 0 { // as good as certain
		return []node{{b.Mean(), 1}}
	}
	for i := range all {
		all[i].weight /= sum
	}
	return all
}

// peak keeps the weights of nodes from running under: minus the density's logarithm at the
// mean.
func peak(b Beta) float64 {
	m := b.Mean()
	return -((b.A-.5)*math.Log(m) + (b.B-.5)*math.Log(1-m))
}

// batches are good and bad batches: how a batch's rate lies about that of its group, read
// at points of the standard normal distribution.
type batches struct {
	z     []node
	table [][]float64 // by z, over the group's rate in equal steps of its angle
}

const tableSteps = 128

// rate of a batch whose group has the rate p, at the point i.
func (b *batches) rate(i int, p float64) float64 {
	at := math.Asin(math.Sqrt(p)) / (math.Pi / 2) * tableSteps
	lo := min(int(at), tableSteps-1)
	part := at - float64(lo)
	return b.table[i][lo]*(1-part) + b.table[i][lo+1]*part
}

var known = struct {
	sync.Mutex
	by map[float64]*batches
}{by: map[float64]*batches{}}

// batchesOf keeps the tables of the correlations asked for last, to a ten-thousandth.
func batchesOf(rho float64) *batches {
	rho = max(math.Round(rho*1e4)/1e4, 1e-4)
	known.Lock()
	defer known.Unlock()
	if b, ok := known.by[rho]; ok {
		return b
	}
	if len(known.by) >= 64 {
		clear(known.by)
	}
	b := newBatches(rho)
	known.by[rho] = b
	return b
}

func newBatches(rho float64) *batches {
	x, w := make([]float64, batchNodes), make([]float64, batchNodes)
	quad.Legendre{}.FixedLocations(x, w, -5, 5)
	b, size, sum := &batches{}, (1-rho)/rho, 0.0
	for i := range x {
		share := w[i] * distuv.UnitNormal.Prob(x[i])
		sum += share
		b.z = append(b.z, node{x[i], share})
		row := make([]float64, tableSteps+1)
		row[tableSteps] = 1
		u := distuv.UnitNormal.CDF(x[i])
		for j := 1; j < tableSteps; j++ {
			s := math.Sin(math.Pi / 2 * float64(j) / tableSteps)
			row[j] = distuv.Beta{Alpha: s * s * size, Beta: (1 - s*s) * size}.Quantile(u)
		}
		b.table = append(b.table, row)
	}
	for i := range b.z {
		b.z[i].weight /= sum
	}
	return b
}
