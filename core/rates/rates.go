// Package rates gives fertility and hatch with honest uncertainty, and the
// number of eggs that a promise needs. Probabilities and rates run from 0 to 1.
package rates

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/mathext"
	"gonum.org/v1/gonum/stat/distuv"
)

// Interval is a rate with the bounds of its confidence or credible interval.
type Interval struct{ Rate, Low, High float64 }

// Wilson is the score interval for k of n without continuity correction:
// Wilson 1927, Probable inference, the law of succession, and statistical
// inference. n must be positive and 0 ≤ k ≤ n; confidence lies in (0, 1).
func Wilson(k, n int, confidence float64) Interval {
	return Count{float64(k), float64(n)}.Wilson(confidence)
}

// Wilson is the score interval of a count, which may be one of parts of eggs.
func (c Count) Wilson(confidence float64) Interval {
	z := distuv.UnitNormal.Quantile(0.5 + confidence/2)
	p := c.K / c.N
	centre := p + z*z/(2*c.N)
	half := z * math.Sqrt(p*(1-p)/c.N+z*z/(4*c.N*c.N))
	scale := 1 + z*z/c.N
	in := Interval{p, (centre - half) / scale, (centre + half) / scale}
	if c.K == 0 {
		in.Low = 0
	}
	if c.K >= c.N {
		in.High = 1
	}
	return in
}

// Beta is a belief about a rate: Beta(A, B), both positive.
type Beta struct{ A, B float64 }

// Jeffreys is what is believed before anything was seen.
var Jeffreys = Beta{0.5, 0.5}

// After gives the belief once k of n more were seen.
func (b Beta) After(k, n int) Beta { return b.With(Count{float64(k), float64(n)}) }

// With gives the belief once a count of more was seen.
func (b Beta) With(c Count) Beta { return Beta{b.A + c.K, b.B + c.N - c.K} }

// Mean of the rate.
func (b Beta) Mean() float64 { return b.A / (b.A + b.B) }

// Scaled keeps how much is known, and multiplies the mean by f in [0, 1].
func (b Beta) Scaled(f float64) Beta {
	f = min(max(f, 1e-9), 1)
	return Beta{b.A * f, b.B + b.A*(1-f)}
}

// MaxEggs bounds every exact count.
const MaxEggs = 100_000

// SetCount is how many eggs to set for wanted young.
type SetCount struct {
	Eggs            int
	Prob, ProbFewer float64 // P(young ≥ wanted) with Eggs, and with one fewer
	Expected        float64 // mean number of young from Eggs
}

// EggsFor finds the fewest eggs from which at least wanted young come with the given
// certainty, the eggs being one batch whose own rate lies about the believed one with the
// correlation rho in [0, 1). Exact up to MaxEggs for rho 0, to 1e-6 of the certainty
// else; beyond MaxEggs it is an error.
func EggsFor(wanted int, confidence float64, b Beta, rho float64) (SetCount, error) {
	prob := func(n int) float64 { return b.AtLeast(wanted, n) }
	if rho > 0 {
		rates := b.nodes(96)
		prob = func(n int) float64 { return atLeastInBatch(rates, wanted, n, rho) }
	}
	lo, hi := wanted-1, wanted // P at lo is below the confidence, at hi perhaps not
	for prob(hi) < confidence {
		if hi == MaxEggs {
			return SetCount{}, fmt.Errorf(
				"more than %d eggs would be needed for %d young with %g certainty", MaxEggs, wanted, confidence,
			)
		}
		lo, hi = hi, min(2*hi, MaxEggs)
	}
	for hi-lo > 1 {
		if mid := (lo + hi) / 2; prob(mid) < confidence {
			lo = mid
		} else {
			hi = mid
		}
	}
	return SetCount{hi, prob(hi), prob(hi - 1), float64(hi) * b.Mean()}, nil
}

// atLeastInBatch is the chance of wanted young or more from n eggs of one batch.
func atLeastInBatch(rates []node, wanted, n int, rho float64) (sum float64) {
	size := (1 - rho) / rho
	for _, r := range rates {
		sum += r.weight * Beta{r.at * size, (1 - r.at) * size}.AtLeast(wanted, n)
	}
	return sum
}

// AtLeast is P(X ≥ k) for X beta-binomial out of n.
func (b Beta) AtLeast(k, n int) float64 {
	if k > n {
		return 0
	}
	if k <= 0 {
		return 1
	}
	if n-k < k { // sum the shorter tail
		return min(b.sum(k, n, n), 1)
	}
	return max(0, 1-b.sum(0, k-1, n))
}

// sum is P(from ≤ X ≤ to): each term from the one before it, beginning at the largest.
func (b Beta) sum(from, to, n int) float64 {
	top := min(max(int(float64(n)*b.Mean()), from), to)
	first := b.pmf(top, n)
	all, p := first, first
	for x := top; x < to; x++ {
		p *= float64(n-x) / float64(x+1) * (float64(x) + b.A) / (float64(n-x-1) + b.B)
		all += p
	}
	p = first
	for x := top; x > from; x-- {
		p *= float64(x) / float64(n-x+1) * (float64(n-x) + b.B) / (float64(x-1) + b.A)
		all += p
	}
	return all
}

func (b Beta) pmf(x, n int) float64 {
	k, m := float64(x), float64(n)
	return math.Exp(mathext.Lbeta(k+b.A, m-k+b.B) - mathext.Lbeta(b.A, b.B) -
		math.Log(m+1) - mathext.Lbeta(m-k+1, k+1))
}
