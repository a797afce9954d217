package bound

import (
	"maps"
	"math"
	"slices"

	"metrogon/core/season/bound/lp"
	"metrogon/core/season/draft"
)

// relaxation is the problem as a linear program that every plan satisfies, so that
// its optimum is a bound. The whole variables are branched on. Unless it is exact, it
// leaves out that eggs which only fill a setting up to the fewest take room and supply.
type relaxation struct {
	lp.Program
	base     float64
	exact    bool
	rows     int // without cuts
	ways     []*way
	settings map[draft.At]int // variables, 0 or 1
	loads    map[span]int
	laid     []laid
	supply   map[sourceDay]int // rows of lay days whose eggs may be set on several days
	whole    [kinds][]int      // variables
	lessons  []lesson          // by variable
	average  [kinds]lesson
}

// The kinds of whole variables. Settings, loads and turns are 0 or 1; sums of loads, and
// of a source's eggs, for a promise break what days have in common.
const (
	aSetting = iota
	aLoad
	aTurn
	aSum
	anEgg     // of a way
	anEggLaid // on a day
	kinds
)

// laid are eggs of a lay day that are set on day t.
type laid struct {
	v, src, t, day int // day is an index into the supply
	most           float64
	through        [2][]int // variables of settings, and of loads, one of which they go through
}

// span is a load, from its first to its last day, or a stretch of turning in a
// machine that may be shut, up to lockdown.
type span struct{ machine, from, to int }

// relax builds it of the batches to keep, or of all. What would have more rows than most is
// not built to its end.
func relax(m *draft.Model, exact bool, most int, keep func(*way) bool) *relaxation {
	r := &relaxation{
		base: m.Base.Score, settings: map[draft.At]int{}, loads: map[span]int{}, supply: map[sourceDay]int{},
	}
	r.ways = waysOf(m, r, most, keep)
	if r.exact = exact; exact && rowsPerWay*len(r.ways) <= most {
		fillers(m, r)
	}
	if r.rows = rowsPerWay * len(r.ways); r.rows > most { // and there will be more
		return r
	}
	ways := r.ways
	byDay, days := eachDay(ways)
	l := newLarder(m, r)
	for _, d := range days {
		l.day(d, byDay[d])
	}
	l.limits()
	served, spares := r.promises(m, ways)
	for o := range m.Order {
		r.promise(m, o, ways, served[o], spares)
	}
	for i := range m.Base.Parts {
		if len(spares[i]) > 1 {
			r.Row(m.Base.Parts[i].Spare(), spares[i]...)
		}
	}
	r.machines(m, ways)
	var vars int
	r.rows, vars = r.Size()
	r.lessons = make([]lesson, vars)
	through := map[sourceDay][2][]int{}
	for i := range r.laid {
		d := sourceDay{r.laid[i].src, r.laid[i].t}
		if _, known := through[d]; !known {
			through[d] = r.through(m, d.t, byDay[d])
		}
		r.laid[i].through = through[d]
	}
	return r
}

// sourceDay is a day of a source: on which its eggs are set, or, as an index into its
// supply, laid.
type sourceDay struct{ src, t int }

func term(v int, by float64) lp.Term { return lp.Term{At: v, By: by} }

// eachDay sorts ways by source and set day.
func eachDay(ways []*way) (byDay map[sourceDay][]*way, days []sourceDay) {
	byDay = map[sourceDay][]*way{}
	for _, w := range ways {
		d := sourceDay{w.src, w.t}
		if byDay[d] == nil {
			days = append(days, d)
		}
		byDay[d] = append(byDay[d], w)
	}
	return byDay, days
}

// larder is eggs by lay day, which bound what batches take and what they give, and the
// places that their young take in the brooder.
type larder struct {
	*relaxation
	m      *draft.Model
	supply map[sourceDay][]lp.Term // by lay day
	laidOn []sourceDay
	places map[int][]lp.Term // of the brooder, by day
	pulls  []int
}

func newLarder(m *draft.Model, r *relaxation) *larder {
	return &larder{relaxation: r, m: m, supply: map[sourceDay][]lp.Term{}, places: map[int][]lp.Term{}}
}

