package breeders

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/breeding"
	"metrogon/core/laying"
	"metrogon/core/rates"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	breedersrows "metrogon/store/breeders"
	stockrows "metrogon/store/stock"
)

// recentDays are those whose eggs tell of a pen as it is now [common practice].
const recentDays = 120

// Fertile is what a pen's eggs of the last months tell of its fertility with the males that are there now.
type Fertile struct {
	Days     int // looked back
	From, To time.Time
	Batches  int
	Rate     snapshot.Rate
	Reading  *rates.Reading // nil: no eggs in that time
	Limits   breedersrows.Thresholds
	Unsure   int // eggs left out, since their sire is not certain
	Former   int // eggs left out, since their sire is no longer in the pen
}

// recent reads a pen's fertility of the last months.
func (r *reader) recent(pen snapshot.Pen) Fertile {
	f := Fertile{Days: recentDays, Limits: r.limits}
	since := r.w.Member.Date(r.w.Now).AddDate(0, 0, -recentDays)
	var rows []*lineage.Fact
	for _, row := range r.facts.Of(pen) {
		switch {
		case row.SetOn.Before(since):
		case r.facts.Flock.Former(pen.ID, row.Sire):
			f.Former += row.Eggs
		case !pen.Supplier && (row.Sire.How == breeding.NotCertain || row.Sire.How == breeding.TooEarly):
			f.Unsure += row.Eggs
		default:
			rows = append(rows, row)
		}
	}
	told, _ := r.facts.Told(r.w, rows)
	batches := map[int64]bool{}
	for _, t := range told {
		if t.Fertility.N == 0 {
			continue
		}
		batches[t.BatchID] = true
		for _, row := range rows {
			if row.BatchID != t.BatchID {
				continue
			}
			f.To = row.SetOn
			if f.From.IsZero() {
				f.From = f.To
			}
		}
	}
	f.Batches = len(batches)
	f.Rate = r.facts.Ledger.Rates(told).Fertility
	f.Reading = r.reading(f.Rate)
	return f
}

// LeftOut says which eggs of the pen are not counted, and why; empty if none.
func (f Fertile) LeftOut() string {
	var all []string
	if f.Former > 0 {
		all = append(all, wording.Plural(f.Former, "egg")+" of a former male")
	}
	if f.Unsure > 0 {
		all = append(all, wording.Plural(f.Unsure, "egg")+" whose sire is not certain")
	}
	if len(all) == 0 {
		return ""
	}
	return "Not counted: " + wording.And(all) + "."
}

// Statement is what a buyer of hatching eggs may be told of a pen.
type Statement struct {
	Fertile
	Farm  string
	On    time.Time
	Pen   snapshot.Pen
	Kind  *species.Profile
	Males []breedersrows.Bird // with the hens now
	Sure  time.Time           // from when eggs are surely theirs; zero: they are
	// Hatch is what its eggs did here, hatched of all set, of batches that are done.
	Hatch snapshot.Rate
}

// MayBeSigned tells that there are eggs enough to say anything.
func (s Statement) MayBeSigned() bool { return s.Rate.N >= rates.LeastStatement }

// FewSays that there are not.
func (s Statement) FewSays() string { return wording.TooFew(s.Rate.N, rates.LeastStatement, "egg") }

// Statement makes one.
func (b *Service) Statement(ctx context.Context, m *farm.Member, penID int64) (s Statement, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		r, err := newReader(ctx, tx)
		if err != nil {
			return err
		}
		pen, ok := r.w.PenByID[penID]
		if !ok || pen.Supplier {
			return farm.ErrNone
		}
		s = Statement{
			Fertile: r.recent(pen), Farm: m.FarmName, On: r.w.Member.Date(r.w.Now), Pen: pen, Kind: r.w.Kinds[pen.Species],
		}
		s.Hatch = r.facts.Ledger.Rates(r.facts.Ledger.Of(penID)).HatchOfSet
		for _, stay := range r.facts.Flock.Stays {
			if stay.PenID == penID && stay.UntilOn == nil && stay.Sex == lineage.Male {
				s.Males = append(s.Males, r.facts.Flock.Birds[stay.BirdID])
			}
		}
		for _, c := range r.facts.Flock.Changes(r.w, penID) {
			if c.Surely.After(s.On) {
				s.Sure = c.Surely
			}
		}
		return nil
	})
	return s, err
}

