package season

import (
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

// way is a batch that may be: its eggs, and the young that go to each promise.
type way struct {
	src, t, a, h int
	eggs         int
	young        map[int]int // by promise
	most         float64     // eggs
}

type at struct{ machine, day int }

// relax builds it of the batches to keep, or of all. What would have more rows than most is
// not built to its end.
func (m *model) relax(exact bool, most int, keep func(*way) bool) *relaxation {
	r := &relaxation{base: m.base.score, settings: map[at]int{}, loads: map[span]int{}}
	p := m.p
	r.ways = m.ways(r, keep)
	if r.exact = exact; exact {
		m.fillers(r)
	}
	if r.rows = 3 * len(r.ways); r.rows > most { // and there will be more
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
			for _, q := range sortedOrders(w.young) {
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
			if pull := f.t + m.source[f.src].sp.Pull; f.spare() > 1e-7 && pull >= q.PullFrom && pull <= q.PullTo && slices.Contains(q.sources, f.src) {
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

func sortedOrders(m map[int]int) []int {
	keys := make([]int, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
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

// ways lists the batches that can serve a promise.
func (m *model) ways(r *relaxation, keep func(*way) bool) (all []*way) {
	type key struct{ src, t, a, h int }
	known := map[key]*way{}
	for o, cands := range m.cands {
		for _, c := range cands {
			for _, a := range c.setters {
				for _, h := range c.hatches {
					k := key{c.src, c.t, a, h}
					w := known[k]
					if w == nil {
						if w = m.way(c.src, c.t, a, h); w == nil || keep != nil && !keep(w) {
							continue
						}
						r.addEggs(m, w)
						known[k] = w
						all = append(all, w)
					}
					if _, twice := w.young[o]; !twice {
						w.young[o] = r.Var(m.order[o].Value, 0, min(m.order[o].Young, w.most*m.source[w.src].best()))
					}
				}
			}
		}
	}
	for _, w := range all {
		terms := []lp.Term{{At: w.eggs, By: -m.source[w.src].best()}}
		for _, o := range sortedOrders(w.young) {
			terms = append(terms, lp.Term{At: w.young[o], By: 1})
		}
		r.Row(0, terms...)
	}
	return all
}

// way is a batch that may be, by what is fixed, or nil.
func (m *model) way(src, t, a, h int) *way {
	x := &m.source[src]
	have := 0.0
	for _, age := range x.ages[0] {
		if i := t - age - x.first; i >= 0 && i < len(x.supply) {
			have += float64(max(0, m.base.left[src][i]))
		}
	}
	most := min(have, math.Floor(min(m.base.setterRoom(src, t, a), m.base.hatcherRoom(src, t, h))+tolerance))
	if most < 1 || m.banned(src, t, a, h) {
		return nil
	}
	return &way{src: src, t: t, a: a, h: h, most: most, young: map[int]int{}}
}

func (r *relaxation) addEggs(m *model, w *way) {
	w.eggs = r.Var(-m.p.EggCost, 0, w.most)
	r.whole[anEgg] = append(r.whole[anEgg], w.eggs)
}

// fillers adds the batches that serve nobody but may fill settings up.
func (m *model) fillers(r *relaxation) {
	if m.p.MinBatch <= 1 {
		return
	}
	type day struct{ src, t int }
	serves := map[day]bool{} // more of the same eggs will do there
	var settings []at
	for _, w := range r.ways {
		serves[day{w.src, w.t}] = true
		if k := (at{w.a, w.t}); !slices.Contains(settings, k) {
			settings = append(settings, k)
		}
	}
	for _, k := range settings {
		for src := range m.source {
			c, ok := m.cand(src, k.day)
			if !ok || serves[day{src, k.day}] || !slices.Contains(c.setters, k.machine) {
				continue
			}
			for _, h := range c.hatches {
				if w := m.way(src, k.day, k.machine, h); w != nil {
					r.addEggs(m, w)
					r.ways = append(r.ways, w)
				}
			}
		}
	}
}

// gate is a setting or a load: how much of its machine's room it opens, and the
// young of each promise that go through it.
type gate struct {
	room  []lp.Term
	eggs  []lp.Term
	young map[int][]lp.Term
	fits  map[int][]fit
	still bool    // of a setting: some of it never turns
	taken float64 // room that fixed batches take
}

// fit is what an egg takes of a machine's room, and the young it gives at best.
type fit struct{ share, each float64 }

// most is how many young fit, were all the room theirs; in whole eggs if all take
// the same room, as different ones may fill what others leave.
func most(fits []fit, room float64) float64 {
	all, share := 0.0, fits[0].share
	for _, f := range fits {
		if f.share <= 0 {
			return math.Inf(1)
		}
		all = max(all, f.each/f.share)
		if f.share != share {
			share = 0
		}
	}
	if share > 0 {
		return all * share * math.Floor((room+tolerance)/share)
	}
	return all * room
}

func (g *gate) add(m *model, w *way, share float64) {
	if g.young == nil {
		g.young, g.fits = map[int][]lp.Term{}, map[int][]fit{}
	}
	x := &m.source[w.src]
	g.room = append(g.room, lp.Term{At: w.eggs, By: share})
	g.eggs = append(g.eggs, lp.Term{At: w.eggs, By: 1})
	for _, o := range sortedOrders(w.young) {
		g.young[o] = append(g.young[o], lp.Term{At: w.young[o], By: 1})
		g.fits[o] = append(g.fits[o], fit{share, x.best()})
	}
}

// open asks that nothing goes through the gate unless one of the variables is 1.
func (g *gate) open(m *model, r *relaxation, by ...int) {
	with := func(c limit) {
		terms := slices.Clone(c.terms)
		for _, v := range by {
			terms = append(terms, lp.Term{At: v, By: -c.room})
		}
		r.Row(0, terms...)
	}
	for _, l := range whole(g.room, max(0, 1-g.taken)) {
		with(l)
	}
	for _, o := range sortedGates(g.young) {
		with(limit{g.young[o], min(most(g.fits[o], max(0, 1-g.taken)), m.order[o].Young)})
	}
}

func sortedGates(m map[int][]lp.Term) []int {
	keys := make([]int, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}

// machines adds settings, loads, shut lids, cleaning and one climate at a time.
func (r *relaxation) machines(m *model, ways []*way) {
	settings, loads := map[at]*gate{}, map[at]*gate{}
	stays := map[at]map[int]*gate{} // loads by how long their species stay shut
	var setDays, loadDays []at
	open := func(all map[at]*gate, days *[]at, k at) *gate {
		if all[k] == nil {
			all[k] = &gate{}
			*days = append(*days, k)
		}
		return all[k]
	}
	for _, w := range ways {
		x := &m.source[w.src]
		share := m.machine[w.a].egg[x.spNo]
		g := open(settings, &setDays, at{w.a, w.t})
		if x.sp.Lockdown == 0 { // it never turns
			share, g.still = 0, true
		}
		g.add(m, w, share)
		k := at{w.h, w.t + x.sp.Lockdown}
		share = m.machine[w.h].hatch[x.spNo] * x.Kept
		open(loads, &loadDays, k).add(m, w, share)
		loads[k].taken = m.base.lid[k.machine][k.day].room
		if stays[k] == nil {
			stays[k] = map[int]*gate{}
		}
		wide := x.sp.Pull - x.sp.Lockdown
		if stays[k][wide] == nil {
			stays[k][wide] = &gate{taken: loads[k].taken}
		}
		stays[k][wide].add(m, w, share)
	}
	loadsOf := map[int][]lp.Term{} // by promise
	// A load has one length, and shuts the lid for it.
	type shut struct{ v, from, to int } // cleaning included
	lids := map[int][]shut{}
	for _, k := range loadDays {
		var lengths []int
		for wide := range stays[k] {
			lengths = append(lengths, wide)
		}
		slices.Sort(lengths)
		var vars []int
		for _, wide := range lengths {
			v := r.Var(0, 0, 1)
			vars = append(vars, v)
			r.whole[aLoad] = append(r.whole[aLoad], v)
			r.loads[span{k.machine, k.day, k.day + wide}] = v
			lids[k.machine] = append(lids[k.machine], shut{v, k.day, k.day + wide + m.machine[k.machine].CleanDays})
		}
		loads[k].open(m, r, vars...)
		for o := range loads[k].young {
			for _, v := range vars {
				loadsOf[o] = append(loadsOf[o], lp.Term{At: v, By: 1})
			}
		}
		for i, wide := range lengths[1:] { // longer stays need a longer lid
			stays[k][wide].open(m, r, vars[i+1:]...)
		}
	}
	for _, o := range sortedGates(loadsOf) {
		r.sum(loadsOf[o], float64(len(loadsOf[o])))
	}
	type eggsOf struct{ order, src int }
	eggs := map[eggsOf][]lp.Term{}
	var pairs []eggsOf
	for _, w := range ways {
		for _, o := range sortedOrders(w.young) {
			k := eggsOf{o, w.src}
			if eggs[k] == nil {
				pairs = append(pairs, k)
			}
			eggs[k] = append(eggs[k], lp.Term{At: w.eggs, By: 1})
		}
	}
	for _, k := range pairs {
		r.sum(eggs[k], 1e5)
	}
	shutOn := func(machine, day int) (terms []lp.Term) {
		for _, l := range lids[machine] {
			if l.from <= day && day <= l.to {
				terms = append(terms, lp.Term{At: l.v, By: 1})
			}
		}
		return
	}
	for _, k := range loadDays {
		if terms := shutOn(k.machine, k.day); len(terms) > 1 {
			r.Row(1, terms...)
		}
	}
	for _, k := range setDays {
		g := settings[k]
		cost := -m.p.SettingCost
		if m.base.sets[k.machine][k.day].batches > 0 {
			cost = 0
		}
		y := r.Var(cost, 0, 1)
		if slices.Contains(m.small, k) {
			r.Bounds(y, 1, 1) // it is there, and has to be filled up
		}
		r.whole[aSetting] = append(r.whole[aSetting], y)
		r.settings[k] = y
		g.open(m, r, y)
		if least := m.p.MinBatch - float64(m.base.sets[k.machine][k.day].eggs); least > 1 {
			terms := []lp.Term{{At: y, By: least}}
			if !r.exact {
				terms = append(terms, lp.Term{At: r.Var(-m.p.EggCost, 0, least), By: -1})
			}
			for _, t := range g.eggs {
				terms = append(terms, lp.Term{At: t.At, By: -1})
			}
			r.Row(0, terms...)
		}
		if terms := shutOn(k.machine, k.day); len(terms) > 0 && !g.still {
			r.Row(1, append(terms, lp.Term{At: y, By: 1})...)
		}
	}
	for _, days := range [][]at{setDays, loadDays} {
		for _, k := range days {
			r.turning(m, k, shutOn(k.machine, k.day))
		}
	}
	// In a machine that does both, what turns is not shut in with a load.
	both := map[span]*gate{}
	var turns []span
	for _, w := range ways {
		if x := &m.source[w.src]; len(lids[w.a]) > 0 && x.sp.Lockdown > 0 {
			k := span{w.a, w.t, w.t + x.sp.Lockdown}
			if both[k] == nil {
				both[k] = &gate{}
				turns = append(turns, k)
			}
			both[k].add(m, w, m.machine[w.a].egg[x.spNo])
		}
	}
	for _, k := range turns {
		v := r.Var(0, 0, 1)
		r.whole[aTurn] = append(r.whole[aTurn], v)
		both[k].open(m, r, v)
		days := []int{k.from} // and every day on which a lid might be shut meanwhile
		for _, l := range lids[k.machine] {
			if l.from > k.from && l.from < k.to && !slices.Contains(days, l.from) {
				days = append(days, l.from)
			}
		}
		for _, d := range days {
			if terms := shutOn(k.machine, d); len(terms) > 0 {
				r.Row(1, append(terms, lp.Term{At: v, By: 1})...)
			}
		}
	}
}

// limit is the most that terms sum to.
type limit struct {
	terms []lp.Term
	room  float64
}

// whole is a limit on eggs' shares of some room, with what follows from whole eggs
// (mixed-integer rounding by each share): where 36.7 eggs have room, 36 do.
func whole(terms []lp.Term, room float64) []limit {
	limits := []limit{{terms, room}}
	var tried []float64
	for _, t := range terms {
		if t.By <= 0 || slices.Contains(tried, t.By) {
			continue
		}
		tried = append(tried, t.By)
		fits := (room + tolerance) / t.By
		over := fits - math.Floor(fits)
		if over < .001 || over > .999 {
			continue
		}
		l := limit{room: math.Floor(fits)}
		for _, u := range terms {
			n := u.By / t.By
			k := math.Floor(n + 1e-12)
			l.terms = append(l.terms, lp.Term{At: u.At, By: k + max(0, n-k-over)/(1-over)})
		}
		limits = append(limits, l)
	}
	if len(tried) == 1 && len(limits) == 2 && !slices.ContainsFunc(terms, func(t lp.Term) bool { return t.By <= 0 }) {
		return limits[1:] // it says all
	}
	return limits
}

// sum adds a whole variable that is the sum of others.
func (r *relaxation) sum(terms []lp.Term, most float64) {
	if len(terms) < 2 {
		return
	}
	v := r.Var(0, 0, most)
	r.whole[aSum] = append(r.whole[aSum], v)
	minus := make([]lp.Term, len(terms))
	for i, t := range terms {
		minus[i] = lp.Term{At: t.At, By: -t.By}
	}
	r.Row(0, append(slices.Clone(terms), lp.Term{At: v, By: -1})...)
	r.Row(0, append(minus, lp.Term{At: v, By: 1})...)
}

// turning keeps a setter's room on a day, if no lid is shut.
func (r *relaxation) turning(m *model, k at, shut []lp.Term) {
	var eggs []lp.Term
	for _, w := range r.ways {
		if x := &m.source[w.src]; w.a == k.machine && w.t <= k.day && k.day < w.t+x.sp.Lockdown {
			eggs = append(eggs, lp.Term{At: w.eggs, By: m.machine[w.a].egg[x.spNo]})
		}
	}
	if len(eggs) == 0 {
		return
	}
	for _, l := range whole(eggs, max(0, 1-m.base.turn[k.machine][k.day])) {
		for _, s := range shut {
			l.terms = append(l.terms, lp.Term{At: s.At, By: s.By * l.room})
		}
		r.Row(l.room, l.terms...)
	}
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
		want := min(int(math.Round(r.X(w.eggs))), int(s.trial.setterRoom(w.src, w.t, w.a)), int(s.trial.hatcherRoom(w.src, w.t, w.h)))
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
		for _, o := range sortedOrders(w.young) {
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