// day adds what the batches of a source and day take, and what they give.
func (l *larder) day(d sourceDay, ways []*way) {
	x := &l.m.Source[d.src]
	var eggs, young, brood []lp.Term
	for _, w := range ways {
		eggs = append(eggs, term(w.eggs, 1))
		for _, q := range slices.Sorted(maps.Keys(w.young)) {
			young = append(young, term(w.young[q], 1))
		}
	}
	balance := slices.Clone(eggs)
	for i := range balance {
		balance[i].By = -1
	}
	for _, age := range x.Ages[0] {
		i := d.t - age - x.First
		if i < 0 || i >= len(x.Laid) || l.m.Base.Left[d.src][i] <= 0 {
			continue
		}
		each, left := x.Yield*x.Sp.AgeFactor[age], float64(l.m.Base.Left[d.src][i])
		e := l.Var(0, 0, left)
		l.whole[anEggLaid] = append(l.whole[anEggLaid], e)
		l.laid = append(l.laid, laid{v: e, src: d.src, t: d.t, day: i, most: left})
		eggs, balance = append(eggs, term(e, -1)), append(balance, term(e, 1))
		young = append(young, term(e, -each))
		brood = append(brood, term(e, each*x.Sp.BroodPlaces))
		on := sourceDay{d.src, i}
		if l.supply[on] == nil {
			l.laidOn = append(l.laidOn, on)
		}
		l.supply[on] = append(l.supply[on], term(e, 1))
	}
	l.Row(0, eggs...)
	l.Row(0, balance...)
	l.Row(0, young...)
	pull := d.t + x.Sp.Pull
	if !slices.Contains(l.pulls, pull) {
		l.pulls = append(l.pulls, pull)
	}
	for b := pull; b < pull+x.Sp.BroodDays; b++ {
		l.places[b] = append(l.places[b], brood...)
	}
}

// limits are the eggs laid each day (rule 1), and the brooder on each day on which young
// come in (rule 9).
func (l *larder) limits() {
	for i := range l.m.Base.Parts {
		f := &l.m.Base.Parts[i]
		if pull := f.T + l.m.Source[f.Src].Sp.Pull; pull >= 0 && !slices.Contains(l.pulls, pull) {
			l.pulls = append(l.pulls, pull)
		}
	}
	for _, on := range l.laidOn {
		if len(l.supply[on]) > 1 { // one alone keeps to the bound of its variable
			l.relaxation.supply[on], _ = l.Size()
			l.Row(float64(l.m.Base.Left[on.src][on.t]), l.supply[on]...)
		}
	}
	for _, d := range l.pulls {
		if len(l.places[d]) > 0 {
			l.Row(l.m.P.BrooderPlaces-l.m.Base.Brood[min(d, l.m.Days)], l.places[d]...)
		}
	}
}

// prices are what one more egg of each lay day would bring, by source and index of its supply,
// by the prices of rows and the costs of variables that prove a bound.
func (r *relaxation) prices(m *draft.Model, price, cost func(int) float64) [][]float64 {
	prices := make([][]float64, len(m.Source))
	for i := range prices {
		prices[i] = make([]float64, len(m.Source[i].Laid))
	}
	for _, l := range r.laid {
		if row, ok := r.supply[sourceDay{l.src, l.day}]; ok {
			prices[l.src][l.day] = price(row)
		} else {
			prices[l.src][l.day] = max(0, cost(l.v))
		}
	}
	return prices
}

// promises gathers what serves each; spares is for what fixed batches have to spare.
func (r *relaxation) promises(m *draft.Model, ways []*way) (served, spares [][]lp.Term) {
	served, spares = make([][]lp.Term, len(m.Order)), make([][]lp.Term, len(m.Base.Parts))
	for _, w := range ways {
		for o, q := range w.young {
			served[o] = append(served[o], term(q, 1))
		}
	}
	for o := range served {
		slices.SortFunc(served[o], func(a, b lp.Term) int { return a.At - b.At })
	}
	return served, spares
}

// promise is one: it takes no more than is wanted, and so many whole eggs are needed.
func (r *relaxation) promise(m *draft.Model, o int, ways []*way, served []lp.Term, spares [][]lp.Term) {
	q := &m.Order[o]
	need := max(0, q.Young-m.Base.Got[o])
	spare := false
	for i := range m.Base.Parts { // what is fixed serves too
		f := &m.Base.Parts[i]
		if pull := f.T + m.Source[f.Src].Sp.Pull; f.Spare() > 1e-7 && pull >= q.PullFrom && pull <= q.PullTo &&
			slices.Contains(q.From, f.Src) {
			given := term(r.Var(q.Value, 0, min(f.Spare(), need)), 1)
			served, spares[i] = append(served, given), append(spares[i], given)
			spare = true
		}
	}
	if len(served) == 0 {
		return
	}
	r.Row(need, served...)
	if spare {
		return
	}
	var yields []float64
	for _, s := range q.From {
		if y := m.Source[s].Best(); y > 0 && !slices.Contains(yields, y) {
			yields = append(yields, y)
		}
	}
	for _, y := range yields {
		r.rounding(m, o, need, y, ways, served)
	}
}

