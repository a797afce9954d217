package season

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	planner "metrogon/core/season"
	"metrogon/core/season/solve"
	"metrogon/core/species"
	"metrogon/farm/ahead"
	"metrogon/farm/snapshot"
	rows "metrogon/store/season"
)

// What a plan weighs, beside the price of a young: an egg set could have been sold or eaten,
// a setting is a morning's work, and fewer eggs than these are not worth one [common practice].
const (
	eggCost     = 0.15
	settingCost = 2.0
	usualPrice  = 4.0 // of one, where none is told
	leastDays   = 42
	changeCost  = 3.0 // of a setting that she expects and that is moved, dropped or new
)

// Ids of the planner's problem.
func penID(id int64) string     { return "pen-" + strconv.FormatInt(id, 10) }
func machineID(id int64) string { return "machine-" + strconv.FormatInt(id, 10) }
func orderID(id int64) string   { return "order-" + strconv.FormatInt(id, 10) }

// parcelID is a source of its own: eggs that came by post, laid on that date, which may be set
// once they have rested.
func parcelID(id int64, laid time.Time) string { return penID(id) + "-" + laid.Format("2006-01-02") }

// numberOf reads an id back.
func numberOf(id string) int64 {
	_, rest, _ := strings.Cut(id, "-")
	digits, _, _ := strings.Cut(rest, "-")
	n, _ := strconv.ParseInt(digits, 10, 64)
	return n
}

// layOf gives the pen and the lay date of eggs that a plan takes.
func layOf(source string, laid int, from time.Time) (pen int64, on time.Time) {
	if parts := strings.SplitN(source, "-", 3); len(parts) == 3 {
		on, _ = time.Parse("2006-01-02", parts[2])
		return numberOf(source), on
	}
	return numberOf(source), from.AddDate(0, 0, laid)
}

// problem makes the planner's problem of the farm: pins are the planned batches that stay
// where they are, the others that she expects are given back as accepted.
func (s *outlook) problem() (r *solve.Request, err error) {
	r = &solve.Request{Problem: planner.Problem{
		MinBatch: ahead.FewestEggs, EggCost: eggCost, SettingCost: settingCost, BrooderPlaces: s.BrooderPlaces(),
		Species: []planner.Species{}, Sources: []planner.Source{}, Machines: []planner.Machine{}, Orders: []planner.Order{},
	}}
	r.Days = s.horizon()
	s.Supply.Laid(s.Outlook, r.Days)
	s.Reserve()
	if err := s.addKinds(r); err != nil {
		return nil, err
	}
	s.addMachines(r)
	s.addAway(r)
	s.addOrders(r)
	eggs := s.Supply.Copy()
	s.addPlanned(r)
	s.addSources(r, eggs)
	s.addStanding(r)
	r.MinBatch = least(r)
	for _, b := range s.Book.Bans {
		s.addBan(r, b)
	}
	r.Words = s.words()
	r.Simulate = s.chance(r)
	return r, r.Check()
}

// horizon is up to the end of the last promise, six weeks at least.
func (s *outlook) horizon() int {
	last := leastDays
	for _, o := range s.Book.Orders {
		last = max(last, s.Day(o.ToOn)+1)
	}
	for _, p := range s.Ahead {
		last = max(last, s.Day(ahead.PullDay(s.W.Member, p.BatchView))+1)
	}
	return min(last, ahead.MostDays)
}

func (s *outlook) addKinds(r *solve.Request) error {
	for _, kind := range s.Kinds {
		lockdown, pull, err := s.Span(kind)
		if err != nil {
			return err
		}
		sp := planner.Species{
			ID: kind.ID, Lockdown: lockdown, Pull: pull, MaxAge: ahead.MaxAge(kind), BroodPlaces: kind.BroodPlaces.At,
			BroodDays: int(kind.BroodDays.At),
		}
		for age := range sp.MaxAge + 1 {
			sp.AgeFactor = append(sp.AgeFactor, s.Beliefs[kind.ID].Keeps(kind, age))
		}
		r.Species = append(r.Species, sp)
	}
	return nil
}

