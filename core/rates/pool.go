package rates

import (
	"math"

	"gonum.org/v1/gonum/mathext"
	"gonum.org/v1/gonum/optimize"
	"gonum.org/v1/gonum/stat/distuv"
)

// Count is k of n eggs; a part of an egg counts where eggs are worth less than one.
type Count struct{ K, N float64 }

func (c Count) plus(d Count) Count { return Count{c.K + d.K, c.N + d.N} }

// Prior is how the true rates of groups of one kind are spread, and so what is believed
// of a group before its own eggs are counted.
type Prior struct {
	Beta
	// Degenerate tells that the groups differ by no more than chance: then they are
	// pooled completely, and Beta is what all their eggs together say.
	Degenerate bool
}

// leastSize is the least that a fitted prior is worth, in eggs. Two groups of which one
// hatched all its few eggs and the other none would else be read as all or nothing.
const leastSize = 1

// Bounded gives the prior as a start for a group's belief: worth 4 to 60 eggs, however
// alike or unlike the groups are [common practice].
func (p Prior) Bounded() Beta {
	size := p.A + p.B
	if p.Degenerate {
		size = 60
	}
	size = min(max(size, 4), 60)
	return Beta{p.Mean() * size, (1 - p.Mean()) * size}
}

// Pool fits the prior to groups by maximum likelihood of the beta-binomial (empirical
// Bayes). Groups without eggs say nothing; with fewer than two others, or where the
// likelihood rises towards the plain binomial, the prior is degenerate.
func Pool(groups []Count) Prior {
	var known []Count
	all := Count{}
	for _, g := range groups {
		if g.N > 0 {
			known = append(known, g)
			all = all.plus(g)
		}
	}
	together := Prior{Jeffreys.With(all), true}
	if len(known) < 2 || all.K == 0 || all.K == all.N {
		return together
	}
	mean := all.K / all.N
	problem := optimize.Problem{
		Func: func(x []float64) float64 { return -likelihood(known, shape(x)) },
		Grad: func(grad, x []float64) { slope(grad, known, x) },
	}
	start := []float64{math.Log(mean / (1 - mean)), math.Log(10)}
	best, err := optimize.Minimize(problem, start, &optimize.Settings{GradientThreshold: 1e-9}, &optimize.BFGS{})
	if best == nil {
		return together
	}
	fit := shape(best.X)
	if size := fit.A + fit.B; size < leastSize {
		fit = Beta{fit.A / size * leastSize, fit.B / size * leastSize}
	}
	binomial := all.K*math.Log(mean) + (all.N-all.K)*math.Log(1-mean)
	// A line search that can do no better by its last digits is no failure.
	if bad := err != nil && best.Stats.MajorIterations < 2; bad || fit.A+fit.B > 1e5 ||
		-best.F <= binomial+1e-7 || math.IsNaN(best.F) {
		return together
	}
	return Prior{fit, false}
}

// shape reads the beta from the logit of its mean and the log of its size A + B.
func shape(x []float64) Beta {
	mean, size := 1/(1+math.Exp(-x[0])), math.Exp(x[1])
	return Beta{mean * size, (1 - mean) * size}
}

// likelihood is the log-likelihood of the beta-binomial, without the binomial coefficients.
func likelihood(groups []Count, b Beta) (sum float64) {
	for _, g := range groups {
		sum += mathext.Lbeta(g.K+b.A, g.N-g.K+b.B) - mathext.Lbeta(b.A, b.B)
	}
	return sum
}

// slope is the gradient of the negative log-likelihood at x as shape reads it.
func slope(grad []float64, groups []Count, x []float64) {
	b := shape(x)
	size := b.A + b.B
	var da, db float64
	for _, g := range groups {
		both := mathext.Digamma(size) - mathext.Digamma(g.N+size)
		da += mathext.Digamma(g.K+b.A) - mathext.Digamma(b.A) + both
		db += mathext.Digamma(g.N-g.K+b.B) - mathext.Digamma(b.B) + both
	}
	grad[0] = -(b.A * b.B / size) * (da - db)
	grad[1] = -(b.A*da + b.B*db)
}

// Of is the pooled rate of one group: the mean of what is believed of it once its own eggs
// are counted, and the interval that holds it with this confidence in (0, 1), equal-tailed.
func (p Prior) Of(g Count, confidence float64) Interval {
	b := p.Beta
	if !p.Degenerate {
		b = b.With(g)
	}
	d := distuv.Beta{Alpha: b.A, Beta: b.B}
	return Interval{b.Mean(), d.Quantile(0.5 - confidence/2), d.Quantile(0.5 + confidence/2)}
}
