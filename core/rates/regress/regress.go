// Package regress tells what moves hatch when several things change at once: logistic
// regression over single eggs, or over eggs that are alike, by unpenalised maximum likelihood.
package regress

import (
	"errors"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/stat/distuv"
)

// Factor is something that may move hatch, with its value of each row of eggs. Either Numbers
// or Levels is given. The level that comes first in the alphabet is the one with which the
// others are compared.
type Factor struct {
	Name    string
	Numbers []float64
	Levels  []string
}

// Data is rows of eggs that are alike in all factors.
type Data struct {
	K, N    []float64 // young of eggs, by row; 1 of 1 or 0 of 1 where every egg has a row
	Factors []Factor
	Cluster []int64 // the batch of each row, where eggs of one batch fare alike; nil: they do not
}

// Coefficient is how one factor, or one level of it, moves the log odds of a young.
type Coefficient struct {
	Name   string // "(intercept)", the factor's, or "factor=level"
	Factor int    // -1: the intercept
	Level  string
	// Estimate of the log odds and its standard error; both NaN where the factor separates, or
	// where it says the same as those before it.
	Estimate, StdError float64
	Eggs               float64 // that have this level; all of them, of numbers
}

// Known tells whether there is an estimate.
func (c Coefficient) Known() bool { return !math.IsNaN(c.Estimate) }

// P is Wald's two-sided p.
func (c Coefficient) P() float64 {
	return 2 * distuv.UnitNormal.Survival(math.Abs(c.Estimate/c.StdError))
}

// Within is the span of the log odds that holds the truth 95 times in 100 (Wald).
func (c Coefficient) Within() (low, high float64) {
	z := distuv.UnitNormal.Quantile(0.975)
	return c.Estimate - z*c.StdError, c.Estimate + z*c.StdError
}

// Fit is a fitted regression.
type Fit struct {
	Coefficients  []Coefficient
	LogLikelihood float64
	Eggs          int
	Clusters      int      // 0: eggs are taken for independent
	Separated     []string // factors of which a part hatched all its eggs, or none
	Aliased       []string // coefficients that say the same as those before them

	columns [][]float64 // numbers less their mean, in standard deviations, so that years fit as well as days
	scale   []unit
	beta    []float64     // of the columns in use
	cov     *mat.SymDense // of these
	rows    []int         // that they are estimated from
	use     []int         // of them, those that are estimated
}

// unit is how a column was put: less shift, divided by size.
type unit struct{ shift, size float64 }

// unitOf numbers, each of so many eggs.
func unitOf(x, n []float64) unit {
	eggs, sum, squares := 0.0, 0.0, 0.0
	for i := range x {
		eggs, sum = eggs+n[i], sum+n[i]*x[i]
	}
	mean := sum / eggs
	for i := range x {
		squares += n[i] * (x[i] - mean) * (x[i] - mean)
	}
	if sd := math.Sqrt(squares / eggs); sd > 1e-12*(1+math.Abs(mean)) {
		return unit{mean, sd}
	}
	return unit{0, 1} // all the same: it says nothing, and is found out
}

// ErrTooLittle tells that there is nothing to fit: no eggs, or all hatched, or none.
var ErrTooLittle = errors.New("there must be eggs that hatched and eggs that did not")

// bounds of the iteration: as close as doubles go, and where a fit runs away
const (
	mostSteps = 30
	closeness = 1e-11
	certain   = 1e-5 // a chance so near to 0 or 1 that the fit decides the egg
)

// Logistic fits the chance of a young to the factors. With clusters the standard errors are
// cluster-robust (CR1: the sandwich times G/(G−1)). A factor that separates those that hatched
// from those that did not has no estimate: it is named, and the others are estimated without the
// eggs that it decides.
func Logistic(d Data) (*Fit, error) {
	f := &Fit{}
	k, n := 0.0, 0.0
	for i := range d.N {
		k, n = k+d.K[i], n+d.N[i]
	}
	if k <= 0 || k >= n {
		return nil, ErrTooLittle
	}
	f.Eggs = int(n + .5)
	f.design(d)
	rows := make([]int, len(d.N))
	for i := range rows {
		rows[i] = i
	}
	for {
		f.use = f.independent(rows, f.use)
		run := f.maximise(d, rows)
		f.LogLikelihood = run.likelihood(d)
		away, left := run.ranAway(d)
		if len(away) == 0 {
			f.settle(d, run)
			return f, nil
		}
		f.separate(away)
		rows = left
		f.use = slices.DeleteFunc(f.use, func(j int) bool { return slices.Contains(away, j) })
		if len(f.use) == 0 || len(rows) == 0 {
			return f, nil
		}
	}
}

