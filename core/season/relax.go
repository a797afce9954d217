package season

import (
	"math"
	"slices"

	"metrogon/core/season/lp"
)

// relaxation is the problem as a linear program that every plan satisfies, so that
// its optimum is a bound. Left out: that eggs which only fill a setting up to the
// fewest take room and supply. The whole variables are branched on.
type relaxation struct {
	lp.Program
	base     float64
	ways     []*way
	settings map[at]int // variables, 0 or 1
	loads    map[span]int
	turns    map[span]int
	laid     []laid
	sums     []int // loads, and eggs of a source, of each promise: branching on them first breaks what days have in common
	gates    []int // settings, loads and turns
	counts   []int // eggs
	lays     []int // eggs of a lay day
}

// laid are eggs of a lay day that are set on day t.
type laid struct{ v, src, t, day int } // day is an index into the supply

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

// relax builds it.
func (m *model) relax() *relaxation {
	r := &relaxation{base: m.base.score, settings: map[at]int{}, loads: map[span]int{}, turns: map[span]int{}}
	p := m.p
	r.ways = m.ways(r)
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
			r.lays = append(r.lays, e)
			r.laid = append(r.laid, laid{e, d.src, d.t, i})
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
	for o := range m.order {
		q := &m.order[o]
		slices.SortFunc(served[o], func(a, b lp.Term) int { return a.At - b.At })
		if len(served[o]) == 0 {
			continue
		}
		for i := range m.base.parts { // what is fixed serves too
			f := &m.base.parts[i]
			if pull := f.t + m.source[f.src].sp.Pull; pull >= q.PullFrom && pull <= q.PullTo && slices.Contains(q.sources, f.src) {
				served[o] = append(served[o], term(r.Var(q.Value, 0, min(f.young, q.Young)), 1))
			}
		}
		r.Row(q.Young, served[o]...)
		var yields []float64
		for _, s := range q.sources {
			if y := m.source[s].Yield * slices.Max(m.source[s].sp.AgeFactor); y > 0 && !slices.Contains(yields, y) {
				yields = append(yields, y)
			}
		}
		if len(m.base.parts) == 0 {
			for _, y := range yields {
				r.rounding(m, o, y, ways, served[o])
			}
		}
	}
	r.machines(m, ways)
	return r
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
func (r *relaxation) rounding(m *model, o int, y float64, ways []*way, served []lp.Term) {
	need := m.order[o].Young / y
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
			a := x.Yield * slices.Max(x.sp.AgeFactor) / y
			whole := math.Floor(a + 1e-12)
			terms = append(terms, lp.Term{At: w.eggs, By: -(whole + min(a-whole, f)/f)})
		}
	}
	r.Row(need/f-math.Ceil(need), terms...)
}

// ways lists the batches that can serve a promise.
func (m *model) ways(r *relaxation) (all []*way) {
	type key struct{ src, t, a, h int }
	known := map[key]*way{}
	for o, cands := range m.cands {
		q := &m.order[o]
		for _, c := range cands {
			x := &m.source[c.src]
			have := 0.0
			for _, age := range x.ages[0] {
				if i := c.t - age - x.first; i >= 0 && i < len(x.supply) {
					have += float64(max(0, m.base.left[c.src][i]))
				}
			}
			each := x.Yield * slices.Max(x.sp.AgeFactor)
			for _, a := range c.setters {
				for _, h := range c.hatches {
					most := have
					if x.sp.Lockdown > 0 {
						most = min(most, math.Floor(1/m.machine[a].egg[x.spNo]+tolerance))
					}
					if x.Kept > 0 {
						most = min(most, math.Floor(1/(m.machine[h].hatch[x.spNo]*x.Kept)+tolerance))
					}
					if most < 1 || m.banned(c.src, c.t, a, h) {
						continue
					}
					k := key{c.src, c.t, a, h}
					w := known[k]
					if w == nil {
						w = &way{src: c.src, t: c.t, a: a, h: h, most: most, young: map[int]int{}, eggs: r.Var(-m.p.EggCost, 0, most)}
						r.counts = append(r.counts, w.eggs)
						known[k] = w
						all = append(all, w)
					}
					if _, twice := w.young[o]; !twice {
						w.young[o] = r.Var(q.Value, 0, min(q.Young, most*each))
					}
				}
			}
		}
	}
	for _, w := range all {
		x := &m.source[w.src]
		terms := []lp.Term{{At: w.eggs, By: -x.Yield * slices.Max(x.sp.AgeFactor)}}
		for _, o := range sortedOrders(w.young) {
			terms = append(terms, lp.Term{At: w.young[o], By: 1})
		}
		r.Row(0, terms...)
	}
	return all
}

// gate is a setting or a load: how much of its machine's room it opens, and the
// young of each promise that go through it.
type gate struct {
	room  []lp.Term
	eggs  []lp.Term
	young map[int][]lp.Term
	most  map[int]float64 // young that fit, were all the room a promise's
	still bool            // of a setting: some of it never turns
}

func (g *gate) add(m *model, w *way, share float64) {
	if g.young == nil {
		g.young, g.most = map[int][]lp.Term{}, map[int]float64{}
	}
	x := &m.source[w.src]
	g.room = append(g.room, lp.Term{At: w.eggs, By: share})
	g.eggs = append(g.eggs, lp.Term{At: w.eggs, By: 1})
	for _, o := range sortedOrders(w.young) {
		g.young[o] = append(g.young[o], lp.Term{At: w.young[o], By: 1})
		fits := m.order[o].Young
		if share > 0 {
			fits = x.Yield * slices.Max(x.sp.AgeFactor) * math.Floor((1+tolerance)/share)
		}
		g.most[o] = min(m.order[o].Young, max(g.most[o], fits))
	}
}