func (s *outlook) addMachines(r *solve.Request) {
	for _, x := range s.W.Machines {
		m := planner.Machine{
			ID: machineID(x.ID), Set: map[string]float64{}, Hatch: map[string]float64{}, CleanDays: x.CleanDays,
		}
		for _, kind := range s.Kinds {
			room := s.W.Rooms[x.ID][kind.ID]
			if room.Setting > 0 {
				m.Set[kind.ID] = float64(room.Setting)
			}
			if room.Hatching > 0 {
				m.Hatch[kind.ID] = float64(room.Hatching)
			}
		}
		if x.UntilOn != nil && x.UntilOn.Before(s.Today) && !s.used(x.ID) || len(m.Set)+len(m.Hatch) == 0 {
			continue
		}
		shut := func(from, to time.Time) { m.Closed = append(m.Closed, [2]int{s.Day(from), s.Day(to)}) }
		for _, c := range s.Book.Closures {
			if c.MachineID != x.ID {
				continue
			}
			to := s.Date(r.Days + 400)
			if c.ToOn != nil {
				to = *c.ToOn
			}
			shut(c.FromOn, to)
		}
		if x.UntilOn != nil {
			shut(x.UntilOn.AddDate(0, 0, 1), s.Date(r.Days+400).AddDate(0, 0, 1))
		}
		m.Closed = slices.DeleteFunc(m.Closed, func(c [2]int) bool { return c[1] < c[0] })
		r.Machines = append(r.Machines, m)
	}
}

// used tells that something stands in a machine, or is planned for it.
func (s *outlook) used(id int64) bool {
	return slices.ContainsFunc(s.Open, func(v snapshot.BatchView) bool { return v.SetterID == id || v.HatcherID == id }) ||
		slices.ContainsFunc(s.Ahead, func(p snapshot.Planned) bool { return p.SetterID == id || p.HatcherID == id })
}

func (s *outlook) addAway(r *solve.Request) {
	for _, a := range s.Book.Away {
		r.Away = append(r.Away, planner.Away{From: s.Day(a.FromOn), To: s.Day(a.ToOn), Not: a.Actions})
	}
}

// addOrders asks for as many young as make each promise as sure as it has to be, together
// worth what it is worth.
func (s *outlook) addOrders(r *solve.Request) {
	for _, o := range s.Book.Orders {
		over := o.ToOn.Before(s.Today) || o.Delivered >= o.Count
		if o.What == ahead.EggsOrder || over || s.Beliefs[o.Species].Young == nil {
			continue
		}
		q := planner.Order{
			ID: orderID(o.ID), Young: math.Round(100*s.Target(o)) / 100, PullFrom: s.Day(o.FromOn), PullTo: s.Day(o.ToOn),
		}
		price := usualPrice
		if o.Price != nil {
			price = *o.Price
		}
		q.Value = price * float64(o.Count-o.Delivered) / q.Young
		for _, p := range s.PensFor(o) {
			q.Sources = append(q.Sources, penID(p.ID))
			for _, l := range s.Supply[p.ID] {
				if id := parcelID(p.ID, l.On); l.Ready > l.Day && !slices.Contains(q.Sources, id) {
					q.Sources = append(q.Sources, id)
				}
			}
		}
		r.Orders = append(r.Orders, q)
	}
}

// addPlanned gives the planned batches: those that stay are pins, the others were agreed on; one
// that serves no promise and cannot stay is left to her.
// What is there of their eggs is taken first.
func (s *outlook) addPlanned(r *solve.Request) {
	for _, p := range s.Ahead {
		day := max(0, s.Day(p.SetOn))
		eggs := s.Supply.ForPlanned(s.Outlook, p, day)
		all := s.batches(p, day, eggs)
		switch {
		case mayMove(p, s.Loose):
			if r.Replan == nil {
				r.Replan = &solve.Replan{ChangeCost: changeCost}
			}
			r.Replan.Accepted = append(r.Replan.Accepted, all...)
		case !slices.Contains(s.Stuck, p.ID): // else its eggs are kept for it, and no more
			r.Fixed = append(r.Fixed, all...)
		}
	}
}

// batches are those of a planned batch as the planner knows them, a source each.
func (s *outlook) batches(p snapshot.Planned, day int, eggs []rows.PlannedEggs) (all []planner.Batch) {
	for _, e := range eggs {
		id, laid := s.source(e)
		at := slices.IndexFunc(all, func(b planner.Batch) bool { return b.Source == id })
		if at < 0 {
			at = len(all)
			all = append(all, planner.Batch{
				Source: id, SetDay: day, Setter: machineID(p.SetterID), Hatcher: machineID(p.HatcherID),
			})
		}
		all[at].Eggs = append(all[at].Eggs, planner.Lay{Laid: laid, Eggs: float64(e.Eggs)})
	}
	return all
}

