package season

import (
	"cmp"
	"fmt"
	"math"
	"slices"
)

// Broken is a broken rule, by its number in docs/planning.md.
type Broken struct {
	Rule int
	Says string
}

// forbidden is the number of the rule that pins and bans add to the ten.
const forbidden = 11

// Limits hold to this share, and absolutely below 1.
const Tolerance = 1e-6

func within(used, limit float64) bool { return used <= limit+Tolerance*max(math.Abs(limit), 1) }

// Judge scores a plan and lists the rules that it breaks. It reads the plan as it
// is written, whoever made it; unknown ids break the rule of their kind. Batches of
// the problem that already stand are counted in; its pins (fixed, set day 0 or
// later) are asked for. What a standing batch gives to promises is read from the plan.
func (p *Problem) Judge(batches []Batch) (score float64, broken []Broken) {
	j := newJudge(p)
	standing := j.pins(batches)
	for i := range standing {
		j.batch(entry{Batch: standing[i], stands: true, no: i - len(standing) + 1})
	}
	n := 0
	for _, b := range batches {
		if b.SetDay < 0 && slices.ContainsFunc(standing, func(o Batch) bool { return SamePlace(o, b) }) {
			continue
		}
		n++
		j.batch(entry{Batch: b, no: n})
	}
	j.supply()
	j.settings()
	for i := range p.Machines {
		m := &p.Machines[i]
		turns, loads := j.turnsIn(m), j.loadsIn(m)
		j.setterRoom(m, turns)
		j.hatcherRoom(m, loads)
		j.lids(m, turns, loads)
		j.closed(m, turns, loads)
	}
	j.brooders()
	slices.SortStableFunc(j.broken, func(a, b Broken) int {
		return cmp.Or(cmp.Compare(a.Rule, b.Rule), cmp.Compare(a.Says, b.Says))
	})
	return j.score(), j.broken
}

// judge walks through a plan and gathers what its rules are about.
type judge struct {
	p        *Problem
	sources  map[string]*Source
	machines map[string]*Machine
	orders   map[string]*Order

	used     map[dayOf]float64 // eggs, by source and lay day
	set      map[dayOf]float64 // eggs, by machine and set day
	received map[string]float64
	eggs     float64

	turning, hatching, brooding []interval
	broken                      []Broken
}

// dayOf is a day of a source or a machine.
type dayOf struct {
	id  string
	day int
}

// interval is eggs or young that take room from one day to another, both ends included.
type interval struct {
	machine, species string
	from, to         int
	eggs, room       float64
	batch            int
}

// entry is a batch as it is judged.
type entry struct {
	Batch
	stands bool // in a machine already
	no     int  // in the plan, from 1; what stands comes before
	src    *Source
	sp     Species
	young  float64
}

func (e entry) who() string {
	return fmt.Sprintf("batch %d (%s, set on day %d)", e.no, e.Source, e.SetDay)
}

func newJudge(p *Problem) *judge {
	j := &judge{
		p: p, sources: map[string]*Source{}, machines: map[string]*Machine{}, orders: map[string]*Order{},
		used: map[dayOf]float64{}, set: map[dayOf]float64{}, received: map[string]float64{},
	}
	for i := range p.Sources {
		j.sources[p.Sources[i].ID] = &p.Sources[i]
	}
	for i := range p.Machines {
		j.machines[p.Machines[i].ID] = &p.Machines[i]
	}
	for i := range p.Orders {
		j.orders[p.Orders[i].ID] = &p.Orders[i]
	}
	return j
}

func (j *judge) bad(rule int, format string, args ...any) {
	j.broken = append(j.broken, Broken{rule, fmt.Sprintf(format, args...)})
}

// pins asks for the batches that are given, and returns those that stand already, with
// what the plan lets them give.
func (j *judge) pins(batches []Batch) (standing []Batch) {
	for _, b := range j.p.Fixed {
		if b.SetDay < 0 {
			b.Orders = nil
			for _, o := range batches {
				if SamePlace(o, b) {
					b.Orders = o.Orders
				}
			}
			standing = append(standing, b)
		} else if !slices.ContainsFunc(batches, func(o Batch) bool {
			return SamePlace(o, b) && o.Eggs.Count() >= b.Eggs.Count()-Tolerance
		}) {
			j.bad(forbidden, "the pin of %s, set on day %d, is missing", b.Source, b.SetDay)
		}
	}
	return standing
}

