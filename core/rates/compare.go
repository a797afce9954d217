package rates

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/stat/distuv"
)

// Group is eggs that are compared with others.
type Group struct {
	Name string
	// Lots are the eggs batch by batch; all in one, of batch 0, where batches are not known.
	Lots []BatchTally
}

// BatchTally is what a group's eggs did in one batch.
type BatchTally struct {
	Batch int64 // groups that were set together have it in common; 0: not known
	Tally
}

// Total of a group's eggs.
func (g Group) Total() (all Tally) {
	for _, b := range g.Lots {
		all.K, all.N = all.K+b.K, all.N+b.N
	}
	return all
}

// eggs are those of the group, batch by batch where that is known.
func (g Group) eggs() (e Eggs) {
	e.Apart = batchesKnown([]Group{g})
	for _, l := range g.Lots {
		e.Batches = append(e.Batches, Count{float64(l.K), float64(l.N)})
	}
	return e
}

// Verdict is what may be concluded from a comparison.
type Verdict string

// The verdicts.
const (
	Real     Verdict = "real"   // chance alone hardly does this
	Likely   Verdict = "likely" // more speaks for it than against it
	ByChance Verdict = "chance"
)

// Comparison is how groups differ, and how sure that is.
type Comparison struct {
	Exact     float64 // p of Fisher's exact test, which takes every egg for independent
	Estimated bool    // Exact was estimated from ways drawn at random
	// ByBatch is p of the test that respects batches; NaN where batches are not known.
	ByBatch float64
	Shared  int       // batches that held eggs of more than one group
	Best    []float64 // chance that each group's true rate is the highest
	Verdict Verdict
	// Detectable is the difference of two such groups, in points of a hundred, that their eggs
	// would show 4 times in 5; NaN with other than two groups.
	Detectable float64
	// More is how many more eggs of each of two groups would settle it if the difference is as
	// large as it looks: 0 where it is settled, -1 where it would take more than MaxMore.
	More int
}

// P is the p that counts: the one that respects batches, where they are known.
func (c Comparison) P() float64 {
	if math.IsNaN(c.ByBatch) {
		return c.Exact
	}
	return c.ByBatch
}

// ByBatchKnown tells that batches are known, so that there is a p that respects them.
func (c Comparison) ByBatchKnown() bool { return !math.IsNaN(c.ByBatch) }

// MaxMore bounds how many more eggs are worth a promise that they would settle something.
const MaxMore = 5000

// At which p a difference is taken for real and for likely [common practice].
const (
	realP   = 0.01
	likelyP = 0.1
)

// Compare two groups or more. Groups without eggs take no part: their chance to be best is 0.
// The spread of batches is the farm's; where that is not known (zero), it is estimated from these
// groups.
func Compare(groups []Group, farm Spread) Comparison {
	totals := make([]Tally, len(groups))
	eggs := make([]Eggs, len(groups))
	known := 0
	for i, g := range groups {
		totals[i] = g.Total()
		eggs[i] = g.eggs()
		if totals[i].N > 0 {
			known++
		}
	}
	c := Comparison{ByBatch: math.NaN(), Detectable: math.NaN()}
	c.Exact, c.Estimated = Exact(totals)
	each := 1.0
	if known > 1 && batchesKnown(groups) {
		s := newSetting(groups, farm)
		c.ByBatch, c.Shared = s.p(), s.both
		each = s.each()
	}
	c.Best = BestOf(eggs)
	if known == 2 {
		c.Detectable, c.More = power(totals, each, c.P())
	}
	switch p := c.P(); {
	case p < realP:
		c.Verdict = Real
	case p < likelyP:
		c.Verdict = Likely
	default:
		c.Verdict = ByChance
	}
	return c
}

// ByBatches is p of the test that respects batches alone; NaN where fewer than two groups have eggs, or batches
// are not known.
func ByBatches(groups []Group, farm Spread) float64 {
	known := 0
	for _, g := range groups {
		if g.Total().N > 0 {
			known++
		}
	}
	if known < 2 || !batchesKnown(groups) {
		return math.NaN()
	}
	return newSetting(groups, farm).p()
}

func batchesKnown(groups []Group) bool {
	for _, g := range groups {
		for _, l := range g.Lots {
			if l.Batch == 0 && l.N > 0 {
				return false
			}
		}
	}
	return true
}

// setting is how the eggs of groups lay in batches, with what batches have in common: every
// egg's fate is correlated by own with those of its group in its batch, and by common with all of
// its batch.
type setting struct {
	index       []int          // of the groups with eggs, among all
	lots        [][]BatchTally // of each of these, a batch once
	totals      []Tally
	mean        float64
	own, common float64
	lotsOver    int // lots beyond one a group: what tells of the correlations
	both        int // batches with eggs of more than one group
	weight      *mat.SymDense
	rate        []float64     // of each group with eggs, allowing for its batches
	variance    *mat.SymDense // of these, in units of p·q
}