// source is where eggs of a pen and lay date come from, and on which day they were laid as the
// planner counts: eggs that rest were as good as laid when they have rested.
func (s *outlook) source(e rows.PlannedEggs) (id string, laid int) {
	for _, l := range s.Supply[e.PenID] {
		if l.On.Equal(e.LaidOn) && l.Ready > l.Day {
			return parcelID(e.PenID, l.On), l.Ready
		}
	}
	return penID(e.PenID), s.Day(e.LaidOn)
}

func (s *outlook) addSources(r *solve.Request, eggs ahead.Supply) {
	for _, p := range s.W.Pens {
		if !slices.ContainsFunc(s.Kinds, func(k *species.Profile) bool { return k.ID == p.Species }) {
			continue
		}
		src := planner.Source{
			ID: penID(p.ID), Species: p.Species, Yield: s.Yield(p.ID), Kept: snapshot.KeptShare, Supply: []planner.Lay{},
		}
		var parcels []planner.Source
		for _, l := range eggs[p.ID] {
			if l.Ready <= l.Day {
				src.Supply = append(src.Supply, planner.Lay{Laid: l.Day, Eggs: float64(l.Eggs)})
				continue
			}
			one := src
			one.ID, one.Supply = parcelID(p.ID, l.On), []planner.Lay{{Laid: l.Ready, Eggs: float64(l.Eggs)}}
			parcels = append(parcels, one)
		}
		r.Sources = append(append(r.Sources, src), parcels...)
	}
}

// addStanding gives what stands in the machines, by pen. The planner knows what stands by its set
// day before day 0; what was set today is given as set yesterday, of a kind that takes a day more.
func (s *outlook) addStanding(r *solve.Request) {
	s.addBroods(r)
	for _, v := range s.Open {
		o, housed := s.Stands[v.ID], s.Housed(v.ID)
		for _, p := range s.W.Pens {
			eggs, young := float64(o.Eggs[p.ID]), o.ByPen[p.ID]
			in := min(young, housed)
			young, housed = young-in, housed-in
			if eggs == 0 {
				continue
			}
			if v.CandledAt != nil || v.LockedAt != nil { // these reach lockdown
				eggs /= snapshot.KeptShare
			}
			b := planner.Batch{
				Source: penID(p.ID), SetDay: s.Day(s.W.Member.Date(v.SetAt)), Setter: machineID(v.SetterID),
				Hatcher: machineID(v.HatcherID), Eggs: planner.Clutch{{Laid: 0, Eggs: math.Ceil(eggs)}}, Young: &young,
			}
			if b.SetDay >= 0 {
				b.SetDay, b.Source = -1, setToday(r, b.Source)
			}
			r.Fixed = joined(r.Fixed, b)
		}
	}
}

// nursery is a machine that holds no eggs: where young are said to have hatched that are in the brooders.
const nursery = "brooders"

// addBroods gives young that are in the brooders, as batches of which only the young are left: they take brooder
// room and nothing else.
func (s *outlook) addBroods(r *solve.Request) {
	for _, b := range s.Book.Broods {
		source := slices.IndexFunc(r.Sources, func(x planner.Source) bool {
			return x.Species == b.Species && (b.PenID == nil || x.ID == penID(*b.PenID))
		})
		kind := slices.IndexFunc(r.Species, func(x planner.Species) bool { return x.ID == b.Species })
		day := s.Day(b.BeganOn)
		if b.BrooderID == nil || source < 0 || kind < 0 || day+r.Species[kind].BroodDays <= 0 {
			continue
		}
		if !slices.ContainsFunc(r.Machines, func(m planner.Machine) bool { return m.ID == nursery }) {
			r.Machines = append(r.Machines, planner.Machine{
				ID: nursery, Set: map[string]float64{}, Hatch: map[string]float64{},
			})
		}
		young := float64(b.Alive)
		r.Fixed = append(r.Fixed, planner.Batch{
			Source: r.Sources[source].ID, SetDay: min(-1, day-r.Species[kind].Pull), Setter: nursery,
			Hatcher: nursery, Eggs: planner.Clutch{{Laid: 0, Eggs: 1}}, Young: &young,
		})
	}
}

// today marks a source and a kind of eggs that were set today.
const today = "-today"