// Order is young, or pullets, that somebody asked for.
type Order struct {
	Want    int
	Pullets bool
	SurePct int
}

// Wait is a setting put off.
type Wait struct {
	Days   int
	Eggs   int     // that there will be
	Young  float64 // expected of them
	Kept   float64 // expected of those that are there now
	TooOld int     // of those there now, past the day at which most stop
}

// EvenDam is a hen with how many of her eggs to set.
type EvenDam struct {
	Name  string
	Young int // of hers that hatched in the last year, each seen by its egg
	Eggs  int // in store
	Set   int
}

// Decisions are what follows of a pen's record.
type Decisions struct {
	Pen     snapshot.Pen
	Fertile Fertile
	Order   Order
	Eggs    *rates.SetCount // for the order
	Problem string
	Waits   []Wait
	Even    []EvenDam
	EvenOf  int // eggs that are to be set evenly
}

// Decide tells what follows of a pen's record: sell or not, how many to set for an order, wait or set,
// and how many eggs of each hen keep its lines even.
func (b *Service) Decide(ctx context.Context, m *farm.Member, penID int64, o Order, even int) (d Decisions, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		r, err := newReader(ctx, tx)
		if err != nil {
			return err
		}
		pen, ok := r.w.PenByID[penID]
		if !ok {
			return farm.ErrNone
		}
		kind := r.w.Kinds[pen.Species]
		d.Pen, d.Fertile, d.Order = pen, r.recent(pen), o
		if kind == nil || kind.IsReptile() {
			return nil
		}
		ages, err := snapshot.ReadAges(ctx, tx, pen.Species)
		if err != nil {
			return err
		}
		beliefs := r.w.Beliefs(ages)
		d.order(beliefs, penID)
		if err := d.wait(ctx, tx, r, pen, kind, beliefs); err != nil {
			return err
		}
		return d.even(ctx, tx, r, pen, beliefs, even)
	})
	return d, err
}

func (d *Decisions) order(b snapshot.Beliefs, penID int64) {
	if d.Order.Want == 0 {
		return
	}
	if d.Order.Want < 1 || d.Order.Want > 2000 || d.Order.SurePct < 50 || d.Order.SurePct > 99 {
		d.Problem = "1 to 2000 may be wanted, 50 to 99 % sure."
		return
	}
	belief := b.Young[penID]
	if d.Order.Pullets {
		belief = belief.Scaled(0.5)
	}
	n, err := rates.EggsFor(d.Order.Want, float64(d.Order.SurePct)/100, belief, b.Rho)
	if err != nil {
		d.Problem = "More than any pen lays."
		return
	}
	d.Eggs = &n
}