// startCommon is what is believed, before these groups were seen, of the share of a batch's luck
// that is common to all groups in it and not each group's own; worth as many batches as the
// spread's start [common practice].
const startCommon = 0.8

func newSetting(groups []Group, farm Spread) *setting {
	s := &setting{}
	var counts [][]Count
	var all Tally
	seen := map[int64]int{}
	for i, g := range groups {
		t := g.Total()
		if t.N == 0 {
			continue
		}
		all.K, all.N = all.K+t.K, all.N+t.N
		lots := g.byBatch()
		of := make([]Count, len(lots))
		for j, l := range lots {
			of[j] = Count{float64(l.K), float64(l.N)}
			seen[l.Batch]++
		}
		s.index, s.lots, s.totals = append(s.index, i), append(s.lots, lots), append(s.totals, t)
		counts = append(counts, of)
		s.lotsOver += len(lots) - 1
	}
	for _, n := range seen {
		if n > 1 {
			s.both++
		}
	}
	s.mean = (float64(all.K) + .5) / (float64(all.N) + 1)
	rho := farm.Rho
	if rho == 0 {
		rho = SpreadOf(counts).Rho
	}
	share := s.commonShare(rho)
	s.common, s.own = rho*share, rho*(1-share)
	s.solve()
	return s
}

// byBatch joins lots of one batch, and leaves out those without eggs.
func (g Group) byBatch() (lots []BatchTally) {
	at := map[int64]int{}
	for _, l := range g.Lots {
		i, ok := at[l.Batch]
		switch {
		case l.N == 0:
		case ok:
			lots[i].K, lots[i].N = lots[i].K+l.K, lots[i].N+l.N
		default:
			at[l.Batch] = len(lots)
			lots = append(lots, l)
		}
	}
	return lots
}

// commonShare estimates how much of the correlation is common to groups set in one batch: from
// whether these did well and badly in the same batches.
func (s *setting) commonShare(rho float64) float64 {
	if rho == 0 || s.both == 0 {
		return startCommon
	}
	by := map[int64]Count{} // of the lots so far: residuals, in standard deviations, and eggs
	var together, eggs float64
	for j, t := range s.totals {
		p := (float64(t.K) + .5) / (float64(t.N) + 1)
		for _, l := range s.lots[j] {
			mine := Count{(float64(l.K) - float64(l.N)*p) / math.Sqrt(p*(1-p)), float64(l.N)}
			others := by[l.Batch]
			together += mine.K * others.K
			eggs += mine.N * others.N
			by[l.Batch] = others.plus(mine)
		}
	}
	lost := 1 - 1/math.Max(2, float64(s.both)) // the groups' own means took a part of it away
	seen := together / (eggs * rho * lost)
	share := (startBatches*startCommon + float64(s.both)*seen) / (startBatches + float64(s.both))
	return min(max(share, 0), 1)
}

// solve finds the rates of the groups with the weights that the correlations ask for
// (generalised least squares; within a batch the matrix is inverted by Sherman and Morrison).
func (s *setting) solve() {
	r := len(s.lots)
	s.weight = mat.NewSymDense(r, nil)
	type batch struct{ total, weighed float64 }
	variance := func(l BatchTally) float64 { return (1-s.own-s.common)/float64(l.N) + s.own }
	by := map[int64]batch{}
	for _, lots := range s.lots {
		for _, l := range lots {
			b, v := by[l.Batch], variance(l)
			by[l.Batch] = batch{b.total + 1/v, b.weighed + float64(l.K)/float64(l.N)/v}
		}
	}
	lost := func(b batch) float64 { return s.common / (1 + s.common*b.total) }
	sum := mat.NewVecDense(r, nil)
	before := map[int64][]batch{} // of groups before this one: index in total, 1/v in weighed
	for j, lots := range s.lots {
		for _, l := range lots {
			b, w := by[l.Batch], 1/variance(l)
			sum.SetVec(j, sum.AtVec(j)+w*(float64(l.K)/float64(l.N)-lost(b)*b.weighed))
			s.weight.SetSym(j, j, s.weight.At(j, j)+w-lost(b)*w*w)
			for _, o := range before[l.Batch] {
				i := int(o.total)
				s.weight.SetSym(i, j, s.weight.At(i, j)-lost(b)*w*o.weighed)
			}
			before[l.Batch] = append(before[l.Batch], batch{float64(j), w})
		}
	}
	var chol mat.Cholesky
	if !chol.Factorize(s.weight) {
		return
	}
	rate := mat.NewVecDense(r, nil)
	s.variance = mat.NewSymDense(r, nil)
	if chol.SolveVecTo(rate, sum) == nil && chol.InverseTo(s.variance) == nil {
		s.rate = rate.RawVector().Data
	}
}