// setToday gives the source of eggs that were set today: with its kind it is like the pen's, but
// that all comes a day later.
func setToday(r *solve.Request, id string) string {
	i := slices.IndexFunc(r.Sources, func(x planner.Source) bool { return x.ID == id })
	late := r.Sources[i]
	late.ID, late.Supply = id+today, []planner.Lay{}
	if slices.ContainsFunc(r.Sources, func(x planner.Source) bool { return x.ID == late.ID }) {
		return late.ID
	}
	kind := r.Species[slices.IndexFunc(r.Species, func(x planner.Species) bool { return x.ID == late.Species })]
	late.Species += today
	if !slices.ContainsFunc(r.Species, func(x planner.Species) bool { return x.ID == late.Species }) {
		of := kind.ID
		kind.ID, kind.Lockdown, kind.Pull = late.Species, kind.Lockdown+1, kind.Pull+1
		r.Species = append(r.Species, kind)
		for _, m := range r.Machines {
			for _, room := range []map[string]float64{m.Set, m.Hatch} {
				if n, ok := room[of]; ok {
					room[kind.ID] = n
				}
			}
		}
	}
	r.Sources = append(r.Sources, late)
	for i, o := range r.Orders {
		if slices.Contains(o.Sources, id) {
			r.Orders[i].Sources = append(o.Sources, late.ID)
		}
	}
	return late.ID
}

// least is the fewest eggs of a setting: no more than any that is pinned holds.
func least(r *solve.Request) float64 {
	sets := map[string]float64{}
	for _, b := range r.Fixed {
		if b.SetDay >= 0 {
			sets[fmt.Sprint(b.Setter, b.SetDay)] += b.Eggs.Count()
		}
	}
	fewest := float64(ahead.FewestEggs)
	for _, eggs := range sets {
		fewest = min(fewest, eggs)
	}
	return fewest
}

// joined adds a batch, or makes one with another of the same source, way and day.
func joined(all []planner.Batch, b planner.Batch) []planner.Batch {
	for i := range all {
		o := &all[i]
		if o.Source == b.Source && o.SetDay == b.SetDay && o.Setter == b.Setter && o.Hatcher == b.Hatcher {
			o.Eggs = append(o.Eggs, b.Eggs...)
			if b.Young != nil && o.Young != nil {
				sum := *o.Young + *b.Young
				o.Young = &sum
			}
			return all
		}
	}
	return append(all, b)
}

func (s *outlook) addBan(r *solve.Request, b rows.Ban) {
	from, to := s.Day(b.FromOn), s.Day(b.ToOn)
	for _, src := range r.Sources {
		if src.Species == b.Species {
			r.Forbidden = append(r.Forbidden, planner.Ban{
				Source: src.ID, Setter: machineID(b.MachineID), From: &from, To: &to,
			})
		}
	}
}

// words write the planner's sentences in the farm's names and dates.
func (s *outlook) words() planner.Words {
	return planner.Words{Day: s.Says, Name: func(id string) string { return s.name(id) }}
}

func (s *outlook) name(id string) string {
	what, _, _ := strings.Cut(id, "-")
	n := numberOf(id)
	switch what {
	case "pen":
		return s.W.PenByID[n].Name
	case "machine":
		if x, ok := s.W.MachineByID[n]; ok {
			return x.Name
		}
		return "the new machine"
	case "order":
		for _, o := range s.Book.Orders {
			if o.ID == n {
				return fmt.Sprintf("%s for %s", ahead.Thing(o, s.W.Kinds[o.Species]), o.Who)
			}
		}
	}
	if kind := s.W.Kinds[strings.TrimSuffix(id, today)]; kind != nil {
		return strings.ToLower(kind.Name)
	}
	return id
}

// chance is what is uncertain of a plan: each pen's belief, how batches differ, how laying
// does, and how many young of each promise have to be there for it to be kept.
func (s *outlook) chance(r *solve.Request) *solve.Chance {
	c := &solve.Chance{
		Runs: 2000, Posteriors: map[string]solve.Posterior{}, Needs: map[string]solve.Need{},
	}
	for _, src := range r.Sources {
		b := s.Beliefs[strings.TrimSuffix(src.Species, today)]
		y := b.Young[numberOf(src.ID)]
		c.Posteriors[src.ID], c.Rho = solve.Posterior{A: y.A, B: y.B}, max(c.Rho, min(b.Rho, .9))
	}
	c.LayingSpread = s.LayingSpread()
	for _, o := range s.Book.Orders {
		if slices.ContainsFunc(r.Orders, func(q planner.Order) bool { return q.ID == orderID(o.ID) }) {
			c.Needs[orderID(o.ID)] = solve.Need{
				Count: float64(o.Count - o.Delivered), Females: o.What == ahead.PulletsOrder,
			}
		}
	}
	return c
}
