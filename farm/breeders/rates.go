// Package breeders tells whose eggs hatch and how sure that is: rates by anything that is known of
// eggs, whether a difference is real, what moves hatch, and what follows of it.
package breeders

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/breeding"
	"metrogon/core/rates"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	breedersrows "metrogon/store/breeders"
)

// Service holds the use cases.
type Service struct{ *farm.Service }

// Query says of which eggs rates are told, and by what.
type Query struct {
	Kind     string // species; "": the one with the most eggs
	By       string // a dimension's ID
	Rate     string // "fertility", "fertile" (hatch of fertile) or "set" (hatch of set)
	From, To time.Time
	Only     map[string]string // by dimension, the one group that is looked at
	Compare  []string          // keys of groups that are compared
}

// The three rates.
const (
	Fertility      = "fertility"
	HatchOfFertile = "fertile"
	HatchOfSet     = "set"
)

// RateNames name the rates as they are always shown.
var RateNames = map[string]string{
	Fertility: "Fertility", HatchOfFertile: "Hatch of fertile", HatchOfSet: "Hatch of set",
}

// Deaths are the fertile eggs that did not hatch, of batches that are done.
type Deaths struct{ Early, Middle, Late, Pipped, Later, NotTold int }

// All of them.
func (d Deaths) All() int { return d.Early + d.Middle + d.Late + d.Pipped + d.Later + d.NotTold }

// Row is one group with its rates.
type Row struct {
	Key, Label string
	Aside      bool // shown, and compared with nothing
	Eggs       int
	Batches    int
	LeftOut    int // eggs that tell nothing of hatch, since young were counted of them with others
	snapshot.Rates
	Deaths  Deaths
	Points  float64 // that its batches differ by, in the rate asked for; 0: fewer than three
	Periods []Period
	Changes []breeding.Change // of the male, of a pen
	told    []snapshot.Told
	rows    []*lineage.Fact
}

func rateOf(r snapshot.Rates, name string) snapshot.Rate {
	switch name {
	case Fertility:
		return r.Fertility
	case HatchOfFertile:
		return r.HatchOfFertile
	}
	return r.HatchOfSet
}

func countOf(t snapshot.Told, name string) rates.Count {
	switch name {
	case Fertility:
		return t.Fertility
	case HatchOfFertile:
		return t.HatchOfFertile
	}
	return t.HatchOfSet
}

// Period is a part of the time looked at, with the rate asked for.
type Period struct {
	From, To time.Time
	snapshot.Rate
}

// Kept is a kind of which eggs were set.
type Kept struct {
	*species.Profile
	Eggs int
}

// Table is rates by something.
type Table struct {
	Query
	Dimension
	Kinds    []Kept // those with the most eggs first
	Kind     *species.Profile
	Rows     []Row
	Mean     [3]float64 // of the groups: fertility, hatch of fertile, hatch of set; 0: not known
	Eggs     int        // of all groups
	LeftOut  int        // eggs that the dimension tells nothing of
	First    time.Time  // the first and the last day of setting among them
	Last     time.Time
	Step     string // of the periods: month, quarter or year
	Compared *Compared
	Narrowed []Narrowed   // by which the eggs are narrowed down
	Spread   rates.Spread // between batches, in the rate asked for
}

// Narrowed is a group that alone is looked at.
type Narrowed struct {
	Dimension
	Key, Label string
}

// scene is what keys and labels are read from.
type scene struct {
	w        *snapshot.Snapshot
	facts    *lineage.Facts
	baskets  map[snapshot.GroupKey]string
	candlers map[int64]string
	labels   map[string]string // of groups, once they were asked for
}

// Rates tells rates by a dimension.
func (b *Service) Rates(ctx context.Context, m *farm.Member, q Query) (t Table, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		s, err := newScene(ctx, tx, q)
		if err != nil {
			return err
		}
		t = s.table(q)
		return nil
	})
	return t, err
}

func newScene(ctx context.Context, tx *farm.Tx, q Query) (*scene, error) {
	w, err := snapshot.Of(ctx, tx)
	if err != nil {
		return nil, err
	}
	s := &scene{w: w}
	if s.facts, err = lineage.ReadFacts(ctx, tx, w); err != nil {
		return nil, err
	}
	uses := func(id string) bool { return q.By == id || q.Only[id] != "" }
	if uses("basket") {
		names, err := breedersrows.On(tx).BasketNames(ctx)
		if err != nil {
			return nil, err
		}
		s.baskets = map[snapshot.GroupKey]string{}
		for _, n := range names {
			s.baskets[snapshot.GroupKey{PenID: n.PenID, BatchID: n.BatchID}] = n.Name
		}
	}
	if uses("candler") {
		err = s.readCandlers(ctx, tx)
	}
	return s, err
}

