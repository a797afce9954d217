package breeders

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"

	"metrogon/core/rates"
	"metrogon/core/rates/regress"
	"metrogon/farm"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
)

// Mover is something that may move hatch.
type Mover struct {
	ID, Name string
	Unit     string // of a number: what one step of it is; "" for groups
	number   func(s *scene, f *lineage.Fact) (float64, bool)
	level    func(s *scene, f *lineage.Fact) string // "" where it is not known
}

// Movers lists them in the order in which they are offered.
var Movers = []Mover{
	{"age", "Days stored", "a day", func(s *scene, f *lineage.Fact) (float64, bool) { return float64(f.Age), true }, nil},
	{"shipped", "Shipped or own", "", nil, func(s *scene, f *lineage.Fact) string {
		if s.w.PenByID[f.PenID].Supplier {
			return "shipped"
		}
		return "own"
	}},
	{"machine", "Setter", "", nil, dimensionLevel("machine")},
	{"place", "Place on the tray", "", nil, dimensionLevel("place")},
	{"pen", "Pen", "", nil, dimensionLevel("pen")},
	{"sire", "Sire", "", nil, func(s *scene, f *lineage.Fact) string {
		if key := sireKey(s, f); key != "" && key[0] != '~' {
			return sireLabel(s, key)
		}
		return ""
	}},
	{"washing", "Treatment of shells", "", nil, func(s *scene, f *lineage.Fact) string { return f.Washing }},
	{"henage", "Hens’ age", "a year", henAge, nil},
	{"season", "Season", "", nil, func(s *scene, f *lineage.Fact) string {
		return [4]string{"winter", "spring", "summer", "autumn"}[int(f.SetOn.Month())%12/3]
	}},
	{"year", "Year", "", nil, func(s *scene, f *lineage.Fact) string { return strconv.Itoa(f.SetOn.Year()) }},
}

// dimensionLevel reads a group by a dimension, named as it is shown.
func dimensionLevel(id string) func(s *scene, f *lineage.Fact) string {
	d := DimensionOf(id)
	return func(s *scene, f *lineage.Fact) string {
		key := d.key(s, f)
		if key == "" {
			return ""
		}
		name, known := s.labels[id+key]
		if !known {
			name = s.label(d, key)
			s.labels[id+key] = name
		}
		return name
	}
}

// henAge is how old the hen was in years when she laid, or on the mean the hens with a hatch date of
// her pen.
func henAge(s *scene, f *lineage.Fact) (years float64, known bool) {
	sum, n := 0.0, 0.0
	for _, stay := range s.facts.Flock.Stays {
		if stay.PenID != f.PenID || stay.Sex != lineage.Female || f.Dam != 0 && stay.BirdID != f.Dam ||
			f.LaidOn.Before(stay.FromOn) || stay.UntilOn != nil && f.LaidOn.After(*stay.UntilOn) {
			continue
		}
		if b := s.facts.Flock.Birds[stay.BirdID]; b.HatchedOn != nil {
			sum += lineage.AgeYears(b, f.LaidOn)
			n++
		}
	}
	return sum / max(n, 1), n > 0
}

// Effect is how one thing moves the rate, all others being equal.
type Effect struct {
	Name        string
	Odds        float64 // times
	Low, High   float64 // 19 times in 20
	Eggs        int
	Sure        bool // the span does not hold 1
	Unknown     string
	Against     string  // the level it is compared with
	Points      float64 // the same as points of the rate, over the eggs looked at
	LowP, HighP float64
}

// Moves is what moves hatch on a farm.
type Moves struct {
	Query
	Kinds   []Kept
	Movers  []Mover  // that can be asked for
	On      []string // that were asked for
	Rate    string
	Eggs    int
	LeftOut int // eggs of which something asked for is not known
	Batches int
	Groups  []MoverEffects
	Says    []string // what is to be minded
	WhatIf  *WhatIf
}

// MoverEffects are the effects of one mover.
type MoverEffects struct {
	Mover
	Effects []Effect
}

// WhatIf is a change of one thing, for so many eggs.
type WhatIf struct {
	On, From, To string // as it was typed
	Eggs         int
	Young        float64
	Low, High    float64
	Problem      string
}

// Moved asks what moves hatch.
func (b *Service) Moved(ctx context.Context, m *farm.Member, q Query, on []string, w *WhatIf) (all Moves, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		s, err := newScene(ctx, tx, q)
		if err != nil {
			return err
		}
		all = s.moves(q, on, w)
		return nil
	})
	return all, err
}

// Eggs are few below these: of the whole, of a level; and so are batches [common practice].
const (
	fewEggs    = 60
	fewOfLevel = 10
	fewBatches = 10
)

