package rates

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/stat/distuv"

	"metrogon/core/wording"
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

// Reading is what a fertility test tells.
type Reading struct {
	Tally
	Interval         // of the true share, 95 times in 100
	Above    float64 // chance that it is Sell or more
	Below    float64 // chance that it is less than Swap
	Advice   Advice
	Says     string
}

// ReadTest reads k fertile of n eggs of one batch, n positive, in which eggs fare alike with the correlation rho.
func ReadTest(t Tally, limit Thresholds, rho float64) Reading {
	worth := Spread{Rho: rho}.Worth([]Count{{float64(t.K), float64(t.N)}})
	return ReadShare(t, worth.Wilson(0.95), worth, limit)
}

// ReadShare reads fertile eggs, of which the interval is known, and for how many independent eggs they count. The
// chances start from every share being as likely, which is slower to believe in extremes than Jeffreys (five of five
// clear nobody).
func ReadShare(t Tally, in Interval, worth Count, limit Thresholds) Reading {
	r := Reading{Tally: t, Interval: in}
	belief := Beta{1, 1}.With(worth)
	d := distuv.Beta{Alpha: belief.A, Beta: belief.B}
	r.Above, r.Below = 1-d.CDF(limit.Sell), d.CDF(limit.Swap)
	told := fmt.Sprintf("%d of %d: %.0f–%.0f %%.", t.K, t.N, 100*r.Low, 100*r.High)
	good, poor := 100*limit.Sell, 100*limit.Swap
	notGood, notPoor := r.Above <= 1-SureEnough, r.Below <= 1-SureEnough
	not := "Not"
	if r.High >= limit.Sell {
		not = "Hardly"
	}
	switch {
	case t.N < LeastTest:
		r.Advice, r.Says = TestAgain, wording.TooFew(t.N, LeastTest, "egg")
	case r.Above >= SureEnough:
		r.Advice = SellEggs
		r.Says = fmt.Sprintf("%s Good enough to sell: at least %.0f %% fertile, sure %s.", told, good, inTen(r.Above))
	case r.Below >= SureEnough:
		r.Advice = SwapMale
		r.Says = fmt.Sprintf("%s Poor: below %.0f %%, sure %s. Look at the number of females, the hens' age and how long "+
			"the male is there; then swap him.", told, poor, inTen(r.Below))
	case !notPoor && notGood:
		r.Advice = TestAgain
		r.Says = fmt.Sprintf("%s %s %.0f %%: do not sell now. Whether the male is poor (below %.0f %%) is open; ten more "+
			"will tell.", told, not, good, poor)
	case !notPoor:
		r.Advice = TestAgain
		r.Says = fmt.Sprintf("%s That cannot tell %.0f %% from %.0f %%: set ten more.", told, good, poor)
	case notGood:
		r.Advice = SetEggs
		r.Says = fmt.Sprintf("%s %s %.0f %%: do not sell now. Set them, and set more for the clear ones.", told, not, good)
	default:
		r.Advice = SetEggs
		r.Says = fmt.Sprintf("%s Good enough to set. Before selling, ten more would have to be as good: at least %.0f %% is "+
			"sure only %s.", told, good, inTen(r.Above))
	}
	return r
}

// inTen says a chance that is to be acted upon, never as certain.
func inTen(p float64) string {
	return fmt.Sprintf("%.0f times in 10", math.Min(9, math.Max(1, math.Floor(10*p))))
}

// Plan is what a test of so many eggs would tell.
type Plan struct {
	Eggs  int
	Sells float64 // chance that a pen of a good share is cleared to sell
	Finds float64 // chance that a pen of a poor share is found out: its male is to go
	Errs  float64 // chance that the poor one is cleared to sell
}

// PlanTest tells of tests of so many eggs what they would do for a good pen, whose true share is good, and for a
// poor one. Counts are whole, so that some sizes do worse than smaller ones: those are left out.
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
		if last := len(plans) - 1; last < 0 || p.Sells >= plans[last].Sells && p.Finds >= plans[last].Finds {
			plans = append(plans, p)
		}
	}
	return plans
}

// batchesAbout is the distribution of the rates of batches about a rate.
func batchesAbout(rate, rho float64) Beta {
	size := (1 - max(rho, 1e-4)) / max(rho, 1e-4)
	return Beta{rate * size, (1 - rate) * size}
}
