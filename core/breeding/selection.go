package breeding

import "math"

// Dam is one whose eggs may be set, to keep the lines of a pen even.
type Dam struct {
	Young float64 // that she has, or will have of eggs already set
	Eggs  int     // of hers that can be set
	Rate  float64 // young of an egg set, 0 to 1
}

// Even says how many eggs of each dam to set, eggs in all, so that the dams have as nearly the same
// number of young as their eggs allow: the next egg is always hers who has the fewest. An even share
// of every dam halves the rate at which a small flock becomes inbred [common practice].
func Even(dams []Dam, eggs int) (set []int) {
	set = make([]int, len(dams))
	for range eggs {
		next, least := -1, math.Inf(1)
		for i, d := range dams {
			if set[i] == d.Eggs || d.Rate <= 0 {
				continue
			}
			if young := d.Young + d.Rate*float64(set[i]); young < least {
				next, least = i, young
			}
		}
		if next < 0 {
			break
		}
		set[next]++
	}
	return set
}

// Generation is the birds of one generation, measured.
type Generation struct {
	Birds    int
	Mean, SD float64 // of all of them
	Parents  int     // of them, measured ones that had young
	Selected float64 // the mean of these
}

// GenerationOf measured birds: parents is true for those that had young.
func GenerationOf(measured []float64, parents []bool) (g Generation) {
	var squares float64
	for i, x := range measured {
		g.Birds++
		g.Mean += x
		squares += x * x
		if parents[i] {
			g.Parents++
			g.Selected += x
		}
	}
	if g.Birds > 0 {
		g.Mean /= float64(g.Birds)
	}
	if g.Birds > 1 {
		n := float64(g.Birds)
		g.SD = math.Sqrt(max(0, (squares-n*g.Mean*g.Mean)/(n-1)))
	}
	if g.Parents > 0 {
		g.Selected /= float64(g.Parents)
	}
	return g
}

// The least birds that were measured, in all and in each generation, and the standard error at most, before it is
// said how much of what was selected came through [judgement].
const (
	LeastMeasured      = 20
	leastOfAGeneration = 5
	mostError          = 0.25
)

// Realised is how much of what was selected came through: the response over the generations for
// each unit of the differential between parents and their generation, both added up (realised
// heritability; Falconer & Mackay, Introduction to Quantitative Genetics, from memory), with its
// standard error from the generations' own scatter. ok is false with fewer than three generations, without
// selection, with too few birds, or where it may as well be anything.
func Realised(g []Generation) (h, stdError float64, ok bool) {
	if len(g) < 3 {
		return 0, 0, false
	}
	var x, y []float64
	sum, birds := 0.0, 0
	for i := range g {
		if birds += g[i].Birds; g[i].Birds < leastOfAGeneration {
			return 0, 0, false
		}
		if i > 0 {
			if g[i-1].Parents == 0 {
				return 0, 0, false
			}
			sum += g[i-1].Selected - g[i-1].Mean
		}
		x, y = append(x, sum), append(y, g[i].Mean-g[0].Mean)
	}
	var xx, xy float64
	for i := range x {
		xx += x[i] * x[i]
		xy += x[i] * y[i]
	}
	if xx < 1e-12 {
		return 0, 0, false
	}
	h = xy / xx
	left := 0.0
	for i := range x {
		left += (y[i] - h*x[i]) * (y[i] - h*x[i])
	}
	stdError = math.Sqrt(left / float64(len(g)-2) / xx)
	return h, stdError, birds >= LeastMeasured && stdError <= mostError
}
