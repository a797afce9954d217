package rates

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/stat/distuv"
)

// Thresholds of a farm: from which share of fertile eggs on it sells hatching eggs, and below
// which a male goes; 0 < Swap < Sell ≤ 1.
type Thresholds struct{ Sell, Swap float64 }

// Advice is what a fertility test says to do.
type Advice string

// The advice.
const (
	SellEggs  Advice = "sell" // sure enough to sell hatching eggs
	SetEggs   Advice = "set"  // good enough to set, not sure enough to sell
	SwapMale  Advice = "swap" // sure enough that it is poor
	TestAgain Advice = "more" // the eggs cannot tell good from poor
)

// SureEnough is how likely it must be that a pen lies above or below a threshold, before it is
// acted upon [common practice: four times in five].
const SureEnough = 0.8

// batchMargin is by how much one batch may lie off for reasons of its own, beyond the chance between
// eggs [common practice: 5 to 10 points].
const batchMargin = 0.05

// Reading is what a fertility test tells.
type Reading struct {
	Tally
	Interval         // of the true share, 95 times in 100 (Wilson)
	Above    float64 // chance that it is Sell or more
	Below    float64 // chance that it is less than Swap
	Advice   Advice
	Says     string
}

// ReadTest reads k fertile of n eggs, n positive. The chances start from every share being as likely,
// which is slower to believe in extremes than Jeffreys (five of five clear nobody), and take the eggs,
// which are one batch, for as many as fare independently with the correlation rho.
func ReadTest(t Tally, limit Thresholds, rho float64) Reading {
	worth := Spread{Rho: rho}.Worth([]Count{{float64(t.K), float64(t.N)}})
	return ReadShare(t, Wilson(t.K, t.N, 0.95), worth, limit)
}

// ReadShare reads fertile eggs of several batches, of which the interval is known, and for how many
// independent eggs they count.
func ReadShare(t Tally, in Interval, worth Count, limit Thresholds) Reading {
	r := Reading{Tally: t, Interval: in}
	belief := Beta{1, 1}.With(worth)
	d := distuv.Beta{Alpha: belief.A, Beta: belief.B}
	r.Above, r.Below = 1-d.CDF(limit.Sell), d.CDF(limit.Swap)
	told := fmt.Sprintf("%d of %d: %.0f–%.0f %%", t.K, t.N, 100*r.Low, 100*r.High)
	switch {
	case r.Above >= SureEnough:
		r.Advice = SellEggs
		r.Says = fmt.Sprintf("%s. Fertile enough to sell hatching eggs: %s that it is %.0f %% or more.", told,
			inHundred(r.Above), 100*limit.Sell)
	case r.Below >= SureEnough:
		r.Advice = SwapMale
		r.Says = fmt.Sprintf("%s. Poor: %s that it is below %.0f %%. Look at the number of females, the hens' age and "+
			"how long the male is there; then swap him.", told, inHundred(r.Below), 100*limit.Swap)
	case r.Low-batchMargin < limit.Swap && r.High+batchMargin > limit.Sell:
		r.Advice = TestAgain
		r.Says = fmt.Sprintf("%s. That cannot tell %.0f %% from %.0f %%: set ten more.", told, 100*limit.Sell, 100*limit.Swap)
	case r.Low-batchMargin < limit.Swap:
		r.Advice = TestAgain
		r.Says = fmt.Sprintf("%s. Do not sell hatching eggs; whether it is poor, below %.0f %%, ten more will tell.", told,
			100*limit.Swap)
	case r.High < limit.Sell:
		r.Advice = SetEggs
		r.Says = fmt.Sprintf("%s. Set them, and set more for the clear ones; do not sell hatching eggs.", told)
	default:
		r.Advice = SetEggs
		r.Says = fmt.Sprintf("%s. Good enough to set. To sell, ten more would have to be as good: only %s so far that it "+
			"is %.0f %% or more.", told, inHundred(r.Above), 100*limit.Sell)
	}
	return r
}

// inHundred says a chance that is to be acted upon, never as certain.
func inHundred(p float64) string {
	return fmt.Sprintf("%.0f in 100", math.Min(99, math.Max(1, math.Round(100*p))))
}

// Plan is what a test of so many eggs would tell.
type Plan struct {
	Eggs  int
	Sells float64 // chance that a pen of a good share is cleared to sell
	Finds float64 // chance that a pen of a poor share is found out: its male is to go
	Errs  float64 // chance that the poor one is cleared to sell
}

// PlanTest tells of tests of so many eggs what they would do for a good pen, whose true share is
// good, and for a poor one.
func PlanTest(eggs []int, limit Thresholds, good, poor, rho float64) (plans []Plan) {
	for _, n := range eggs {
		p := Plan{Eggs: n}
		atGood, atPoor := batchesAbout(good, rho), batchesAbout(poor, rho)
		for k := range n + 1 {
			switch ReadTest(Tally{k, n}, limit, rho).Advice {
			case SellEggs:
				p.Sells += atGood.pmf(k, n)
				p.Errs += atPoor.pmf(k, n)
			case SwapMale:
				p.Finds += atPoor.pmf(k, n)
			}
		}
		plans = append(plans, p)
	}
	return plans
}

// batchesAbout is the distribution of the rates of batches about a rate.
func batchesAbout(rate, rho float64) Beta {
	size := (1 - max(rho, 1e-4)) / max(rho, 1e-4)
	return Beta{rate * size, (1 - rate) * size}
}