// batch judges one by itself, and notes what it takes and gives.
func (j *judge) batch(e entry) {
	if !e.stands {
		j.wholeEggs(e)
		j.bans(e)
	}
	if e.src = j.sources[e.Source]; e.src == nil {
		j.bad(1, "%s: there is no source %s", e.who(), e.Source)
	} else {
		e.sp, _ = j.p.SpeciesOf(e.src.Species)
		e.young = j.youngOf(e)
		if !e.stands {
			j.horizon(e)
			j.away(e)
		}
		j.brooding = append(j.brooding, interval{
			from: e.SetDay + e.sp.Pull, to: e.SetDay + e.sp.Pull + e.sp.BroodDays - 1, room: e.young * e.sp.BroodPlaces,
		})
	}
	j.turns(e)
	j.locks(e)
	j.gives(e)
}

// wholeEggs is the part of rule 1 that every batch of the plan keeps by itself.
func (j *judge) wholeEggs(e entry) {
	for _, l := range e.Eggs {
		if l.Eggs < 0 {
			j.bad(1, "%s: %v eggs of lay day %d", e.who(), l.Eggs, l.Laid)
		} else if l.Eggs != math.Floor(l.Eggs) {
			j.bad(1, "%s: %v eggs of lay day %d is not a whole number", e.who(), l.Eggs, l.Laid)
		}
		j.used[dayOf{e.Source, l.Laid}] += l.Eggs
	}
	count := e.Eggs.Count()
	if count <= 0 {
		j.bad(1, "%s holds no eggs", e.who())
	}
	j.eggs += count
	j.set[dayOf{e.Setter, e.SetDay}] += count
}

// bans sees that nothing forbidden is done, but for pins.
func (j *judge) bans(e entry) {
	pinned := slices.ContainsFunc(j.p.Fixed, func(f Batch) bool { return SamePlace(f, e.Batch) })
	if !pinned && slices.ContainsFunc(j.p.Forbidden, func(f Ban) bool {
		return f.Hits(e.Source, e.Setter, e.Hatcher, e.SetDay)
	}) {
		j.bad(forbidden, "%s is forbidden", e.who())
	}
}

// youngOf is what a batch gives, by the ages of its eggs, which rule 1 bounds.
func (j *judge) youngOf(e entry) (young float64) {
	if e.stands {
		return *e.Young
	}
	for _, l := range e.Eggs {
		age := e.SetDay - l.Laid
		switch {
		case l.Eggs == 0:
		case age < 0 || age > e.sp.MaxAge:
			j.bad(
				1, "%s: eggs of lay day %d are %d days old at set, 0 … %d are allowed",
				e.who(), l.Laid, age, e.sp.MaxAge,
			)
		default:
			young += l.Eggs * e.src.Yield * e.sp.AgeFactor[age]
		}
	}
	return young
}

// horizon is rule 0.
func (j *judge) horizon(e entry) {
	switch pull := e.SetDay + e.sp.Pull; {
	case e.SetDay < 0 || e.SetDay >= j.p.Days:
		j.bad(0, "%s: set day %d lies outside 0 … %d", e.who(), e.SetDay, j.p.Days-1)
	case pull >= j.p.Days:
		j.bad(0, "%s: pull day %d lies after the last day %d", e.who(), pull, j.p.Days-1)
	}
}

// away is rule 8.
func (j *judge) away(e entry) {
	for k, d := range []int{e.SetDay, e.SetDay + e.sp.Lockdown, e.SetDay + e.sp.Pull} {
		if a, gone := j.p.AwayOn(Actions[k], d); gone {
			j.bad(8, "%s: %s falls on day %d, away from day %d to %d", e.who(), Actions[k], d, a.From, a.To)
		}
	}
}