// wait compares setting today with setting some days later, with what the pen lays meanwhile.
func (d *Decisions) wait(
	ctx context.Context, tx *farm.Tx, r *reader, pen snapshot.Pen, kind *species.Profile, b snapshot.Beliefs,
) error {
	today := r.w.Member.Date(r.w.Now)
	laid, err := stockrows.On(tx).Laying(ctx, today.AddDate(0, 0, -laying.Days), today)
	if err != nil {
		return err
	}
	perDay := 0.0
	for _, l := range laid {
		if l.PenID == pen.ID {
			perDay = float64(l.Eggs) / laying.Days
		}
	}
	for _, days := range []int{0, 2, 4, 7} {
		w := Wait{Days: days}
		for _, s := range r.stock {
			if s.PenID != pen.ID || s.Trial {
				continue
			}
			age := farm.AgeDays(s.LaidOn, today) + days
			young := b.Expect(kind, pen.ID, age, s.Eggs)
			w.Eggs, w.Kept = w.Eggs+s.Eggs, w.Kept+young
			if float64(age) > kind.StorageLimitDays.At {
				w.TooOld += s.Eggs
			}
		}
		w.Young = w.Kept
		for day := 1; day <= days; day++ {
			w.Young += perDay * b.Expect(kind, pen.ID, days-day, 1)
		}
		w.Eggs += int(perDay*float64(days) + .5)
		d.Waits = append(d.Waits, w)
	}
	if d.Waits[0].Eggs == 0 {
		d.Waits = nil
	}
	return nil
}

// even shares eggs to set among the hens of a pen whose eggs are known.
func (d *Decisions) even(
	ctx context.Context, tx *farm.Tx, r *reader, pen snapshot.Pen, b snapshot.Beliefs, eggs int,
) error {
	baskets, err := stockrows.On(tx).Baskets(ctx, pen.ID)
	if err != nil {
		return err
	}
	all := 0
	for _, s := range baskets {
		if s.Hen == "" {
			continue
		}
		i := slices.IndexFunc(d.Even, func(e EvenDam) bool { return strings.EqualFold(e.Name, s.Hen) })
		if i < 0 {
			i = len(d.Even)
			d.Even = append(d.Even, EvenDam{Name: s.Hen})
		}
		d.Even[i].Eggs += s.Eggs - s.Trial
		all += s.Eggs - s.Trial
	}
	if len(d.Even) < 2 {
		d.Even = nil
		return nil
	}
	since := r.w.Member.Date(r.w.Now).AddDate(-1, 0, 0)
	dams := make([]breeding.Dam, len(d.Even))
	for i := range d.Even {
		e := &d.Even[i]
		for _, f := range r.facts.Of(pen) {
			if strings.EqualFold(f.Hen, e.Name) && !f.LaidOn.Before(since) {
				e.Young += f.Hatched
			}
		}
		dams[i] = breeding.Dam{Young: float64(e.Young), Eggs: e.Eggs, Rate: b.Young[pen.ID].Mean()}
	}
	d.EvenOf = eggs
	if eggs <= 0 || eggs > all {
		d.EvenOf = all
	}
	for i, n := range breeding.Even(dams, d.EvenOf) {
		d.Even[i].Set = n
	}
	return nil
}

// Reason for or against keeping a bird.
type Reason struct {
	Against bool // keeping it
	Says    string
}

// Cull is a bird with what speaks for and against keeping it.
type Cull struct {
	breedersrows.Bird
	Kind    *species.Profile
	Pen     snapshot.Pen
	InPen   bool
	Reasons []Reason
	Weight  int // how many reasons more speak against keeping it than for
}

// Cull lists birds by what speaks against keeping them. It decides nothing.
func (b *Service) Cull(ctx context.Context, m *farm.Member) (all []Cull, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		r, err := newReader(ctx, tx)
		if err != nil {
			return err
		}
		s := &scene{w: r.w, facts: r.facts}
		all, err = r.cull(s)
		return err
	})
	slices.SortStableFunc(all, func(a, b Cull) int { return b.Weight - a.Weight })
	return all, err
}

// What speaks against a bird [common practice].
const (
	oldYears   = 4
	inbred     = 0.125
	leastSired = 20 // eggs that have to be sure before a male is held to them
)

