package season

import (
	"maps"
	"math"
	"slices"

	"metrogon/core/season/lp"
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
	settings map[at]int // variables, 0 or 1
	loads    map[span]int
	laid     []laid
	whole    [kinds][]int // variables
	lessons  []lesson     // by variable
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

type at struct{ machine, day int }

// relax builds it of the batches to keep, or of all. What would have more rows than most is
// not built to its end.
func (m *model) relax(exact bool, most int, keep func(*way) bool) *relaxation {
	r := &relaxation{base: m.base.score, settings: map[at]int{}, loads: map[span]int{}}
	p := m.p
	r.ways = m.ways(r, most, keep)
	if r.exact = exact; exact && rowsPerWay*len(r.ways) <= most {
		m.fillers(r)
	}
	if r.rows = rowsPerWay * len(r.ways); r.rows > most { // and there will be more
		return r
	}
	ways := r.ways
	term := func(v int, by float64) lp.Term { return lp.Term{At: v, By: by} }

	// Eggs by lay day: what the batches of a source and day take, and what they give.
	type day struct{ src, t int }
	byDay := map[day][]*way{}
	var days []day
	for _, w := range ways {
		d := day{w.src, w.t}
		if byDay[d] == nil {
			days = append(days, d)
		}
		byDay[d] = append(byDay[d], w)
	}
	supply := map[day][]lp.Term{} // by source and lay day
	var laidOn []day
	places := make(map[int][]lp.Term) // brooder, by day
	var pulls []int
	for _, d := range days {
		x := &m.source[d.src]
		var eggs, young, brood []lp.Term
		for _, w := range byDay[d] {
			eggs = append(eggs, term(w.eggs, 1))
			for _, q := range slices.Sorted(maps.Keys(w.young)) {
				young = append(young, term(w.young[q], 1))
			}
		}
		balance := slices.Clone(eggs)
		for i := range balance {
			balance[i].By = -1
		}
		for _, age := range x.ages[0] {
			i := d.t - age - x.first
			if i < 0 || i >= len(x.supply) || m.base.left[d.src][i] <= 0 {
				continue
			}
			each := x.Yield * x.sp.AgeFactor[age]
			e := r.Var(0, 0, float64(m.base.left[d.src][i]))
			r.whole[anEggLaid] = append(r.whole[anEggLaid], e)
			r.laid = append(r.laid, laid{v: e, src: d.src, t: d.t, day: i, most: float64(m.base.left[d.src][i])})
			eggs, balance = append(eggs, term(e, -1)), append(balance, term(e, 1))
			young = append(young, term(e, -each))
			brood = append(brood, term(e, each*x.sp.BroodPlaces))
			l := day{d.src, i}
			if supply[l] == nil {
				laidOn = append(laidOn, l)
			}
			supply[l] = append(supply[l], term(e, 1))
		}
		r.Row(0, eggs...)
		r.Row(0, balance...)
		r.Row(0, young...)
		pull := d.t + x.sp.Pull
		if !slices.Contains(pulls, pull) {
			pulls = append(pulls, pull)
		}
		for b := pull; b < pull+x.sp.BroodDays; b++ {
			places[b] = append(places[b], brood...)
		}
	}
	for i := range m.base.parts {
		f := &m.base.parts[i]
		if pull := f.t + m.source[f.src].sp.Pull; pull >= 0 && !slices.Contains(pulls, pull) {
			pulls = append(pulls, pull)
		}
	}
	for _, l := range laidOn {
		if len(supply[l]) > 1 { // one alone keeps to the bound of its variable
			r.Row(float64(m.base.left[l.src][l.t]), supply[l]...)
		}
	}
	for _, d := range pulls {
		if len(places[d]) > 0 {
			r.Row(p.BrooderPlaces-m.base.brood[min(d, m.days)], places[d]...)
		}
	}

	// Promises, and how many whole eggs they need.
	served := make([][]lp.Term, len(m.order))
	for _, w := range ways {
		for o, q := range w.young {
			served[o] = append(served[o], term(q, 1))
		}
	}
	spares := make([][]lp.Term, len(m.base.parts))
	for o := range m.order {
		q := &m.order[o]
		need := max(0, q.Young-m.base.got[o])
		slices.SortFunc(served[o], func(a, b lp.Term) int { return a.At - b.At })
		spare := false
		for i := range m.base.parts { // what is fixed serves too
			f := &m.base.parts[i]
			if pull := f.t + m.source[f.src].sp.Pull; f.spare() > 1e-7 && pull >= q.PullFrom && pull <= q.PullTo &&
				slices.Contains(q.sources, f.src) {
				served[o] = append(served[o], term(r.Var(q.Value, 0, min(f.spare(), need)), 1))
				spares[i] = append(spares[i], served[o][len(served[o])-1])
				spare = true
			}
		}
		if len(served[o]) == 0 {
			continue
		}
		r.Row(need, served[o]...)
		var yields []float64
		for _, s := range q.sources {
			if y := m.source[s].best(); y > 0 && !slices.Contains(yields, y) {
				yields = append(yields, y)
			}
		}
		if !spare {
			for _, y := range yields {
				r.rounding(m, o, need, y, ways, served[o])
			}
		}
	}
	for i := range m.base.parts {
		if len(spares[i]) > 1 {
			r.Row(m.base.parts[i].spare(), spares[i]...)
		}
	}
	r.machines(m, ways)
	var vars int
	r.rows, vars = r.Size()
	r.lessons = make([]lesson, vars)
	through := map[day][2][]int{}
	for i := range r.laid {
		d := day{r.laid[i].src, r.laid[i].t}
		if _, known := through[d]; !known {
			through[d] = r.through(m, d.t, byDay[d])
		}
		r.laid[i].through = through[d]
	}
	return r
}

// through are the variables of the settings and of the loads through which eggs of one
// source go that are set on a day.
func (r *relaxation) through(m *model, t int, ways []*way) (vars [2][]int) {
	for _, w := range ways {
		x := &m.source[w.src]
		if v, ok := r.settings[at{w.a, t}]; ok && !slices.Contains(vars[0], v) {
			vars[0] = append(vars[0], v)
		}
		for k, v := range r.loads {
			if k.machine == w.h && k.from == t+x.sp.Lockdown && k.to >= t+x.sp.Pull && !slices.Contains(vars[1], v) {
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
func (r *relaxation) cut() (cuts int) {
	for _, l := range r.laid {
		for _, through := range l.through {
			over := r.X(l.v)
			terms := []lp.Term{{At: l.v, By: 1}}
			for _, v := range through {
				over -= l.most * r.X(v)
				terms = append(terms, lp.Term{At: v, By: -l.most})
			}
			if over > 1e-3 {
				r.Row(0, terms...)
				cuts++
			}
		}
	}
	return
}

// rounding cuts off fractions of eggs (mixed-integer rounding): of D young at y an
// egg, D/y eggs would do, yet only whole ones can be set.
func (r *relaxation) rounding(m *model, o int, young, y float64, ways []*way, served []lp.Term) {
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
			x := &m.source[w.src]
			a := x.best() / y
			whole := math.Floor(a + 1e-12)
			terms = append(terms, lp.Term{At: w.eggs, By: -(whole + min(a-whole, f)/f)})
		}
	}
	r.Row(need/f-math.Ceil(need), terms...)
}

// plan is the plan that whole variables stand for, as far as it keeps the rules.
func (r *relaxation) plan(m *model) *state {
	s := newSearcher(m, 0)
	s.trial.copy(m.base)
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
		x := &m.source[w.src]
		p := part{src: w.src, t: w.t, a: w.a, h: w.h}
		want := min(
			int(math.Round(r.X(w.eggs))), int(s.trial.setterRoom(w.src, w.t, w.a)),
			int(s.trial.hatcherRoom(w.src, w.t, w.h)),
		)
		for i, l := range r.laid {
			if n := min(left[i], want-p.eggs); n > 0 && l.src == w.src && l.t == w.t {
				left[i] -= n
				p.eggs += n
				p.young += float64(n) * x.Yield * x.sp.AgeFactor[l.t-l.day-x.first]
				p.lays = append(p.lays, take{l.day, n})
			}
		}
		if p.eggs == 0 || p.young*x.sp.BroodPlaces > s.trial.broodRoom(w.src, w.t) {
			continue
		}
		s.trial.put(p)
		last := len(s.trial.parts) - 1
		for _, o := range slices.Sorted(maps.Keys(w.young)) {
			k := gift{w.src, w.t, o}
			if y := min(gifts[k], s.trial.parts[last].spare(), m.order[o].Young-s.trial.got[o]); y > 0 {
				gifts[k] -= y
				s.trial.give(last, o, y)
			}
		}
	}
	s.trial.dropSmall()
	s.spread()
	return s.trial
}