// p tests whether the groups' rates differ: by how far they lie from one another, weighed by how
// well each is known, against an F distribution whose degrees of freedom tell how well the
// correlations are known.
func (s *setting) p() float64 {
	r := len(s.lots)
	if s.rate == nil {
		return 1
	}
	total, mean := 0.0, 0.0
	for i := range r {
		for j := range r {
			total += s.weight.At(i, j)
			mean += s.weight.At(i, j) * s.rate[j]
		}
	}
	mean /= total
	q := 0.0
	for i := range r {
		for j := range r {
			q += s.weight.At(i, j) * (s.rate[i] - mean) * (s.rate[j] - mean)
		}
	}
	q /= s.mean * (1 - s.mean)
	free := float64(r - 1)
	byBatches := max(0.1, 1-s.each()) // share of the variance of a difference
	return distuv.F{D1: free, D2: (startBatches + float64(s.lotsOver)) / byBatches}.Survival(q / free)
}

// each is for how many independent eggs one egg counts in the differences between groups, the
// mean of all pairs.
func (s *setting) each() float64 {
	if s.rate == nil {
		return 1
	}
	sum, pairs := 0.0, 0.0
	for j := range s.lots {
		for i := range j {
			v := s.variance.At(i, i) + s.variance.At(j, j) - 2*s.variance.At(i, j)
			sum += (1/float64(s.totals[i].N) + 1/float64(s.totals[j].N)) / v
			pairs++
		}
	}
	return sum / pairs
}

// power tells which difference, in points, two groups of so many eggs would show 4 times in 5, and
// how many more eggs of each would settle one as large as was seen, an egg counting for each
// independent ones.
func power(totals []Tally, each, p float64) (detectable float64, more int) {
	var two []Tally
	for _, t := range totals {
		if t.N > 0 {
			two = append(two, t)
		}
	}
	a, b := two[0], two[1]
	both := (float64(a.K+b.K) + 1) / (float64(a.N+b.N) + 2)
	z := distuv.UnitNormal.Quantile(0.975) + distuv.UnitNormal.Quantile(0.8)
	detectable = 100 * z * math.Sqrt(both*(1-both)/each*(1/float64(a.N)+1/float64(b.N)))
	if p < realP {
		return detectable, 0
	}
	pa, pb := (float64(a.K)+.5)/(float64(a.N)+1), (float64(b.K)+.5)/(float64(b.N)+1)
	need := z * z * (pa*(1-pa) + pb*(1-pb)) / ((pa - pb) * (pa - pb)) / each
	if more := need - float64(min(a.N, b.N)); more <= MaxMore { // never for none: then it is infinite
		return detectable, max(5, 5*int(math.Ceil(more/5)))
	}
	return detectable, -1
}

// Says is the sentence that a breeder reads: how often chance does this, and what follows. what
// names that which would be sold, swapped or blamed: "the machine", "the male".
func (c Comparison) Says(what string) string {
	p := c.P()
	often := oneTimeIn(p)
	switch c.Verdict {
	case Real:
		return fmt.Sprintf("A difference this big comes up by chance %s. Something is behind it: look for what "+
			"else differs before %s is blamed.", often, what)
	case Likely:
		return fmt.Sprintf("A difference this big comes up by chance %s. It may be real; more eggs will tell.", often)
	}
	if c.Detectable > 45 {
		return fmt.Sprintf("So few eggs would hardly show a difference of %.0f points: they say nothing yet about %s.",
			math.Min(99, c.Detectable), what)
	}
	return fmt.Sprintf("A difference this big comes up by chance %s. Not a reason to act on %s.", often, what)
}

// oneTimeIn says a probability as people say it.
func oneTimeIn(p float64) string {
	words := []string{"", "", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten"}
	switch {
	case p > 0.9:
		return "nearly always"
	case p > 0.6:
		return "more often than not"
	case p > 0.4:
		return "about every other time"
	case p > 0.095:
		return "about one time in " + words[min(10, max(2, int(math.Round(1/p))))]
	case p > 0.001:
		n := 1 / p
		unit := math.Pow(10, math.Floor(math.Log10(n)))
		return fmt.Sprintf("about one time in %.0f", math.Round(n/unit*2)/2*unit)
	}
	return "less than one time in a thousand"
}
