package breeders

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/breeding"
	"metrogon/core/rates"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	"metrogon/store"
	breedersrows "metrogon/store/breeders"
	stockrows "metrogon/store/stock"
)

// Steps of fertility tests.
var (
	dropTest = journal.NewKind("drop_test", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return breedersrows.On(tx).DropTest(ctx, id)
	})
	testBefore = journal.NewKind("test", func(ctx context.Context, tx *farm.Tx, before breedersrows.FertilityTest) error {
		_, err := breedersrows.On(tx).SaveTest(ctx, before)
		return err
	})
	limitsBefore = journal.NewKind("thresholds",
		func(ctx context.Context, tx *farm.Tx, before breedersrows.Thresholds) error {
			return breedersrows.On(tx).SetThresholds(ctx, before)
		})
)

// Asked is a fertility test as it is asked for.
type Asked = breedersrows.FertilityTest

// Thresholds are the farm's own.
type Thresholds = breedersrows.Thresholds

// AskTest plans a fertility test of so many eggs of a pen; a retest names the one before it.
func (b *Service) AskTest(ctx context.Context, req farm.Request, t breedersrows.FertilityTest) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		pen, ok := w.PenByID[t.PenID]
		if !ok {
			return farm.Done{}, farm.ErrNone
		}
		var p farm.Problems
		p.Count("eggs", "The number of eggs", t.Eggs, 3, 500)
		t.Why = p.Name("why", "Why it is done", t.Why, 120, false)
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		if t.RetestOf != nil {
			before, err := breedersrows.On(tx).FertilityTest(ctx, *t.RetestOf)
			if err != nil {
				return farm.Done{}, err
			}
			if before.PenID != t.PenID {
				return farm.Done{}, farm.ErrNone
			}
		}
		t.ID, t.AskedOn, t.BatchID, t.EndedOn, t.Decision = 0, w.Member.Date(w.Now), nil, nil, ""
		id, err := breedersrows.On(tx).SaveTest(ctx, t)
		if err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Pen, pen.ID), journal.Undo{dropTest.Of(id)},
			"A fertility test of %s: %s.", pen.Name, wording.Plural(t.Eggs, "egg"))
	})
}

// MarkTest says which batch holds a test's eggs; with none it is open again.
func (b *Service) MarkTest(ctx context.Context, req farm.Request, id, batchID int64) (farm.Done, error) {
	return b.change(ctx, req, id, func(tx *farm.Tx, pen snapshot.Pen, t *breedersrows.FertilityTest) (string, error) {
		if batchID == 0 {
			t.BatchID = nil
			return fmt.Sprintf("The fertility test of %s waits for its eggs.", pen.Name), nil
		}
		batch, err := tx.Batch(ctx, batchID)
		if err != nil {
			return "", err
		}
		eggs, err := tx.BatchEggs(ctx, batchID)
		if err != nil {
			return "", err
		}
		if !slices.ContainsFunc(eggs, func(e store.Egg) bool { return e.PenID == pen.ID && !e.Trial }) {
			return "", farm.Problemf("batch", "%s holds no eggs of %s.", batch.Code, pen.Name)
		}
		t.BatchID = &batch.ID
		return fmt.Sprintf("%s is the fertility test of %s.", batch.Code, pen.Name), nil
	})
}

// EndTest ends a test with what was decided upon it.
func (b *Service) EndTest(
	ctx context.Context, req farm.Request, id int64, decision string,
) (farm.Done, error) {
	return b.change(ctx, req, id, func(tx *farm.Tx, pen snapshot.Pen, t *breedersrows.FertilityTest) (string, error) {
		var p farm.Problems
		t.Decision = p.Name("decision", "What was decided", decision, 120, false)
		on := req.Date(tx.At)
		t.EndedOn = &on
		said := fmt.Sprintf("The fertility test of %s is ended", pen.Name)
		if t.Decision != "" {
			said += ": " + t.Decision
		}
		return said + ".", p.Err()
	})
}

func (b *Service) change(
	ctx context.Context, req farm.Request, id int64,
	change func(tx *farm.Tx, pen snapshot.Pen, t *breedersrows.FertilityTest) (string, error),
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		t, err := breedersrows.On(tx).FertilityTest(ctx, id)
		if err != nil {
			return farm.Done{}, err
		}
		if t.EndedOn != nil {
			return farm.Done{}, farm.Problemf("test", "This test is ended.")
		}
		before := t
		said, err := change(tx, w.PenByID[t.PenID], &t)
		if err != nil {
			return farm.Done{}, err
		}
		if _, err := breedersrows.On(tx).SaveTest(ctx, t); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Pen, t.PenID), journal.Undo{testBefore.Of(before)}, "%s", said)
	})
}

