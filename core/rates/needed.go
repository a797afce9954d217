package rates

import (
	"math"

	"gonum.org/v1/gonum/stat/distuv"
)

// Needed is how many young have to be expected of one batch so that at least want come with the
// certainty sure, in (0, 1): by the normal distribution with the variance of the batch (Spread),
// of what is believed of its eggs, and of how many eggs there will be, which may lie off by the
// share off (a standard deviation); never fewer than want. A test holds it to the whole
// distribution: at most a few per cent less sure, and of small numbers surer, since eggs are whole.
func Needed(b Beta, rho, off, want, sure float64) float64 {
	p, z := b.Mean(), distuv.UnitNormal.Quantile(sure)
	belief := p * (1 - p) / (b.A + b.B + 1)
	young := want
	for range 20 {
		n := max(1, young/p)
		sd := math.Sqrt(n*p*(1-p)*(1+(n-1)*rho) + n*n*belief + off*off*young*young)
		young = want + max(0, z*sd)
	}
	return young
}
