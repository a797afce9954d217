package regress

import (
	"math"

	"gonum.org/v1/gonum/stat/distuv"
)

// Value of a factor: a number, or one of its levels.
type Value struct {
	Number float64
	Level  string
}

// Change is by how much the share of young moves, 0 to 1, and within which bounds 19 times in 20.
type Change struct{ By, Low, High float64 }

// Known tells that the change can be told at all.
func (c Change) Known() bool { return !math.IsNaN(c.By) }

// Change gives the change in the share of young if these very eggs, else as they are, had the one
// value of a factor instead of another: the mean over all of them (the interval by the delta
// method). Unknown where the factor has no estimate.
func (f *Fit) Change(d Data, factor int, from, to Value) Change {
	none := Change{math.NaN(), math.NaN(), math.NaN()}
	if f.cov == nil || factor >= len(d.Factors) || !f.told(factor, from) || !f.told(factor, to) {
		return none
	}
	slope := make([]float64, len(f.use)) // of the change, by coefficient
	by, eggs := 0.0, 0.0
	for _, row := range f.rows {
		for _, side := range []struct {
			v    Value
			sign float64
		}{{from, -1}, {to, 1}} {
			eta := 0.0
			x := make([]float64, len(f.use))
			for a, j := range f.use {
				x[a] = f.columns[j][row]
				if c := f.Coefficients[j]; c.Factor == factor {
					x[a] = (c.at(side.v) - f.scale[j].shift) / f.scale[j].size
				}
				eta += x[a] * f.beta[a]
			}
			q := 1 / (1 + math.Exp(-eta))
			w := side.sign * d.N[row]
			by += w * q
			for a := range x {
				slope[a] += w * q * (1 - q) * x[a]
			}
		}
		eggs += d.N[row]
	}
	variance := 0.0
	for a := range slope {
		for b := range slope {
			variance += slope[a] * slope[b] * f.cov.At(a, b)
		}
	}
	half := f.Times() * math.Sqrt(variance) / eggs
	return Change{by / eggs, by/eggs - half, by/eggs + half}
}

// told tells whether there is an estimate of a factor's value.
func (f *Fit) told(factor int, v Value) bool {
	for _, c := range f.Coefficients {
		if c.Factor == factor && (c.Level == "" || c.Level == v.Level) && !c.Known() {
			return false
		}
	}
	return true
}

// at is what a coefficient's column holds for a value.
func (c Coefficient) at(v Value) float64 {
	if c.Level == "" {
		return v.Number
	}
	if c.Level == v.Level {
		return 1
	}
	return 0
}

// Times is by how many standard errors an honest interval of 19 in 20 reaches: more than two
// where few batches tell how far batches differ (Student's t).
func (f *Fit) Times() float64 {
	if f.Clusters > 1 {
		return distuv.StudentsT{Sigma: 1, Nu: float64(f.Clusters - 1)}.Quantile(0.975)
	}
	return distuv.UnitNormal.Quantile(0.975)
}