// readCandlers reads who candled each batch: who made at least nine in ten of its calls.
func (s *scene) readCandlers(ctx context.Context, tx *farm.Tx) error {
	all, err := breedersrows.On(tx).Candlers(ctx)
	if err != nil {
		return err
	}
	calls := map[int64]int{}
	for _, c := range all {
		calls[c.BatchID] += c.Calls
	}
	s.candlers = map[int64]string{}
	for _, c := range all { // those with the most calls of a batch first
		if _, told := s.candlers[c.BatchID]; told {
			continue
		}
		s.candlers[c.BatchID] = c.Who
		if 10*c.Calls < 9*calls[c.BatchID] {
			s.candlers[c.BatchID] = "several people"
		}
	}
	return nil
}

// kinds lists those of which eggs were set, the one with the most first.
func (s *scene) kinds() (all []Kept) {
	for id, n := range s.facts.Eggs {
		if kind := s.w.Kinds[id]; kind != nil {
			all = append(all, Kept{kind, n})
		}
	}
	slices.SortFunc(all, func(a, b Kept) int {
		if a.Eggs != b.Eggs {
			return b.Eggs - a.Eggs
		}
		return snapshot.CompareKinds(a.Profile, b.Profile)
	})
	return all
}

// chosen gives the eggs that are asked for: of one kind, set within days, of one group of any
// dimension.
func (s *scene) chosen(q Query) (rows []*lineage.Fact) {
	only := map[*Dimension]string{}
	for i := range Dimensions {
		if key := q.Only[Dimensions[i].ID]; key != "" {
			only[&Dimensions[i]] = key
		}
	}
	for _, f := range s.facts.ByKind[q.Kind] {
		if !q.From.IsZero() && f.SetOn.Before(q.From) || !q.To.IsZero() && f.SetOn.After(q.To) {
			continue
		}
		fits := true
		for d, key := range only {
			fits = fits && d.key(s, f) == key
		}
		if fits {
			rows = append(rows, f)
		}
	}
	return rows
}

// table tells rates, over time as well, and compares what was picked.
func (s *scene) table(q Query) Table {
	t := s.groups(q)
	t.time(s)
	t.Spread = s.spread(t.Query.Rate)
	t.compare(s)
	return t
}

// groups tells the rates of each group.
func (s *scene) groups(q Query) Table {
	t := Table{Query: q, Dimension: DimensionOf(q.By), Kinds: s.kinds()}
	t.Query.By = t.Dimension.ID
	if RateNames[q.Rate] == "" {
		t.Query.Rate = HatchOfSet
	}
	if len(t.Kinds) == 0 {
		return t
	}
	if !slices.ContainsFunc(t.Kinds, func(k Kept) bool { return k.ID == q.Kind }) {
		t.Query.Kind = t.Kinds[0].ID
	}
	t.Kind = s.w.Kinds[t.Query.Kind]
	for _, d := range Dimensions {
		if key := q.Only[d.ID]; key != "" {
			t.Narrowed = append(t.Narrowed, Narrowed{d, key, s.label(d, key)})
		}
	}
	at := map[string]int{}
	for _, f := range s.chosen(t.Query) {
		t.add(s, f, at)
	}
	for i := range t.Rows {
		s.fill(&t, &t.Rows[i])
	}
	slices.SortStableFunc(t.Rows, func(a, b Row) int { return before(t.Dimension, a, b) })
	t.pool()
	return t
}

// label names a group; one that is not known, made up in an address, by its key.
func (s *scene) label(d Dimension, key string) string { return cmp.Or(d.label(s, key), key) }

// add puts eggs into their group, at its place among the rows.
func (t *Table) add(s *scene, f *lineage.Fact, at map[string]int) {
	key := t.Dimension.key(s, f)
	if key == "" {
		t.LeftOut += f.Eggs
		return
	}
	i, known := at[key]
	if !known {
		i = len(t.Rows)
		at[key] = i
		t.Rows = append(t.Rows, Row{Key: key, Label: s.label(t.Dimension, key), Aside: key[0] == '~'})
	}
	t.Rows[i].rows = append(t.Rows[i].rows, f)
	t.Eggs += f.Eggs
	if t.First.IsZero() { // the oldest come first
		t.First = f.SetOn
	}
	t.Last = f.SetOn
}

// fill tells what the eggs of a group did.
func (s *scene) fill(t *Table, r *Row) {
	r.told, r.LeftOut = s.facts.Told(s.w, r.rows)
	r.Rates = s.facts.Ledger.Rates(r.told)
	last := int64(0)
	for _, f := range r.rows { // those of a batch lie together
		r.Eggs += f.Eggs
		r.Batches += farm.OneIf(f.BatchID != last)
		last = f.BatchID
		if !f.Batch.Closed {
			continue
		}
		d := &r.Deaths
		d.Early, d.Middle, d.Late = d.Early+f.Early, d.Middle+f.Middle, d.Late+f.Late
		d.Pipped, d.Later = d.Pipped+f.Pipped, d.Later+f.Quit
		d.NotTold += f.Fertile - f.HatchedFertile - f.CountedFertile -
			f.Early - f.Middle - f.Late - f.Pipped - f.Quit
	}
	batches := snapshot.ByBatch(r.told, func(told snapshot.Told) rates.Count { return countOf(told, t.Query.Rate) })
	batches = slices.DeleteFunc(batches, func(c rates.Count) bool { return c.N == 0 })
	if len(batches) > 2 {
		r.Points = rates.SpreadOf([][]rates.Count{batches}).Points()
	}
	if t.Dimension.ID == "pen" {
		r.Changes = s.facts.Flock.Changes(s.w, idOf(r.Key))
	}
}