func (r *reader) cull(s *scene) (all []Cull, err error) {
	ids, parents := r.facts.Flock.Pedigree()
	pedigree, err := breeding.NewPedigree(ids, parents)
	if err != nil {
		return nil, err
	}
	tables := map[string]Table{}
	for _, b := range r.facts.Flock.ByName {
		if b.GoneOn != nil {
			continue
		}
		c := Cull{Bird: b, Kind: r.w.Kinds[b.Species]}
		for _, stay := range r.facts.Flock.Stays {
			if pen := r.w.PenByID[stay.PenID]; stay.BirdID == b.ID && stay.UntilOn == nil && pen.UntilOn == nil {
				c.Pen, c.InPen = pen, true
			}
		}
		by := map[string]string{lineage.Male: "sire", lineage.Female: "dam"}[b.Sex]
		key := b.Species + by
		if _, known := tables[key]; !known {
			tables[key] = s.groups(Query{Kind: b.Species, By: by, Rate: Fertility})
		}
		c.eggs(tables[key])
		c.self(r, pedigree, parents)
		for _, reason := range c.Reasons {
			c.Weight += 2*farm.OneIf(reason.Against) - 1
		}
		all = append(all, c)
	}
	return all, nil
}

// eggs tells how the bird's eggs did against those of the others.
func (c *Cull) eggs(t Table) {
	if t.Query.Kind != c.Species {
		return // none of its kind were set
	}
	i := slices.IndexFunc(t.Rows, func(x Row) bool { return x.Key == number(c.ID) })
	if i < 0 || t.Rows[i].Fertility.N < leastSired {
		c.Reasons = append(c.Reasons, Reason{false, "too few eggs that are surely its own to hold against it"})
		return
	}
	f := t.Rows[i].Fertility
	told := fmt.Sprintf("fertility %.0f %% of %d eggs (%.0f–%.0f)", 100*f.Rate, f.N, 100*f.Low, 100*f.High)
	switch mean := t.Mean[0]; {
	case f.High < mean:
		c.Reasons = append(c.Reasons, Reason{true, told + fmt.Sprintf(", the others %.0f %%", 100*mean)})
		usual := c.Kind.FemalesPerMale
		if c.Sex == lineage.Male && usual.Known() && c.Pen.Males > 0 &&
			float64(c.Pen.Females) > usual.To*float64(c.Pen.Males) {
			c.Reasons = append(c.Reasons, Reason{false, "its pen has more females than is usual for so many males"})
		}
	case f.Low > mean:
		c.Reasons = append(c.Reasons, Reason{false, told + ", better than the others"})
	default:
		c.Reasons = append(c.Reasons, Reason{false, told + ", no worse than the others as far as can be told"})
	}
}

// self tells of the bird's age and family.
func (c *Cull) self(r *reader, p *breeding.Pedigree[int64], parents map[int64]breeding.Parents[int64]) {
	today := r.w.Member.Date(r.w.Now)
	if years := lineage.AgeYears(c.Bird, today); years >= oldYears {
		c.Reasons = append(c.Reasons, Reason{true, fmt.Sprintf("%.1f years old", years)})
	}
	if f := p.Inbreeding(c.ID); f >= inbred {
		c.Reasons = append(c.Reasons, Reason{true, fmt.Sprintf("inbred, %.3f", f)})
	}
	young, others := 0, 0
	for id, of := range parents {
		mine := of.Sire == c.ID || of.Dam == c.ID
		young += farm.OneIf(mine && r.facts.Flock.Birds[id].GoneOn == nil)
		own := parents[c.ID]
		others += farm.OneIf(id != c.ID && own.Sire != 0 && own.Dam != 0 && of == own &&
			r.facts.Flock.Birds[id].GoneOn == nil)
	}
	if own := parents[c.ID]; young == 0 && own.Sire != 0 && own.Dam != 0 && others == 0 {
		c.Reasons = append(c.Reasons, Reason{false, "the last of its parents’ young, and none of its own is kept"})
	}
	if young > 0 {
		c.Reasons = append(c.Reasons, Reason{true, "its line goes on: " + fmt.Sprint(young) + " of its young are kept"})
	}
	if !c.InPen {
		c.Reasons = append(c.Reasons, Reason{true, "in no pen"})
	}
}