func (s *scene) moves(q Query, on []string, w *WhatIf) Moves {
	all := Moves{Query: q, Kinds: s.kinds(), Rate: q.Rate, WhatIf: w}
	if len(all.Kinds) == 0 {
		return all
	}
	if !slices.ContainsFunc(all.Kinds, func(k Kept) bool { return k.ID == q.Kind }) {
		q.Kind = all.Kinds[0].ID
	}
	if RateNames[q.Rate] == "" {
		q.Rate = HatchOfSet
	}
	all.Query, all.Rate = q, q.Rate
	s.labels = map[string]string{}
	rows := s.chosen(q)
	all.offer(s, rows)
	for _, m := range all.Movers {
		if slices.Contains(on, m.ID) {
			all.On = append(all.On, m.ID)
		}
	}
	d, asked := all.data(s, rows)
	fit, err := regress.Logistic(d)
	if errors.Is(err, regress.ErrTooLittle) {
		all.Says = append(all.Says, "There are not enough eggs yet of which some hatched and some did not.")
		return all
	}
	all.Batches = fit.Clusters
	all.tell(d, fit, asked)
	all.warn(fit)
	all.whatIf(d, fit, asked)
	return all
}

// offer lists what can be asked: what is known of at least half of the eggs and is not the same of
// them all.
func (m *Moves) offer(s *scene, rows []*lineage.Fact) {
	for _, x := range Movers {
		eggs, known := 0, 0
		values := map[string]bool{}
		for _, f := range rows {
			eggs += f.Eggs
			if v, ok := x.value(s, f); ok {
				known += f.Eggs
				values[v] = true
			}
		}
		if 2*known >= eggs && len(values) > 1 {
			m.Movers = append(m.Movers, x)
		}
	}
}

// value of a mover in words, where it is known.
func (x Mover) value(s *scene, f *lineage.Fact) (string, bool) {
	if x.level != nil {
		v := x.level(s, f)
		return v, v != ""
	}
	n, ok := x.number(s, f)
	return strconv.FormatFloat(n, 'g', 6, 64), ok
}

// data lays out the eggs of batches that are done, as far as all that is asked for is known of them;
// eggs that were counted together with others of which it is not the same are left out.
func (m *Moves) data(s *scene, rows []*lineage.Fact) (d regress.Data, asked []Mover) {
	for _, x := range m.Movers {
		if slices.Contains(m.On, x.ID) {
			asked = append(asked, x)
			d.Factors = append(d.Factors, regress.Factor{Name: x.Name})
		}
	}
	for len(rows) > 0 {
		key := snapshot.GroupKey{PenID: rows[0].PenID, BatchID: rows[0].BatchID}
		n := 0
		for n < len(rows) && rows[n].PenID == key.PenID && rows[n].BatchID == key.BatchID {
			n++
		}
		for _, lot := range alike(s, rows[:n], asked) {
			told, _ := s.facts.Told(s.w, lot)
			c := rates.Count{}
			if len(told) > 0 {
				c = countOf(told[0], m.Rate)
			}
			if c.N == 0 || !m.put(s, &d, lot[0], asked, c) {
				for _, f := range lot {
					if f.Batch.Closed {
						m.LeftOut += f.Eggs
					}
				}
			}
		}
		rows = rows[n:]
	}
	return d, asked
}

// alike parts eggs of one pen in one batch by what is asked for.
func alike(s *scene, rows []*lineage.Fact, asked []Mover) (lots [][]*lineage.Fact) {
	at := map[string]int{}
	for _, f := range rows {
		key := ""
		for _, x := range asked {
			v, _ := x.value(s, f)
			key += v + "\x00"
		}
		i, ok := at[key]
		if !ok {
			i = len(lots)
			at[key] = i
			lots = append(lots, nil)
		}
		lots[i] = append(lots[i], f)
	}
	return lots
}

// put adds a row of eggs, unless something of it is not known.
func (m *Moves) put(s *scene, d *regress.Data, f *lineage.Fact, asked []Mover, c rates.Count) bool {
	for _, x := range asked {
		if _, known := x.value(s, f); !known {
			return false
		}
	}
	for i, x := range asked {
		if x.level != nil {
			d.Factors[i].Levels = append(d.Factors[i].Levels, x.level(s, f))
			continue
		}
		v, _ := x.number(s, f)
		d.Factors[i].Numbers = append(d.Factors[i].Numbers, v)
	}
	d.K, d.N = append(d.K, min(c.K, c.N)), append(d.N, c.N)
	d.Cluster = append(d.Cluster, f.BatchID)
	m.Eggs += int(c.N + .5)
	return true
}

