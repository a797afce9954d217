package farm

import (
	"context"
	"errors"
	"slices"
	"time"

	"github.com/jackc/pgx/v5/pgconn"

	"metrogon/core/calendar"
	"metrogon/core/grading"
	"metrogon/core/machine"
	"metrogon/core/marks"
	"metrogon/core/outcome"
	"metrogon/core/rates"
	"metrogon/core/species"
	"metrogon/core/units"
	"metrogon/store"
)

// The farm's records as they are kept.
type (
	Pen     = store.Pen
	Machine = store.Machine
	Room    = store.Room
	Person  = store.Member
)

// Taken turns a broken uniqueness into a sentence.
func Taken(err error, field, says string) error {
	var pg *pgconn.PgError
	if errors.As(err, &pg) && pg.Code == "23505" {
		return Problemf(field, "%s", says)
	}
	return err
}

var (
	oldest = time.Date(1990, 1, 1, 0, 0, 0, 0, time.UTC)
	// MaxEggs is the most eggs that one entry may hold.
	MaxEggs = 2000
)

// SavePen makes a pen (ID 0) or changes one.
func (b *Service) SavePen(ctx context.Context, m *Member, key string, pen Pen) (Done, error) {
	return b.Act(ctx, m, key, func(tx *Tx) (Done, error) {
		if !m.Owner() {
			return Done{}, ErrNotOwner
		}
		pen, err := CheckPen(pen, b.Now())
		if err != nil {
			return Done{}, err
		}
		if pen.ID != 0 {
			pens, err := tx.Pens(ctx)
			if err != nil {
				return Done{}, err
			}
			i := slices.IndexFunc(pens, func(p Pen) bool { return p.ID == pen.ID })
			if i < 0 {
				return Done{}, ErrNone
			}
			pen.Supplier = pens[i].Supplier
			some, err := tx.PenHasEggs(ctx, pen.ID)
			if err != nil {
				return Done{}, err
			}
			if some && pens[i].Species != pen.Species {
				return Done{}, Problemf("species", "%s has eggs on record; for another kind make a new pen.", pens[i].Name)
			}
		}
		if pen.ID, err = tx.SavePen(ctx, pen); err != nil {
			return Done{}, Taken(err, "name", "There is a pen of that name already.")
		}
		return Record(ctx, tx, On("pen", pen.ID), nil, "Saved the pen %s.", pen.Name)
	})
}

func CheckPen(pen Pen, now time.Time) (Pen, error) {
	var p Problems
	pen.Name = p.Name("name", "The pen's name", pen.Name, 60, true)
	pen.Breed = p.Name("breed", "The breed", pen.Breed, 60, false)
	kind, err := species.Find(pen.Species)
	if err != nil {
		p.Addf("species", "Pick what lays in this pen.")
	} else {
		pen.Species = kind.ID
		if pen.Bantam && !kind.BantamEarlyDays.Known() {
			p.Addf("bantam", "Bantams are known of chickens only.")
		}
	}
	if pen.Supplier {
		pen.Females, pen.Males = 0, 0
	}
	p.Count("females", "The number of females", pen.Females, 0, 10000)
	p.Count("males", "The number of males", pen.Males, 0, 10000)
	p.Date("from_on", "The pen's first day", pen.FromOn, now.AddDate(1, 0, 0))
	if pen.UntilOn != nil && pen.UntilOn.Before(pen.FromOn) {
		p.Addf("until_on", "The pen's last day comes before its first.")
	}
	return pen, p.Err()
}

func (p *Problems) Date(field, what string, on, latest time.Time) {
	if on.Before(oldest) || on.After(latest) {
		p.Addf(field, "%s is %s; it may be from 1990 to %s.", what, on.Format("2 Jan 2006"), latest.Format("2 Jan 2006"))
	}
}