// SetThresholds changes from which share of fertile eggs on the farm sells, and below which a male
// goes.
func (b *Service) SetThresholds(
	ctx context.Context, req farm.Request, t breedersrows.Thresholds,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		var p farm.Problems
		p.Count("sell_pct", "The share from which eggs are sold", t.SellPct, 1, 100)
		p.Count("swap_pct", "The share below which a male goes", t.SwapPct, 0, 100)
		if t.SwapPct >= t.SellPct {
			p.Addf("swap_pct", "A male goes below less than the share from which eggs are sold.")
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		before, err := breedersrows.On(tx).Thresholds(ctx)
		if err != nil {
			return farm.Done{}, err
		}
		if err := breedersrows.On(tx).SetThresholds(ctx, t); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, nil, journal.Undo{limitsBefore.Of(before)},
			"Hatching eggs are sold from %d %% fertile; a male goes below %d %%.", t.SellPct, t.SwapPct)
	})
}

// Test is a fertility test with what it tells.
type Test struct {
	breedersrows.FertilityTest
	Pen     snapshot.Pen
	Kind    *species.Profile
	Batch   *store.Batch
	Set     int // of its eggs, in the batch
	Looked  int // of these, it is known whether they are fertile
	Reading *rates.Reading
	Why     string    // nothing is read yet, or what is to be minded
	ReadOn  time.Time // when it can be read: the first candling
	Unsure  int       // eggs whose sire is not certain, or for whom it was too early
	Before  *Test     // the one that it repeats
	Change  *rates.Comparison
	Offers  []breedersrows.BatchFacts // batches that may be it
	Store   int                       // sound eggs of the pen in store
}

// Tests are all fertility tests, with the farm's thresholds.
type Tests struct {
	Tests  []Test
	Limits breedersrows.Thresholds
	Pens   []snapshot.Pen // that may be tested
	Plans  []rates.Plan
}

// The shares of a good and a poor pen that a planned test is held against [common practice].
const (
	goodShare = 0.90
	poorShare = 0.25
)

// Tests lists them, the newest first.
func (b *Service) Tests(ctx context.Context, m *farm.Member) (all Tests, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		r, err := newReader(ctx, tx)
		if err != nil {
			return err
		}
		rows, err := breedersrows.On(tx).FertilityTests(ctx)
		if err != nil {
			return err
		}
		for _, row := range rows {
			all.Tests = append(all.Tests, r.read(row, rows))
		}
		for _, p := range r.w.Pens {
			if p.UntilOn == nil && r.w.Kinds[p.Species] != nil && !r.w.Kinds[p.Species].IsReptile() {
				all.Pens = append(all.Pens, p)
			}
		}
		all.Limits = r.limits
		all.Plans = rates.PlanTest([]int{5, 10, 15, 20, 30, 50}, r.thresholds(), goodShare, poorShare, r.rho())
		return nil
	})
	return all, err
}

// reader reads tests.
type reader struct {
	w      *snapshot.Snapshot
	facts  *lineage.Facts
	limits breedersrows.Thresholds
	stock  []stockrows.Stock
}

func newReader(ctx context.Context, tx *farm.Tx) (*reader, error) {
	w, err := snapshot.Of(ctx, tx)
	if err != nil {
		return nil, err
	}
	r := &reader{w: w}
	if r.facts, err = lineage.ReadFacts(ctx, tx, w); err != nil {
		return nil, err
	}
	if r.stock, err = w.Stock(ctx, tx); err != nil {
		return nil, err
	}
	r.limits, err = breedersrows.On(tx).Thresholds(ctx)
	return r, err
}

func (r *reader) thresholds() rates.Thresholds {
	return rates.Thresholds{Sell: float64(r.limits.SellPct) / 100, Swap: float64(r.limits.SwapPct) / 100}
}

func (r *reader) rho() float64 { return r.facts.Ledger.Fertility.Rho }

// reading of a pen's fertility, by the same belief wherever it is shown; nil where nothing is known.
func (r *reader) reading(f snapshot.Rate) *rates.Reading {
	if f.N == 0 {
		return nil
	}
	reading := rates.ReadShare(rates.Tally{K: min(f.K, f.N), N: f.N}, f.Interval, f.Worth, r.thresholds())
	return &reading
}