// design lays out a column for each coefficient.
func (f *Fit) design(d Data) {
	add := func(c Coefficient, column []float64, u unit) {
		c.Estimate, c.StdError = math.NaN(), math.NaN()
		for i, x := range column {
			if x != 0 || c.Level == "" {
				c.Eggs += d.N[i]
			}
		}
		f.use, f.scale = append(f.use, len(f.columns)), append(f.scale, u)
		f.Coefficients, f.columns = append(f.Coefficients, c), append(f.columns, column)
	}
	ones := make([]float64, len(d.N))
	for i := range ones {
		ones[i] = 1
	}
	plain := unit{0, 1}
	add(Coefficient{Name: "(intercept)", Factor: -1}, ones, plain)
	for i, x := range d.Factors {
		if x.Levels == nil {
			u := unitOf(x.Numbers, d.N)
			column := make([]float64, len(d.N))
			for r, v := range x.Numbers {
				column[r] = (v - u.shift) / u.size
			}
			add(Coefficient{Name: x.Name, Factor: i}, column, u)
			continue
		}
		for _, level := range x.All()[1:] {
			column := make([]float64, len(d.N))
			for r, l := range x.Levels {
				if l == level {
					column[r] = 1
				}
			}
			add(Coefficient{Name: x.Name + "=" + level, Factor: i, Level: level}, column, plain)
		}
	}
}

// All are the levels of a factor in alphabetical order; the first is the one compared with.
func (x Factor) All() []string {
	all := slices.Clone(x.Levels)
	slices.Sort(all)
	return slices.Compact(all)
}

// independent gives the columns in use that say something over these rows which those before
// them do not (Gram and Schmidt, twice for the sake of rounding).
func (f *Fit) independent(rows, use []int) (keep []int) {
	var basis [][]float64
	for _, j := range use {
		v := make([]float64, len(rows))
		for i, r := range rows {
			v[i] = f.columns[j][r]
		}
		before := norm(v)
		for range 2 {
			for _, b := range basis {
				s := 0.0
				for i := range v {
					s += v[i] * b[i]
				}
				for i := range v {
					v[i] -= s * b[i]
				}
			}
		}
		after := norm(v)
		if before == 0 || after < 1e-8*before {
			f.Aliased = append(f.Aliased, f.Coefficients[j].Name)
			continue
		}
		for i := range v {
			v[i] /= after
		}
		basis, keep = append(basis, v), append(keep, j)
	}
	return keep
}

func norm(v []float64) float64 {
	s := 0.0
	for _, x := range v {
		s += x * x
	}
	return math.Sqrt(s)
}

// run is one maximisation over some rows.
type run struct {
	f      *Fit
	rows   []int
	beta   []float64 // by f.use
	step   []float64 // the last one
	chance []float64 // by row
	info   *mat.SymDense
	steady bool // it came to rest
}

// maximise climbs the likelihood (Newton's steps, which for logistic regression are iteratively
// reweighted least squares), until it stands or runs away.
func (f *Fit) maximise(d Data, rows []int) *run {
	r := &run{f: f, rows: rows, beta: make([]float64, len(f.use)), chance: make([]float64, len(rows))}
	for range mostSteps {
		score := r.weigh(d)
		var chol mat.Cholesky
		if !chol.Factorize(r.info) {
			return r
		}
		step := mat.NewVecDense(len(r.beta), nil)
		if chol.SolveVecTo(step, score) != nil { // as good as singular
			return r
		}
		r.step = step.RawVector().Data
		most := 0.0
		for i, s := range r.step {
			r.beta[i] += s
			most = max(most, math.Abs(s)/(1+math.Abs(r.beta[i])))
		}
		if most < closeness {
			r.weigh(d)
			r.steady = true
			return r
		}
	}
	return r
}

// weigh reckons the chances at the coefficients so far, the information, and the score.
func (r *run) weigh(d Data) *mat.VecDense {
	p := len(r.beta)
	info, score := make([]float64, p*p), make([]float64, p)
	x := make([]float64, p)
	for i, row := range r.rows {
		eta := 0.0
		for a, j := range r.f.use {
			x[a] = r.f.columns[j][row]
			eta += x[a] * r.beta[a]
		}
		q := 1 / (1 + math.Exp(-eta))
		r.chance[i] = q
		w, e := d.N[row]*q*(1-q), d.K[row]-d.N[row]*q
		for a, xa := range x {
			if xa == 0 {
				continue
			}
			score[a] += xa * e
			for b := a; b < p; b++ {
				info[a*p+b] += w * xa * x[b]
			}
		}
	}
	r.info = mat.NewSymDense(p, info)
	return mat.NewVecDense(p, score)
}