// turns notes where a batch turns, and whether it may there: rule 3.
func (j *judge) turns(e entry) {
	setter := j.machines[e.Setter]
	switch {
	case setter == nil:
		j.bad(3, "%s: there is no machine %s", e.who(), e.Setter)
	case e.src == nil:
	default:
		if !(setter.Set[e.src.Species] > 0) {
			j.bad(3, "%s: machine %s does not set %s", e.who(), e.Setter, e.src.Species)
		}
		if lock := e.SetDay + e.sp.Lockdown; lock > e.SetDay {
			j.turning = append(j.turning, interval{e.Setter, e.src.Species, e.SetDay, lock - 1, e.Eggs.Count(), 0, e.no})
		}
	}
}

// locks notes where a batch hatches, and whether it may there: rule 5.
func (j *judge) locks(e entry) {
	hatcher := j.machines[e.Hatcher]
	switch {
	case hatcher == nil:
		j.bad(5, "%s: there is no machine %s", e.who(), e.Hatcher)
	case e.src == nil:
	default:
		share, room := 0.0, hatcher.Hatch[e.src.Species]
		if room > 0 {
			share = e.Eggs.Count() * e.src.Kept / room
		} else {
			j.bad(5, "%s: machine %s does not hatch %s", e.who(), e.Hatcher, e.src.Species)
		}
		j.hatching = append(j.hatching, interval{
			e.Hatcher, e.src.Species, e.SetDay + e.sp.Lockdown, e.SetDay + e.sp.Pull, 0, share, e.no,
		})
	}
}

// gives is rule 10: what a batch gives to promises.
func (j *judge) gives(e entry) {
	given := 0.0
	for _, g := range e.Orders {
		if g.Young < 0 {
			j.bad(10, "%s: gives %v young to order %s", e.who(), g.Young, g.Order)
			continue
		}
		given += g.Young
		o := j.orders[g.Order]
		if o == nil {
			j.bad(10, "%s: there is no order %s", e.who(), g.Order)
			continue
		}
		j.received[g.Order] += g.Young
		if !slices.Contains(o.Sources, e.Source) {
			j.bad(10, "%s: order %s does not take young of %s", e.who(), g.Order, e.Source)
		}
		if pull := e.SetDay + e.sp.Pull; e.src != nil && (pull < o.PullFrom || pull > o.PullTo) {
			j.bad(
				10, "%s: pulled on day %d, outside the window %d … %d of order %s",
				e.who(), pull, o.PullFrom, o.PullTo, g.Order,
			)
		}
	}
	if e.src != nil && !within(given, e.young) {
		j.bad(10, "%s: gives %.6g young, has %.6g", e.who(), given, e.young)
	}
}

// supply is the rest of rule 1: no more eggs than were laid.
func (j *judge) supply() {
	for _, s := range j.p.Sources {
		supply := map[int]float64{}
		for _, l := range s.Supply {
			supply[l.Laid] += l.Eggs
		}
		for d, n := range j.used {
			if d.id == s.ID && !within(n, supply[d.day]) {
				j.bad(1, "source %s: %.6g eggs of lay day %d used, %.6g in supply", s.ID, n, d.day, supply[d.day])
			}
		}
	}
}

// settings is rule 2.
func (j *judge) settings() {
	for s, n := range j.set {
		if n < j.p.MinBatch*(1-Tolerance) {
			j.bad(
				2, "machine %s: the setting of day %d holds %.6g eggs, at least %.6g are needed",
				s.id, s.day, n, j.p.MinBatch,
			)
		}
	}
}

func (j *judge) turnsIn(m *Machine) (turns []interval) {
	for _, x := range j.turning {
		if x.machine == m.ID {
			turns = append(turns, x)
		}
	}
	return turns
}

// loadsIn joins what goes into lockdown in a machine on one day: a load, whose lid stays
// shut until its last pull.
func (j *judge) loadsIn(m *Machine) (loads []interval) {
	for _, x := range j.hatching {
		if x.machine != m.ID {
			continue
		}
		i := slices.IndexFunc(loads, func(l interval) bool { return l.from == x.from })
		if i < 0 {
			loads = append(loads, interval{from: x.from, to: x.to, room: x.room})
			continue
		}
		loads[i].to = max(loads[i].to, x.to)
		loads[i].room += x.room
	}
	slices.SortFunc(loads, func(a, b interval) int { return cmp.Compare(a.from, b.from) })
	return loads
}