// tell puts the fit into what is shown.
func (m *Moves) tell(d regress.Data, fit *regress.Fit, asked []Mover) {
	for i, x := range asked {
		of := MoverEffects{Mover: x}
		against := ""
		if x.level != nil {
			against = d.Factors[i].All()[0]
		}
		for _, c := range fit.Coefficients {
			if c.Factor != i {
				continue
			}
			e := Effect{Name: x.Name, Eggs: int(c.Eggs + .5), Against: against}
			from, to := regress.Value{Number: 0}, regress.Value{Number: 1}
			if c.Level != "" {
				e.Name, from, to = c.Level, regress.Value{Level: against}, regress.Value{Level: c.Level}
			}
			switch {
			case slices.Contains(fit.Aliased, c.Name):
				e.Unknown = "always goes together with another, so that the two cannot be told apart"
			case !c.Known():
				e.Unknown = "all of its eggs hatched, or none: how much it does cannot be told"
			default:
				half := fit.Times() * c.StdError
				e.Odds, e.Low, e.High = math.Exp(c.Estimate), math.Exp(c.Estimate-half), math.Exp(c.Estimate+half)
				e.Sure = e.Low > 1 || e.High < 1
				change := fit.Change(d, i, from, to)
				e.Points, e.LowP, e.HighP = 100*change.By, 100*change.Low, 100*change.High
			}
			of.Effects = append(of.Effects, e)
		}
		if len(of.Effects) == 0 {
			of.Effects = []Effect{{Name: against, Eggs: m.Eggs, Unknown: "the same for all of these eggs: nothing to compare"}}
		}
		m.Groups = append(m.Groups, of)
	}
}

// warn says what is to be minded before anything is concluded.
func (m *Moves) warn(fit *regress.Fit) {
	if m.Eggs < fewEggs {
		m.Says = append(m.Says, fmt.Sprintf("Only %d eggs: what is drawn here may be chance alone.", m.Eggs))
	}
	if m.Batches < fewBatches {
		m.Says = append(m.Says, fmt.Sprintf("Only %s: how far batches differ is hardly known, so that the "+
			"bars are wide, and still too sure.", batches(m.Batches)))
	}
	for _, name := range fit.Separated {
		m.Says = append(m.Says, fmt.Sprintf("%s: in one of its groups all eggs hatched, or none. How much it does "+
			"cannot be told from these eggs.", name))
	}
	if n := len(fit.Coefficients); n > 1 && m.Eggs < 10*n {
		m.Says = append(m.Says, "So many things are asked of so few eggs that each is known badly. Ask for fewer.")
	}
}

func batches(n int) string {
	if n == 1 {
		return "1 batch"
	}
	return fmt.Sprintf("%d batches", n)
}

// whatIf reckons a change of one thing, over the eggs as they were.
func (m *Moves) whatIf(d regress.Data, fit *regress.Fit, asked []Mover) {
	w := m.WhatIf
	if w == nil || w.On == "" {
		m.suggest(d, asked)
		return
	}
	i := slices.IndexFunc(asked, func(x Mover) bool { return x.ID == w.On })
	if i < 0 {
		w.Problem = "Tick it above, so that it is looked at."
		return
	}
	from, problem := valueOf(asked[i], d.Factors[i], w.From)
	to, other := valueOf(asked[i], d.Factors[i], w.To)
	if w.Problem = problem + other; w.Problem != "" {
		return
	}
	c := fit.Change(d, i, from, to)
	if !c.Known() {
		w.Problem = "That cannot be told from these eggs."
		return
	}
	n := float64(w.Eggs)
	w.Young, w.Low, w.High = n*c.By, n*c.Low, n*c.High
}

// suggest fills in a change to ask for: from the most to the least, or from one group to another.
func (m *Moves) suggest(d regress.Data, asked []Mover) {
	if m.WhatIf == nil || len(asked) == 0 {
		return
	}
	if x := d.Factors[0]; asked[0].level == nil {
		m.WhatIf.From, m.WhatIf.To = fmt.Sprintf("%.3g", slices.Max(x.Numbers)), fmt.Sprintf("%.3g", slices.Min(x.Numbers))
		return
	}
	all := d.Factors[0].All()
	m.WhatIf.From, m.WhatIf.To = all[0], all[len(all)-1]
}

// valueOf reads what was typed: a number within what was seen, or a group.
func valueOf(x Mover, f regress.Factor, typed string) (v regress.Value, problem string) {
	if x.level != nil {
		if !slices.Contains(f.Levels, typed) {
			return v, fmt.Sprintf("%q is none of the groups. ", typed)
		}
		return regress.Value{Level: typed}, ""
	}
	if _, err := fmt.Sscanf(typed, "%g", &v.Number); err != nil || math.IsNaN(v.Number) {
		return v, fmt.Sprintf("%q is no number. ", typed)
	}
	if lo, hi := slices.Min(f.Numbers), slices.Max(f.Numbers); v.Number < lo || v.Number > hi {
		return v, fmt.Sprintf("%s was from %.3g to %.3g so far; beyond that nothing is known. ", x.Name, lo, hi)
	}
	return v, ""
}