// SaveMachine makes a machine (ID 0) or changes one with what it holds.
func (b *Service) SaveMachine(ctx context.Context, m *Member, key string, x Machine, rooms []Room) (Done, error) {
	return b.Act(ctx, m, key, func(tx *Tx) (Done, error) {
		if !m.Owner() {
			return Done{}, ErrNotOwner
		}
		var p Problems
		x.Name = p.Name("name", "The machine's name", x.Name, 60, true)
		if _, err := machine.Find(x.Kind); err != nil {
			p.Addf("kind", "Pick what kind of machine it is.")
		}
		p.Count("counter_from", "The counter's first number", x.CounterFrom, 0, 1)
		rooms = slices.DeleteFunc(rooms, func(r Room) bool { return r.Setting == 0 && r.Hatching == 0 })
		if len(rooms) == 0 {
			p.Addf("rooms", "Say how many eggs of at least one kind it holds.")
		}
		for _, r := range rooms {
			if _, err := species.Find(r.Species); err != nil {
				p.Addf("rooms", "%v.", err)
			}
			p.Count("rooms", "What it holds while setting", r.Setting, 0, 100000)
			p.Count("rooms", "What it holds while hatching", r.Hatching, 0, 100000)
			p.Count("rooms", "The eggs in one place of a tray", max(1, r.PerPlace), 1, 20)
		}
		if at := x.CounterStartedAt; at != nil {
			p.Date("counter_started_at", "The counter's start", *at, b.Now().AddDate(0, 0, 1))
		}
		if err := p.Err(); err != nil {
			return Done{}, err
		}
		var err error
		if x.ID, err = tx.SaveMachine(ctx, x, rooms); err != nil {
			return Done{}, Taken(err, "name", "There is a machine of that name already.")
		}
		return Record(ctx, tx, On("machine", x.ID), nil, "Saved the machine %s.", x.Name)
	})
}

// Counter tells what a machine's own day counter should read at a moment.
func Counter(machine Machine, at time.Time) (day int, runs bool) {
	if machine.CounterStartedAt == nil {
		return 0, false
	}
	return calendar.Counting(machine.CounterFrom).Number(*machine.CounterStartedAt, at), true
}

// Rate is a share counted from eggs, with its 95 % interval.
type Rate struct {
	K, N int
	rates.Interval
}

func rate(k, n int) Rate {
	if n == 0 {
		return Rate{}
	}
	return Rate{k, n, rates.Wilson(k, n, 0.95)}
}

// Rates are what a pen's eggs did. A rate with N 0 is not known.
type Rates struct{ Fertility, HatchOfFertile, HatchOfSet Rate }

func RatesOf(r store.Record) Rates {
	return Rates{rate(r.Fertile, r.Examined), rate(r.HatchedFertile, r.FertileClosed), rate(r.HatchedClosed, r.SetClosed)}
}

// RecordsOf tells what the eggs of these pens did, nil of all, with the young that
// were counted.
func RecordsOf(ctx context.Context, tx *Tx, pens []int64) ([]store.Record, error) {
	records, groups, err := tx.Records(ctx, pens)
	if err != nil {
		return nil, err
	}
	for i := range records {
		for _, g := range groups {
			if g.PenID == records[i].PenID && !g.Trial {
				records[i] = WithGroups(records[i], []store.Group{g})
			}
		}
	}
	return records, nil
}

// PenRates is a pen with its rates.
type PenRates struct {
	Pen
	Kind *species.Profile
	Rates
	Set int
	// Crowd warns of a male too few or too many, before he is blamed.
	Crowd string
}

// Pens lists the pens with what their eggs did.
func (b *Service) Pens(ctx context.Context, m *Member) (all []PenRates, err error) {
	err = b.Read(ctx, m, func(tx *Tx) error {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return err
		}
		records, err := RecordsOf(ctx, tx, nil)
		if err != nil {
			return err
		}
		for _, p := range w.Pens {
			row, err := w.penRates(p, records)
			if err != nil {
				return err
			}
			all = append(all, row)
		}
		return nil
	})
	slices.SortStableFunc(all, func(a, b PenRates) int {
		if a.Supplier != b.Supplier { // bought eggs stand apart
			return map[bool]int{true: 1, false: -1}[a.Supplier]
		}
		return CompareKinds(a.Kind, b.Kind)
	})
	return
}

