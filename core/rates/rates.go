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
	z := distuv.UnitNormal.Quantile(0.5 + confidence/2)
	p, m := float64(k)/float64(n), float64(n)
	centre := p + z*z/(2*m)
	half := z * math.Sqrt(p*(1-p)/m+z*z/(4*m*m))
	scale := 1 + z*z/m
	in := Interval{p, (centre - half) / scale, (centre + half) / scale}
	if k == 0 {
		in.Low = 0
	}
	if k == n {
		in.High = 1
	}
	return in
}

// Beta is a belief about a rate: Beta(A, B), both positive.
type Beta struct{ A, B float64 }

// Jeffreys is what is believed before anything was seen.
var Jeffreys = Beta{0.5, 0.5}

// After gives the belief once k of n more were seen.
func (b Beta) After(k, n int) Beta { return Beta{b.A + float64(k), b.B + float64(n-k)} }

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

// EggsFor finds the fewest eggs from which at least wanted young come with the
// given certainty, the young being beta-binomial under the belief b. Exact up to
// MaxEggs; beyond them it is an error.
func EggsFor(wanted int, confidence float64, b Beta) (SetCount, error) {
	lo, hi := wanted-1, wanted // P at lo is below the confidence, at hi perhaps not
	for b.AtLeast(wanted, hi) < confidence {
		if hi == MaxEggs {
			return SetCount{}, fmt.Errorf(
				"more than %d eggs would be needed for %d young with %g certainty", MaxEggs, wanted, confidence,
			)
		}
		lo, hi = hi, min(2*hi, MaxEggs)
	}
	for hi-lo > 1 {
		if mid := (lo + hi) / 2; b.AtLeast(wanted, mid) < confidence {
			lo = mid
		} else {
			hi = mid
		}
	}
	return SetCount{hi, b.AtLeast(wanted, hi), b.AtLeast(wanted, hi-1), float64(hi) * b.Mean()}, nil
}

// AtLeast is P(X ≥ k) for X beta-binomial out of n.
func (b Beta) AtLeast(k, n int) float64 {
	if k > n {
		return 0
	}
	if k <= 0 {
		return 1
	}
	upper, lower := 0.0, 0.0
	if n-k < k { // sum the shorter tail
		for x := k; x <= n; x++ {
			upper += b.pmf(x, n)
		}
		return min(upper, 1)
	}
	for x := range k {
		lower += b.pmf(x, n)
	}
	return max(0, 1-lower)
}

func (b Beta) pmf(x, n int) float64 {
	k, m := float64(x), float64(n)
	return math.Exp(mathext.Lbeta(k+b.A, m-k+b.B) - mathext.Lbeta(b.A, b.B) -
		math.Log(m+1) - mathext.Lbeta(m-k+1, k+1))
}

// Young is the distribution of the number of young from several lots of eggs:
// At[x] is the probability of exactly x.
type Young struct{ At []float64 }

// Add joins a lot of n eggs whose rate is believed to be b, independent of the
// lots before. Exact (a convolution).
func (y Young) Add(n int, b Beta) Young {
	if len(y.At) == 0 {
		y.At = []float64{1}
	}
	sum := make([]float64, len(y.At)+n)
	for x := range n + 1 {
		p := b.pmf(x, n)
		for i, q := range y.At {
			sum[i+x] += p * q
		}
	}
	return Young{sum}
}

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