// read tells what a test says so far.
func (r *reader) read(row breedersrows.FertilityTest, all []breedersrows.FertilityTest) Test {
	t := Test{FertilityTest: row, Pen: r.w.PenByID[row.PenID]}
	t.Kind = r.w.Kinds[t.Pen.Species]
	for _, s := range r.stock {
		if s.PenID == row.PenID && !s.Trial {
			t.Store += s.Eggs
		}
	}
	if row.BatchID == nil {
		r.offer(&t)
		t.Why = "Its eggs are not set yet."
		return t
	}
	i := slices.IndexFunc(r.facts.Batches, func(b breedersrows.BatchFacts) bool { return b.ID == *row.BatchID })
	if i < 0 {
		t.Why = "Its batch was taken back."
		return t
	}
	b := r.facts.Batches[i]
	t.Batch = &store.Batch{ID: b.ID, Code: b.Code, SetAt: b.SetAt}
	if days := t.Kind.CandleDays.Days; len(days) > 0 {
		t.ReadOn = r.w.Member.Date(b.SetAt).AddDate(0, 0, days[0])
	}
	r.count(&t)
	if t.Reading != nil && row.RetestOf != nil {
		r.against(&t, all)
	}
	return t
}

// offer lists the batches since the test was asked for that hold eggs of its pen.
func (r *reader) offer(t *Test) {
	last := int64(0)
	for _, f := range slices.Backward(r.facts.Of(t.Pen)) {
		if f.SetOn.Before(t.AskedOn) || len(t.Offers) == 5 {
			return
		}
		if f.BatchID != last {
			last = f.BatchID
			t.Offers = append(t.Offers, *f.Batch)
		}
	}
}

func (r *reader) count(t *Test) {
	var rows []*lineage.Fact
	former := 0
	for _, f := range r.facts.Of(t.Pen) {
		if f.BatchID != t.Batch.ID {
			continue
		}
		rows = append(rows, f)
		t.Set += f.Eggs
		t.Looked += f.Examined
		if f.Sire.How == breeding.TooEarly || f.Sire.How == breeding.NotCertain {
			t.Unsure += f.Eggs
		}
		if r.facts.Flock.Former(t.PenID, f.Sire) {
			former += f.Eggs
		}
	}
	told, _ := r.facts.Told(r.w, rows)
	if t.Reading = r.reading(r.facts.Ledger.Rates(told).Fertility); t.Reading == nil {
		t.Why = "Nobody has candled them yet."
		return
	}
	r.mind(t, former)
}

// mind says what is to be minded of a reading: that the eggs tell little of the male who is there now,
// from when on they would, or that some are not known yet.
func (r *reader) mind(t *Test, former int) {
	later := ""
	for _, c := range r.facts.Flock.Changes(r.w, t.PenID) {
		if c.Surely.After(r.w.Member.Date(t.Batch.SetAt)) {
			later = fmt.Sprintf(" Wait, and test eggs laid from %s on.", c.Surely.Format("2 Jan"))
		}
	}
	open := t.Set - t.Reading.N
	switch {
	case t.Unsure > 0 && !t.Pen.Supplier:
		t.Why = fmt.Sprintf("%s of it laid while the sire was not certain, or too early for a new male: this says "+
			"little of him.%s", wording.Plural(t.Unsure, "egg"), later)
	case former > 0:
		t.Why = fmt.Sprintf("%s of it laid with a male that is no longer in the pen: this says nothing of the one "+
			"who is.%s", wording.Plural(former, "egg"), later)
	case open > 0:
		t.Why = fmt.Sprintf("Of %s nobody can say yet.", wording.Plural(open, "egg"))
	}
}

// against compares a retest with the test before it.
func (r *reader) against(t *Test, all []breedersrows.FertilityTest) {
	i := slices.IndexFunc(all, func(o breedersrows.FertilityTest) bool { return o.ID == *t.RetestOf })
	if i < 0 {
		return
	}
	first := all[i]
	first.RetestOf = nil
	before := r.read(first, all)
	t.Before = &before
	if before.Reading == nil {
		return
	}
	group := func(x *Test) rates.Group {
		return rates.Group{Name: x.Batch.Code, Lots: []rates.BatchTally{{Batch: x.Batch.ID, Tally: x.Reading.Tally}}}
	}
	c := rates.Compare([]rates.Group{group(&before), group(t)}, r.facts.Ledger.Fertility)
	t.Change = &c
}

// ChangeSays tells how a retest compares with the test before it.
func (t Test) ChangeSays() string {
	if t.Change == nil {
		return ""
	}
	way := "better"
	if t.Reading.Interval.Rate < t.Before.Reading.Interval.Rate {
		way = "worse"
	}
	switch t.Change.Verdict {
	case rates.Real:
		return wording.Capital(way) + " than before."
	case rates.Likely:
		return "Likely " + way + " than before."
	}
	return "No difference seen yet: so few eggs can differ as much by chance."
}