func CompareKinds(a, b *species.Profile) int {
	place := func(p *species.Profile) int {
		return slices.IndexFunc(species.All(), func(o *species.Profile) bool { return o.ID == p.ID })
	}
	return place(a) - place(b)
}

func (w *Snapshot) penRates(p Pen, records []store.Record) (PenRates, error) {
	kind, err := w.Kind(p.Species)
	if err != nil {
		return PenRates{}, err
	}
	row := PenRates{Pen: p, Kind: kind}
	for _, r := range records {
		if r.PenID == p.ID {
			row.Rates, row.Set = RatesOf(r), r.Set
		}
	}
	if f := kind.FemalesPerMale; f.Known() && p.Males > 0 && p.Females > 0 {
		switch per := float64(p.Females) / float64(p.Males); {
		case per > 1.5*f.To:
			row.Crowd = "Many females for each male: usual is up to " + units.Number(f.To) + "."
		case per < f.From/2:
			row.Crowd = "Few females for each male: usual is " + units.Number(f.From) + " or more."
		}
	}
	return row, nil
}

// PenBatch is what a pen's eggs did in one batch.
type PenBatch struct {
	BatchView
	Rates
	Eggs int
}

// PenPage is a pen with the eggs and batches behind its figures.
type PenPage struct {
	PenRates
	Laid, Rejected, Stored, CastOut int        // of all its eggs
	Reasons                         []Reject   // why the rejected were
	Batches                         []PenBatch // the newest
	Hens                            []Part     // where eggs are known hen by hen
	Shells                          []Part     // where shells were treated in more than one way
	Trials                          []Part     // rejected or doubtful eggs that were set on trial, by reason
	LeftOut                         int        // eggs that tell nothing of hens and shells: young were counted by pen
	Band                            marks.Band // of its hatch basket
}

// Reject is how many eggs were not fit for a reason; "" is none told.
type Reject struct {
	Reason string
	Eggs   int
}

// Part is a part of a pen's eggs with its rates.
type Part struct {
	Name string
	Rates
}

// lots are a pen's eggs as far as they are told apart, with the groups that they
// belong to.
type lots struct {
	all    []store.PenLot
	groups map[GroupKey]store.Group
}

func (l lots) group(x store.PenLot) store.Group {
	return l.groups[GroupKey{x.PenID, x.BatchID, x.Trial}]
}

// byBatch sums the eggs that were set and are not on trial, in the order of the lots.
func (l lots) byBatch() (ids []int64, sums map[int64]store.Record) {
	sums = map[int64]store.Record{}
	for _, x := range l.all {
		if x.BatchID == 0 || x.Set == 0 || x.Trial {
			continue
		}
		before, seen := sums[x.BatchID]
		if !seen {
			ids = append(ids, x.BatchID)
			before = WithGroups(before, []store.Group{l.group(x)})
		}
		sums[x.BatchID] = plus(before, x.Record)
	}
	return
}

// parts sums the eggs that were set by a name that their lots have, "" for none.
// Hatch is told of a group only where all its eggs have the name.
func (l lots) parts(name func(store.PenLot) string) (all []Part, leftOut int) {
	sums := map[string]store.Record{}
	type cell struct {
		key  GroupKey
		name string
	}
	cells := map[cell]store.PenLot{}
	var names []string
	for _, x := range l.all {
		n := name(x)
		if n == "" || x.Set == 0 {
			continue
		}
		if _, seen := sums[n]; !seen {
			names, sums[n] = append(names, n), store.Record{}
		}
		if l.group(x).Eggs == 0 {
			sums[n] = plus(sums[n], x.Record)
			continue
		}
		at := cell{GroupKey{x.PenID, x.BatchID, x.Trial}, n}
		before := cells[at]
		x.Record, x.Counted = plus(before.Record, x.Record), x.Counted+before.Counted
		cells[at] = x
	}
	for at, x := range cells {
		g := l.groups[at.key]
		_, _, out := outcome.Part{Eggs: x.Set, Hatched: x.HatchedClosed, Counted: x.Counted, Of: GroupOf(g)}.Known()
		r := x.Record
		if out == 0 {
			r = WithGroups(r, []store.Group{g})
		} else {
			r.SetClosed, r.HatchedClosed, r.FertileClosed, r.HatchedFertile = 0, 0, 0, 0
		}
		leftOut += out
		sums[at.name] = plus(sums[at.name], r)
	}
	for _, n := range names {
		all = append(all, Part{n, RatesOf(sums[n])})
	}
	return all, leftOut
}

