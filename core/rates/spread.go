package rates

import "math"

// What is believed of the spread of batches before any was counted: a correlation of
// 0.02 between the eggs of one batch (5 to 7 points between batches), worth eight
// batches [common practice].
const (
	startRho     = 0.02
	startBatches = 8
)

// Spread is how far batches of one and the same group differ beyond the chance between
// eggs: weather, the age of the eggs, the machine, handling. The young of a batch are
// beta-binomial about the group's rate, with the correlation Rho between its eggs.
type Spread struct {
	Rho  float64 // 0 to 1
	Mean float64 // of the rate, over all eggs
}

// SpreadOf estimates the spread that is common to the batches of all groups, from how
// far each batch lies from its own group's rate (analysis of variance; each group uses
// up one batch for its rate), with a weak start.
func SpreadOf(groups [][]Count) Spread {
	var seen, chance, perRho float64 // squared distance; what chance makes; what rho adds
	batches := 0.0
	var all Count
	for _, g := range groups {
		sum := total(g)
		all = all.plus(sum)
		if sum.N == 0 {
			continue
		}
		mean := sum.K / sum.N
		var s, c, r, shares float64
		for _, b := range g {
			if b.N == 0 {
				continue
			}
			batches++
			d := b.K - b.N*mean
			s += d * d / b.N
			c += 1 - b.N/sum.N
			r += (b.N - 1) * (1 - b.N/sum.N)
			shares += b.N * b.N
		}
		batches--
		// The group's own mean lies nearer to its eggs than the truth does.
		lost := (1 + (shares/sum.N-1)*startRho) / sum.N
		both := mean * (1 - mean) / max(0.5, 1-lost)
		seen, chance, perRho = seen+s, chance+both*c, perRho+both*r
	}
	spread := Spread{Rho: startRho, Mean: 0.5}
	if all.N > 0 {
		spread.Mean = all.K / all.N
	}
	if perRho > 0 {
		rho := (startBatches*startRho + batches*(seen-chance)/perRho) / (startBatches + batches)
		spread.Rho = min(max(rho, 0), 0.5)
	}
	return spread
}

// Points is the standard deviation between batches, in points of a hundred.
func (s Spread) Points() float64 { return 100 * math.Sqrt(s.Rho*s.Mean*(1-s.Mean)) }

// Worth gives the count of so many independent eggs as tell the same about a group's
// rate as these batches do.
func (s Spread) Worth(batches []Count) Count {
	sum := total(batches)
	if sum.N == 0 {
		return Count{}
	}
	weight := 0.0
	for _, b := range batches {
		weight += b.N * (1 + max(0, b.N-1)*s.Rho)
	}
	n := sum.N * sum.N / weight
	return Count{sum.K / sum.N * n, n}
}

func total(batches []Count) (sum Count) {
	for _, b := range batches {
		sum = sum.plus(b)
	}
	return sum
}