// pool draws the groups' rates together, those aside left out.
func (t *Table) pool() {
	for i, of := range []func(*Row) *snapshot.Rate{
		func(r *Row) *snapshot.Rate { return &r.Fertility },
		func(r *Row) *snapshot.Rate { return &r.HatchOfFertile },
		func(r *Row) *snapshot.Rate { return &r.HatchOfSet },
	} {
		var all []*snapshot.Rate
		for j := range t.Rows {
			if !t.Rows[j].Aside {
				all = append(all, of(&t.Rows[j]))
			}
		}
		t.Mean[i] = snapshot.Pool(all)
	}
}

// mostPeriods is how many parts of time one small drawing shows.
const mostPeriods = 16

// time parts the rows by month, or by quarter or year where those would be too many.
func (t *Table) time(s *scene) {
	if t.First.IsZero() || len(t.Rows) > mostSeries {
		return
	}
	months := 12*(t.Last.Year()-t.First.Year()) + int(t.Last.Month()) - int(t.First.Month()) + 1
	size := 1
	t.Step = "month"
	if months > mostPeriods {
		size, t.Step = 3, "quarter"
	}
	if months > 3*mostPeriods {
		size, t.Step = 12, "year"
	}
	start := time.Date(t.First.Year(), t.First.Month()-(t.First.Month()-1)%time.Month(size), 1, 0, 0, 0, 0, time.UTC)
	for i := range t.Rows {
		r := &t.Rows[i]
		rest := r.told
		for from := start; !from.After(t.Last); from = from.AddDate(0, size, 0) {
			p := Period{From: from, To: from.AddDate(0, size, 0)}
			n := 0
			for n < len(rest) && s.facts.SetOn[rest[n].BatchID].Before(p.To) {
				n++
			}
			p.Rate = rateOf(s.facts.Ledger.Rates(rest[:n]), t.Query.Rate)
			rest = rest[n:]
			r.Periods = append(r.Periods, p)
		}
	}
}

// mostSeries is how many groups are drawn over time.
const mostSeries = 40

func (s *scene) spread(rate string) rates.Spread {
	switch rate {
	case Fertility:
		return s.facts.Ledger.Fertility
	case HatchOfFertile:
		return s.facts.Ledger.HatchOfFertile
	}
	return s.facts.Ledger.HatchOfSet
}

// Compared is whether the groups picked differ by more than chance.
type Compared struct {
	rates.Comparison
	Groups  []rates.Group
	Says    string
	Rate    string
	Batches int // that held eggs of any of them
	// Many warns that so many groups were looked through that one stands out by chance.
	Many string
}

// InOneBatch tells that some batches held eggs of more than one group.
func (c Compared) InOneBatch() bool { return c.Shared > 1 }

// group is what the eggs of a row did, batch by batch.
func (r Row) group(rate string) rates.Group {
	g := rates.Group{Name: r.Label}
	for _, told := range r.told {
		k := countOf(told, rate)
		if n := int(k.N + .5); n > 0 {
			g.Lots = append(g.Lots, rates.BatchTally{Batch: told.BatchID, Tally: rates.Tally{K: min(int(k.K+.5), n), N: n}})
		}
	}
	return g
}

// compare compares the groups picked.
func (t *Table) compare(s *scene) {
	if len(t.Query.Compare) < 2 {
		return
	}
	c := &Compared{Rate: t.Query.Rate}
	batches := map[int64]bool{}
	for _, r := range t.Rows {
		if r.Aside || !slices.Contains(t.Query.Compare, r.Key) {
			continue
		}
		g := r.group(t.Query.Rate)
		for _, lot := range g.Lots {
			batches[lot.Batch] = true
		}
		c.Groups = append(c.Groups, g)
	}
	if len(c.Groups) < 2 {
		return
	}
	c.Batches = len(batches)
	c.Comparison = rates.Compare(c.Groups, s.spread(t.Query.Rate))
	c.Says = c.Comparison.Says(t.Dimension.What)
	others := 0
	for _, r := range t.Rows {
		others += farm.OneIf(!r.Aside && rateOf(r.Rates, t.Query.Rate).N > 0)
	}
	c.Many = manyLookedAt(len(c.Groups), others)
	t.Compared = c
}

// manyLookedAt warns where so many groups lie before her that two picked out of them, because they
// looked unlike, differ by chance more often than the test knows.
func manyLookedAt(picked, of int) string {
	if of < 5 || picked == of {
		return ""
	}
	pairs := of * (of - 1) / 2
	if pairs < 20 {
		return "You picked from " + wording.Plural(of, "group") +
			": the best and the worst of several differ more than two taken blindly."
	}
	return fmt.Sprintf("You picked from %s. Among their %d pairs about %d would look unlike (one time in twenty) if all "+
		"were the same.", wording.Plural(of, "group"), pairs, pairs/20)
}