// setterRoom is rule 3: a machine is fullest on a day on which something is set.
func (j *judge) setterRoom(m *Machine, turns []interval) {
	for _, x := range turns {
		full := 0.0
		for _, y := range turns {
			if y.from <= x.from && x.from <= y.to && m.Set[y.species] > 0 {
				full += y.eggs / m.Set[y.species]
			}
		}
		if !within(full, 1) {
			j.bad(3, "machine %s: %.6g times full on day %d", m.ID, full, x.from)
		}
	}
}

// hatcherRoom is rule 5.
func (j *judge) hatcherRoom(m *Machine, loads []interval) {
	for _, l := range loads {
		if !within(l.room, 1) {
			j.bad(5, "machine %s: the load of day %d is %.6g times full", m.ID, l.from, l.room)
		}
	}
}

// lids is rules 4 and 6: loads never overlap, the machine stands empty while it is
// cleaned, and nothing turns under a shut lid.
func (j *judge) lids(m *Machine, turns, loads []interval) {
	for i, l := range loads {
		for _, before := range loads[:i] {
			if l.from <= before.to {
				j.bad(4, "machine %s: loads of day %d and %d overlap", m.ID, before.from, l.from)
			} else if l.from <= before.to+m.CleanDays {
				j.bad(
					4, "machine %s: load of day %d begins while the load pulled on day %d is cleaned up",
					m.ID, l.from, before.to,
				)
			}
		}
		for _, x := range turns {
			if x.from <= l.to && x.to >= l.from {
				j.bad(
					6, "machine %s: batch %d turns on day %d to %d, a load stands from day %d to %d",
					m.ID, x.batch, x.from, x.to, l.from, l.to,
				)
			} else if l.to < x.from && x.from <= l.to+m.CleanDays {
				j.bad(
					4, "machine %s: batch %d is set on day %d while the load pulled on day %d is cleaned up",
					m.ID, x.batch, x.from, l.to,
				)
			}
		}
	}
}

// closed is rule 7.
func (j *judge) closed(m *Machine, turns, loads []interval) {
	for _, c := range m.Closed {
		for _, x := range turns {
			if x.from <= c[1] && x.to >= c[0] {
				j.bad(
					7, "machine %s: batch %d turns on day %d to %d, closed from day %d to %d",
					m.ID, x.batch, x.from, x.to, c[0], c[1],
				)
			}
		}
		for _, l := range loads {
			if l.from <= c[1] && l.to >= c[0] {
				j.bad(
					7, "machine %s: a load stands from day %d to %d, closed from day %d to %d",
					m.ID, l.from, l.to, c[0], c[1],
				)
			}
		}
	}
}

// brooders is rule 9: they are fullest on a day on which young come in.
func (j *judge) brooders() {
	for _, x := range j.brooding {
		at, places := max(x.from, 0), 0.0
		for _, y := range j.brooding {
			if y.from <= at && at <= y.to {
				places += y.room
			}
		}
		if x.to >= at && !within(places, j.p.BrooderPlaces) {
			j.bad(9, "brooder: %.6g places taken on day %d, there are %.6g", places, at, j.p.BrooderPlaces)
		}
	}
}

func (j *judge) score() (score float64) {
	for id, young := range j.received {
		score += j.orders[id].Value * min(j.orders[id].Young, young)
	}
	return score - (j.p.EggCost*j.eggs + j.p.SettingCost*float64(len(j.set)))
}

func SamePlace(a, b Batch) bool {
	return a.Source == b.Source && a.SetDay == b.SetDay && a.Setter == b.Setter && a.Hatcher == b.Hatcher
}

func (p *Problem) AwayOn(action string, day int) (Away, bool) {
	for _, a := range p.Away {
		if day >= a.From && day <= a.To && slices.Contains(a.Not, action) {
			return a, true
		}
	}
	return Away{}, false
}