// ranAway gives the columns whose coefficients grow without end, if there are any, and the rows
// that are left once those are gone that they decide.
func (r *run) ranAway(d Data) (away, left []int) {
	if r.steady {
		return nil, r.rows
	}
	most := 0.0
	for a := range r.step {
		most = max(most, math.Abs(r.step[a])*r.reach(a))
	}
	for a, j := range r.f.use {
		if r.step != nil && math.Abs(r.step[a])*r.reach(a) > 0.05*most && math.Abs(r.beta[a])*r.reach(a) > 3 {
			away = append(away, j)
		}
	}
	for i, row := range r.rows {
		none, all := d.K[row] == 0 && r.chance[i] < certain, d.K[row] == d.N[row] && r.chance[i] > 1-certain
		if !none && !all {
			left = append(left, row)
		}
	}
	return away, left
}

// reach is how far column a goes over the rows.
func (r *run) reach(a int) float64 {
	lo, hi := math.Inf(1), math.Inf(-1)
	for _, row := range r.rows {
		x := r.f.columns[r.f.use[a]][row]
		lo, hi = min(lo, x), max(hi, x)
	}
	if hi == lo {
		return math.Abs(hi)
	}
	return hi - lo
}

// separate names the factors of columns that have no estimate.
func (f *Fit) separate(away []int) {
	for _, j := range away {
		if i := f.Coefficients[j].Factor; i >= 0 {
			name := f.Coefficients[j].Name
			if level := f.Coefficients[j].Level; level != "" {
				name = name[:len(name)-len(level)-1]
			}
			if !slices.Contains(f.Separated, name) {
				f.Separated = append(f.Separated, name)
			}
		}
	}
}

// likelihood is the log-likelihood of single eggs at a run's coefficients.
func (r *run) likelihood(d Data) (sum float64) {
	for i, row := range r.rows {
		q := r.chance[i]
		if d.K[row] > 0 {
			sum += d.K[row] * math.Log(q)
		}
		if left := d.N[row] - d.K[row]; left > 0 {
			sum += left * math.Log1p(-q)
		}
	}
	return sum
}

// settle takes over the estimates with their covariance.
func (f *Fit) settle(d Data, r *run) {
	var chol mat.Cholesky
	if !chol.Factorize(r.info) {
		return
	}
	p := len(f.use)
	f.cov, f.rows = mat.NewSymDense(p, nil), r.rows
	if chol.InverseTo(f.cov) != nil {
		return
	}
	if d.Cluster != nil {
		f.cluster(d, r)
	}
	f.beta = r.beta
	for a, j := range f.use {
		t := make([]float64, p) // what it is made of
		t[a] = 1 / f.scale[j].size
		if j == 0 { // the intercept, where all numbers are 0
			for b, k := range f.use {
				if b != a {
					t[b] = -f.scale[k].shift / f.scale[k].size
				}
			}
		}
		c := &f.Coefficients[j]
		c.Estimate, c.StdError = 0, 0
		for b, tb := range t {
			c.Estimate += tb * f.beta[b]
		}
		v := mat.NewVecDense(p, t)
		c.StdError = math.Sqrt(mat.Inner(v, f.cov, v))
	}
}

// cluster makes the covariance one that allows for eggs of one batch faring alike.
func (f *Fit) cluster(d Data, r *run) {
	p := len(f.use)
	scores := map[int64][]float64{}
	var order []int64
	for i, row := range r.rows {
		of, ok := scores[d.Cluster[row]]
		if !ok {
			of = make([]float64, p)
			scores[d.Cluster[row]] = of
			order = append(order, d.Cluster[row])
		}
		e := d.K[row] - d.N[row]*r.chance[i]
		for a, j := range f.use {
			of[a] += f.columns[j][row] * e
		}
	}
	f.Clusters = len(order)
	if f.Clusters < 2 {
		return
	}
	meat := mat.NewSymDense(p, nil)
	for _, c := range order {
		meat.SymRankOne(meat, float64(f.Clusters)/float64(f.Clusters-1), mat.NewVecDense(p, scores[c]))
	}
	var half, whole mat.Dense
	half.Mul(f.cov, meat)
	whole.Mul(&half, f.cov)
	for a := range p {
		for b := a; b < p; b++ {
			f.cov.SetSym(a, b, (whole.At(a, b)+whole.At(b, a))/2)
		}
	}
}