// open asks that nothing goes through the gate unless one of the variables is 1.
func (g *gate) open(r *relaxation, by ...int) {
	with := func(terms []lp.Term, most float64) {
		terms = slices.Clone(terms)
		for _, v := range by {
			terms = append(terms, lp.Term{At: v, By: -most})
		}
		r.Row(0, terms...)
	}
	with(g.room, 1)
	for _, cut := range whole(g.room) {
		with(cut.terms, cut.room)
	}
	for _, o := range sortedGates(g.young) {
		with(g.young[o], g.most[o])
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
		if stays[k] == nil {
			stays[k] = map[int]*gate{}
		}
		wide := x.sp.Pull - x.sp.Lockdown
		if stays[k][wide] == nil {
			stays[k][wide] = &gate{}
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
			r.gates = append(r.gates, v)
			r.loads[span{k.machine, k.day, k.day + wide}] = v
			lids[k.machine] = append(lids[k.machine], shut{v, k.day, k.day + wide + m.machine[k.machine].CleanDays})
		}
		loads[k].open(r, vars...)
		for o := range loads[k].young {
			for _, v := range vars {
				loadsOf[o] = append(loadsOf[o], lp.Term{At: v, By: 1})
			}
		}
		for i, wide := range lengths[1:] { // longer stays need a longer lid
			stays[k][wide].open(r, vars[i+1:]...)
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
		r.gates = append(r.gates, y)
		r.settings[k] = y
		g.open(r, y)
		if least := m.p.MinBatch - float64(m.base.sets[k.machine][k.day].eggs); least > 1 {
			filler := r.Var(-m.p.EggCost, 0, least)
			terms := []lp.Term{{At: y, By: least}, {At: filler, By: -1}}
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
			r.turning(m, ways, k, shutOn(k.machine, k.day))
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
		r.gates = append(r.gates, v)
		r.turns[k] = v
		both[k].open(r, v)
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

// cut is a limit on terms.
type cut struct {
	terms []lp.Term
	room  float64
}

// whole cuts off fractions of eggs that fill a machine's room (mixed-integer
// rounding by each egg's share): where 36.7 eggs have room, 36 do.
func whole(room []lp.Term) (cuts []cut) {
	var tried []float64
	for _, t := range room {
		if t.By <= 0 || slices.Contains(tried, t.By) {
			continue
		}
		tried = append(tried, t.By)
		fits := (1 + tolerance) / t.By
		over := fits - math.Floor(fits)
		if over < .001 || over > .999 {
			continue
		}
		c := cut{room: math.Floor(fits)}
		for _, u := range room {
			n := u.By / t.By
			whole := math.Floor(n + 1e-12)
			c.terms = append(c.terms, lp.Term{At: u.At, By: whole + max(0, n-whole-over)/(1-over)})
		}
		cuts = append(cuts, c)
	}
	return
}

// sum adds a whole variable that is the sum of others.
func (r *relaxation) sum(terms []lp.Term, most float64) {
	if len(terms) < 2 {
		return
	}
	v := r.Var(0, 0, most)
	r.sums = append(r.sums, v)
	minus := make([]lp.Term, len(terms))
	for i, t := range terms {
		minus[i] = lp.Term{At: t.At, By: -t.By}
	}
	r.Row(0, append(slices.Clone(terms), lp.Term{At: v, By: -1})...)
	r.Row(0, append(minus, lp.Term{At: v, By: 1})...)
}

// turning keeps a setter's room on a day.
func (r *relaxation) turning(m *model, ways []*way, k at, shut []lp.Term) {
	terms := slices.Clone(shut)
	n := 0
	for _, w := range ways {
		if x := &m.source[w.src]; w.a == k.machine && w.t <= k.day && k.day < w.t+x.sp.Lockdown {
			terms = append(terms, lp.Term{At: w.eggs, By: m.machine[w.a].egg[x.spNo]})
			n++
		}
	}
	if n > 0 {
		r.Row(max(0, 1-m.base.turn[k.machine][k.day]), terms...)
	}
}

// closed are branches that leave out every setting and load that a plan has not.
func (r *relaxation) closed(s *state) (out []branch) {
	turns := map[span]bool{}
	for i := range s.parts {
		p := &s.parts[i]
		turns[span{p.a, p.t, p.t + s.m.source[p.src].sp.Lockdown}] = true
	}
	for k, v := range r.settings {
		if s.sets[k.machine][k.day].batches == 0 {
			out = append(out, branch{v, 0, 0})
		}
	}
	for k, v := range r.loads {
		if l := s.lid[k.machine][k.from]; l.batches == 0 || l.end != k.to {
			out = append(out, branch{v, 0, 0})
		}
	}
	for k, v := range r.turns {
		if !turns[k] {
			out = append(out, branch{v, 0, 0})
		}
	}
	return
}

// plan is the plan that whole variables stand for, as far as it keeps the rules.
func (r *relaxation) plan(m *model) *state {
	s := newSearcher(m, 0)
	s.trial.copy(m.base)
	left := make([]int, len(r.laid))
	for i, l := range r.laid {
		left[i] = int(math.Round(r.X(l.v)))
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
		if p.eggs > 0 && p.young*x.sp.BroodPlaces <= s.trial.broodRoom(w.src, w.t) {
			s.trial.put(p)
		}
	}
	s.trial.dropSmall()
	s.spread()
	return s.trial
}