// through are the variables of the settings and of the loads through which eggs of one
// source go that are set on a day.
func (r *relaxation) through(m *draft.Model, t int, ways []*way) (vars [2][]int) {
	for _, w := range ways {
		x := &m.Source[w.src]
		if v, ok := r.settings[draft.At{Machine: w.a, Day: t}]; ok && !slices.Contains(vars[0], v) {
			vars[0] = append(vars[0], v)
		}
		for k, v := range r.loads {
			if k.machine == w.h && k.from == t+x.Sp.Lockdown && k.to >= t+x.Sp.Pull && !slices.Contains(vars[1], v) {
				vars[1] = append(vars[1], v)
			}
		}
	}
	slices.Sort(vars[1])
	return
}

// cut asks of eggs of a lay day, where fractions of settings or loads let too many
// through, that no more of them are set than by those. There are too many such rows
// to ask them all beforehand.
func (r *relaxation) cut() (cuts int) { return r.cutBy(r.X, 1e-3) }

// cutBy does so where others than the program's own values are at hand, by which such a row has
// to be broken for it to be asked.
func (r *relaxation) cutBy(x func(int) float64, broken float64) (cuts int) {
	for _, l := range r.laid {
		for _, through := range l.through {
			over := x(l.v)
			terms := []lp.Term{{At: l.v, By: 1}}
			for _, v := range through {
				over -= l.most * x(v)
				terms = append(terms, lp.Term{At: v, By: -l.most})
			}
			if over > broken {
				r.Row(0, terms...)
				cuts++
			}
		}
	}
	return
}

// rounding cuts off fractions of eggs (mixed-integer rounding): of D young at y an
// egg, D/y eggs would do, yet only whole ones can be set.
func (r *relaxation) rounding(m *draft.Model, o int, young, y float64, ways []*way, served []lp.Term) {
	need := young / y
	f := need - math.Floor(need)
	if f < .01 || f > .999 {
		return
	}
	var terms []lp.Term
	for _, t := range served {
		terms = append(terms, lp.Term{At: t.At, By: 1 / (y * f)})
	}
	for _, w := range ways {
		if _, ok := w.young[o]; ok {
			x := &m.Source[w.src]
			a := x.Best() / y
			whole := math.Floor(a + 1e-12)
			terms = append(terms, lp.Term{At: w.eggs, By: -(whole + min(a-whole, f)/f)})
		}
	}
	r.Row(need/f-math.Ceil(need), terms...)
}

// plan is the plan that whole variables stand for, as far as it keeps the rules.
func (r *relaxation) plan(m *draft.Model) *draft.State {
	s := m.Empty()
	s.Copy(m.Base)
	left := make([]int, len(r.laid))
	for i, l := range r.laid {
		left[i] = int(math.Round(r.X(l.v)))
	}
	type gift struct{ src, t, order int }
	gifts := map[gift]float64{}
	for _, w := range r.ways {
		for o, v := range w.young {
			gifts[gift{w.src, w.t, o}] += r.X(v)
		}
	}
	for _, w := range r.ways {
		x := &m.Source[w.src]
		p := draft.Part{Src: w.src, T: w.t, A: w.a, H: w.h}
		want := min(
			int(math.Round(r.X(w.eggs))), int(s.SetterRoom(w.src, w.t, w.a)),
			int(s.HatcherRoom(w.src, w.t, w.h)),
		)
		for i, l := range r.laid {
			if n := min(left[i], want-p.Eggs); n > 0 && l.src == w.src && l.t == w.t {
				left[i] -= n
				p.Eggs += n
				p.Young += float64(n) * x.Yield * x.Sp.AgeFactor[l.t-l.day-x.First]
				p.Lays = append(p.Lays, draft.Take{Laid: l.day, Eggs: n})
			}
		}
		if p.Eggs == 0 || p.Young*x.Sp.BroodPlaces > s.BroodRoom(w.src, w.t) {
			continue
		}
		s.Put(p)
		last := len(s.Parts) - 1
		for _, o := range slices.Sorted(maps.Keys(w.young)) {
			k := gift{w.src, w.t, o}
			if y := min(gifts[k], s.Parts[last].Spare(), m.Order[o].Young-s.Got[o]); y > 0 {
				gifts[k] -= y
				s.Give(last, o, y)
			}
		}
	}
	s.DropSmall()
	s.Spread()
	return s
}