func (p *PenPage) count(l lots) {
	for _, x := range l.all {
		p.Laid += x.Eggs
		p.Stored += x.Stored
		p.CastOut += x.CastOut
		if !x.Rejected {
			continue
		}
		p.Rejected += x.Eggs
		i := slices.IndexFunc(p.Reasons, func(r Reject) bool { return r.Reason == x.Reason })
		if i < 0 {
			i = len(p.Reasons)
			p.Reasons = append(p.Reasons, Reject{Reason: x.Reason})
		}
		p.Reasons[i].Eggs += x.Eggs
	}
	slices.SortStableFunc(p.Reasons, func(a, b Reject) int { return b.Eggs - a.Eggs })
	ordinary := func(name func(store.PenLot) string) func(store.PenLot) string {
		return func(x store.PenLot) string {
			if x.Trial {
				return ""
			}
			return name(x)
		}
	}
	var outOfHens, outOfShells int
	p.Hens, outOfHens = l.parts(ordinary(func(x store.PenLot) string { return x.Hen }))
	if p.Shells, outOfShells = l.parts(ordinary(func(x store.PenLot) string { return x.Washing })); len(p.Shells) < 2 {
		p.Shells, outOfShells = nil, 0 // nothing to compare
	}
	p.LeftOut = max(outOfHens, outOfShells)
	p.Trials, _ = l.parts(func(x store.PenLot) string {
		if !x.Trial {
			return ""
		}
		if reason, known := grading.Known(x.Reason); known {
			return reason.Name
		}
		return "rejected"
	})
}

// newest is how many batches a pen shows.
const newest = 60

// plus adds one record to another.
func plus(a, b store.Record) store.Record {
	a.Set += b.Set
	a.Examined += b.Examined
	a.Fertile += b.Fertile
	a.SetClosed += b.SetClosed
	a.HatchedClosed += b.HatchedClosed
	a.FertileClosed += b.FertileClosed
	a.HatchedFertile += b.HatchedFertile
	return a
}

// Pen shows one pen.
func (b *Service) Pen(ctx context.Context, m *Member, id int64) (page PenPage, err error) {
	err = b.Read(ctx, m, func(tx *Tx) error {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return err
		}
		pen, ok := w.PenByID[id]
		if !ok {
			return ErrNone
		}
		all, groups, err := tx.PenLots(ctx, id)
		if err != nil {
			return err
		}
		l := lots{all, GroupsByKey(groups)}
		page.count(l)
		page.Band = w.Band(id)
		ids, byBatch := l.byBatch()
		whole := store.Record{PenID: id}
		for _, r := range byBatch {
			whole = plus(whole, r)
		}
		if page.PenRates, err = w.penRates(pen, []store.Record{whole}); err != nil {
			return err
		}
		ids = ids[:min(len(ids), newest)]
		batches, err := w.Views(ctx, tx, func() ([]store.Batch, error) { return tx.BatchesByID(ctx, ids) })
		if err != nil {
			return err
		}
		for _, batchID := range ids {
			i := slices.IndexFunc(batches, func(v BatchView) bool { return v.ID == batchID })
			page.Batches = append(page.Batches, PenBatch{batches[i], RatesOf(byBatch[batchID]), byBatch[batchID].Set})
		}
		return nil
	})
	return
}
