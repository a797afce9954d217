package farm

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/marks"
	"metrogon/core/outcome"
	"metrogon/core/wording"
	"metrogon/store"
)

// BatchPage is one batch with its eggs.
type BatchPage struct {
	BatchView
	Pens     []PenEggs
	Journal  []store.Entry // the newest 30
	Last     *store.Entry  // that can be taken back
	Hatchers []Place
	Expect   string // what candling should show today
	Counter  int    // what the counter of the machine in which it stands should read
	HasCount bool
	Rounds   []Round
	Care     []store.LogEntry // turned, cooled, misted: the newest
	Bands    map[int64]marks.Band
	Prospect Prospect
}

// PenEggs are a batch's eggs of one pen; those on trial stand apart.
type PenEggs struct {
	Pen
	Trial   bool
	Eggs    []store.Egg
	Alive   int // still in the machine, as far as young were counted
	Hatched int
	Counted int // of Hatched, young of which nobody saw from which egg they came
	Rates
}

// Label names them.
func (p PenEggs) Label() string {
	if p.Trial {
		return p.Name + ", on trial"
	}
	return p.Name
}

// Field names what belongs to them in a form.
func (p PenEggs) Field() string {
	if p.Trial {
		return fmt.Sprintf("%d-trial", p.ID)
	}
	return fmt.Sprint(p.ID)
}

// Left are the eggs whose end nobody has told yet, one by one.
func (p PenEggs) Left() (all []store.Egg) {
	for _, e := range p.Eggs {
		if e.Fate == nil {
			all = append(all, e)
		}
	}
	return
}

// Counted is how many young were counted of which nobody saw the eggs.
func (p BatchPage) Counted() (n int) {
	for _, pen := range p.Pens {
		n += pen.Counted
	}
	return
}

// Batch shows one batch.
func (b *Service) Batch(ctx context.Context, m *Member, id int64) (page BatchPage, err error) {
	err = b.Read(ctx, m, func(tx *Tx) error {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return err
		}
		open, err := w.Open(ctx, tx)
		if err != nil {
			return err
		}
		if i := slices.IndexFunc(open, func(v BatchView) bool { return v.ID == id }); i >= 0 {
			page.BatchView = open[i]
		} else {
			done, err := w.Views(ctx, tx, func() ([]store.Batch, error) { return tx.BatchesByID(ctx, []int64{id}) })
			if err != nil {
				return err
			}
			if len(done) == 0 {
				return ErrNone
			}
			page.BatchView = done[0]
		}
		eggs, counted, err := tx.EggsAndYoung(ctx, id)
		if err != nil {
			return err
		}
		page.Pens = w.ByPen(eggs, counted, page.BatchView)
		if page.Journal, err = tx.BatchJournal(ctx, id, 30); err != nil {
			return err
		}
		for i, e := range page.Journal {
			if e.Undo != nil && !e.Undone {
				page.Last = &page.Journal[i]
				break
			}
		}
		_, page.Hatchers = w.Places(w.AllStays(open), page.Species)
		page.Expect = candling.Expect(page.Kind, page.Day, page.HatchDay)
		page.Counter, page.HasCount = Counter(page.Stands(), w.Now)
		page.Bands = map[int64]marks.Band{}
		for _, p := range page.Pens {
			page.Bands[p.ID] = w.Band(p.ID)
		}
		if !page.Open() {
			return nil
		}
		if page.Prospect, err = w.prospect(ctx, tx, page); err != nil {
			return err
		}
		up, err := w.Upkeep(ctx, tx)
		if err != nil {
			return err
		}
		page.Rounds = w.rounds([]BatchView{page.BatchView}, up.Care)
		page.Care, err = tx.CareLog(ctx, id, 0, 30)
		return err
	})
	return
}

func (w *Snapshot) ByPen(eggs []store.Egg, counted []store.Young, v BatchView) (pens []PenEggs) {
	for _, e := range eggs {
		i := slices.IndexFunc(pens, func(p PenEggs) bool { return p.ID == e.PenID && p.Trial == e.Trial })
		if i < 0 {
			i = len(pens)
			pens = append(pens, PenEggs{Pen: w.PenByID[e.PenID], Trial: e.Trial})
		}
		p := &pens[i]
		p.Eggs = append(p.Eggs, e)
		switch FateOf(e) {
		case "":
			p.Alive++
		case outcome.Hatched:
			p.Hatched++
		}
	}
	for i := range pens {
		p := &pens[i]
		for _, c := range counted {
			if c.PenID == p.ID && c.Trial == p.Trial {
				p.Counted = c.Young
			}
		}
		p.Hatched += p.Counted
		p.Alive = max(0, p.Alive-p.Counted)
		p.Rates = RatesOf(p.Record(v.ClosedAt != nil))
	}
	return
}

// FateOf is how an egg ended; "" while it has not.
func FateOf(e store.Egg) outcome.Fate {
	if e.Fate == nil {
		return ""
	}
	return outcome.Fate(*e.Fate)
}

// Record counts what the eggs of a pen did in one batch.
func (p PenEggs) Record(closed bool) (r store.Record) {
	g := store.Group{Young: p.Counted}
	for _, e := range p.Eggs {
		fate := FateOf(e)
		if fate == outcome.Broken { // by hand: it counts against nobody
			continue
		}
		fertile := e.Fertile != nil && *e.Fertile
		r.Set++
		r.Examined += OneIf(e.Fertile != nil)
		r.Fertile += OneIf(fertile)
		if !closed {
			continue
		}
		r.SetClosed++
		r.HatchedClosed += OneIf(fate == outcome.Hatched)
		if fate == outcome.Counted {
			g.Counted++
			g.Fertile += OneIf(fertile)
			g.Unknown += OneIf(e.Fertile == nil)
			continue
		}
		r.FertileClosed += OneIf(fertile)
		r.HatchedFertile += OneIf(fertile && fate == outcome.Hatched)
	}
	return WithGroups(r, []store.Group{g})
}

func OneIf(b bool) int {
	if b {
		return 1
	}
	return 0
}

func GroupOf(g store.Group) outcome.Group {
	return outcome.Group{Eggs: g.Eggs, Counted: g.Counted, Young: g.Young}
}

// WithGroups adds to a record what is known of groups.
func WithGroups(r store.Record, groups []store.Group) store.Record {
	for _, g := range groups {
		if g.Counted == 0 {
			continue
		}
		young, of := GroupOf(g).OfFertile(g.Fertile, g.Unknown)
		r.HatchedClosed += g.Young
		r.HatchedFertile += young
		r.FertileClosed += of
	}
	return r
}

// Batches lists what is in the machines, and one page of what was.
func (b *Service) Batches(ctx context.Context, m *Member, skip int) (open, closed []BatchView, err error) {
	err = b.Read(ctx, m, func(tx *Tx) error {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return err
		}
		if open, err = w.Open(ctx, tx); err != nil {
			return err
		}
		closed, err = w.Views(ctx, tx, func() ([]store.Batch, error) { return tx.ClosedBatches(ctx, PageOfBatches, skip) })
		return err
	})
	return
}

// PageOfBatches is how many batches that are done stand on one page.
const PageOfBatches = 40

// OnBatch runs an action on an open batch, with its eggs by id, and afterwards
// brings up to date what is known of their fertility.
func (b *Service) OnBatch(ctx context.Context, m *Member, key string, id int64, work func(tx *Tx, batch store.Batch, eggs map[int64]store.Egg) (Done, error)) (Done, error) {
	return b.Act(ctx, m, key, func(tx *Tx) (Done, error) {
		batch, err := tx.Batch(ctx, id)
		if err != nil {
			return Done{}, err
		}
		if batch.ClosedAt != nil {
			return Done{}, Problemf("batch", "%s is closed; take the closing back first.", batch.Code)
		}
		all, err := tx.BatchEggs(ctx, id)
		if err != nil {
			return Done{}, err
		}
		eggs := map[int64]store.Egg{}
		for _, e := range all {
			eggs[e.ID] = e
		}
		done, err := work(tx, batch, eggs)
		if err != nil {
			return done, err
		}
		return done, UpdateFertility(ctx, tx.Tx, id)
	})
}

// UpdateFertility keeps, egg by egg, what the calls and the hatch have told.
func UpdateFertility(ctx context.Context, tx *store.Tx, batchID int64) error {
	eggs, err := tx.BatchEggs(ctx, batchID)
	if err != nil {
		return err
	}
	ids, known := make([]int64, len(eggs)), make([]*bool, len(eggs))
	for i, e := range eggs {
		ids[i] = e.ID
		calls := make([]candling.Call, len(e.Calls))
		for j, c := range e.Calls {
			calls[j] = candling.Call(c)
		}
		if fertile, ok := candling.Fertile(calls, FateOf(e) == outcome.Hatched, OpenedAs(e.Fate, e.Stage, e.Opened)); ok {
			known[i] = &fertile
		}
	}
	return tx.SetFertile(ctx, ids, known)
}

// OpenedAs is what an egg showed on opening; "" if it was not opened.
func OpenedAs(fate, stage, opened *string) candling.Stage {
	switch {
	case opened != nil:
		return candling.Stage(*opened)
	case fate != nil && outcome.Fate(*fate) == outcome.Unhatched && stage != nil:
		return candling.Stage(*stage)
	}
	return ""
}

// Living checks that these eggs are still in the batch; none at all is a problem.
func Living(ids []int64, eggs map[int64]store.Egg) error {
	if len(ids) == 0 {
		return Problemf("eggs", "Mark the eggs first.")
	}
	for _, id := range ids {
		e, ok := eggs[id]
		if !ok {
			return ErrNone
		}
		if e.Fate != nil {
			return Problemf("eggs", "Egg %d is %s already.", e.No, *e.Fate)
		}
	}
	return nil
}

// one candling may last so long; a call after it begins the next.
const candlingLasts = 3 * time.Hour

// When is the moment at which something was done to a batch: the one that was told,
// since people write things down later, or, if none was, now.
func (tx *Tx) When(batch store.Batch, told time.Time) (time.Time, error) {
	now := tx.At
	switch {
	case told.IsZero():
		told = now
	case told.After(now.Add(time.Minute)):
		return told, Problemf("when", "%s has not come yet; when was it done?", tx.Member.Moment(told))
	case told.After(now):
		told = now
	}
	if told.Before(batch.SetAt) {
		return told, Problemf("when", "%s was not set before %s, so nothing was done to it %s.",
			batch.Code, tx.Member.Moment(batch.SetAt), tx.Member.Moment(told))
	}
	return told, nil
}

// Calling is a call for some eggs. TakeOut takes those out of the machine that the
// call condemns.
type Calling struct {
	Call    candling.Call
	Eggs    []int64
	TakeOut bool
	At      time.Time // zero: now
}

// Candle records one call for these eggs.
func (b *Service) Candle(ctx context.Context, m *Member, key string, batchID int64, c Calling) (Done, error) {
	call, ids, takeOut := c.Call, c.Eggs, c.TakeOut
	return b.OnBatch(ctx, m, key, batchID, func(tx *Tx, batch store.Batch, eggs map[int64]store.Egg) (Done, error) {
		if !slices.Contains(candling.Calls, call) {
			return Done{}, Problemf("call", "%q is no call.", string(call))
		}
		if err := Living(ids, eggs); err != nil {
			return Done{}, err
		}
		at, err := tx.When(batch, c.At)
		if err != nil {
			return Done{}, err
		}
		return called(ctx, tx, batch, call, ids, takeOut && m.TakesOut(call), at)
	})
}

// CandleRest calls every egg live that is still in the batch and was not called
// in the candling of the hours before; told is when, zero for now.
func (b *Service) CandleRest(ctx context.Context, m *Member, key string, batchID int64, told time.Time) (Done, error) {
	return b.OnBatch(ctx, m, key, batchID, func(tx *Tx, batch store.Batch, eggs map[int64]store.Egg) (Done, error) {
		at, err := tx.When(batch, told)
		if err != nil {
			return Done{}, err
		}
		session, err := tx.Candling(ctx, batchID, at.Add(-candlingLasts), at)
		if err != nil {
			return Done{}, err
		}
		before, err := tx.CalledIn(ctx, session)
		if err != nil {
			return Done{}, err
		}
		var rest []int64
		for id, e := range eggs {
			if e.Fate == nil && !slices.Contains(before, id) {
				rest = append(rest, id)
			}
		}
		if len(rest) == 0 {
			return Done{}, Problemf("eggs", "Every egg was called already.")
		}
		slices.Sort(rest)
		return called(ctx, tx, batch, candling.Live, rest, false, at)
	})
}

func called(
	ctx context.Context, tx *Tx, batch store.Batch, call candling.Call, ids []int64, out bool, at time.Time,
) (Done, error) {
	session, err := tx.Candling(ctx, batch.ID, at.Add(-candlingLasts), at)
	if err != nil {
		return Done{}, err
	}
	calls, err := tx.Call(ctx, session, string(call), ids, tx.Member.PersonID)
	if err != nil {
		return Done{}, err
	}
	u := Undo{dropCalls.Of(calls)}
	said := fmt.Sprintf("%s: %s called %s", batch.Code, wording.Plural(len(ids), "egg"), call)
	if out {
		ended, err := tx.End(ctx, ids, string(outcome.Removed), string(call), at)
		if err != nil {
			return Done{}, err
		}
		u = append(u, Revive.Of(ended))
		said += " and taken out"
	}
	return Record(ctx, tx, On("batch", batch.ID), u, "%s.", said)
}

// Lockdown stops the turning and moves the batch to where it hatches.
// told is when, zero for now.
func (b *Service) Lockdown(ctx context.Context, m *Member, key string, batchID, hatcherID int64, told time.Time) (Done, error) {
	return b.OnBatch(ctx, m, key, batchID, func(tx *Tx, batch store.Batch, eggs map[int64]store.Egg) (Done, error) {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return Done{}, err
		}
		if hatcherID == 0 {
			hatcherID = batch.HatcherID
		}
		switch v, err := w.View(batch); {
		case err != nil:
			return Done{}, err
		case v.Kind.IsReptile():
			return Done{}, Problemf("batch", "Reptile eggs are left as they lie: there is no lockdown.")
		case batch.LockedAt != nil:
			return Done{}, Problemf("batch", "%s is in lockdown already.", batch.Code)
		case w.Rooms[hatcherID][batch.Species].Hatching == 0:
			return Done{}, Problemf("hatcher", "Pick a machine in which these eggs can hatch.")
		}
		at, err := tx.When(batch, told)
		if err != nil {
			return Done{}, err
		}
		before := batch
		batch.HatcherID, batch.LockedAt = hatcherID, &at
		if err := tx.MoveBatch(ctx, batch); err != nil {
			return Done{}, err
		}
		return Record(ctx, tx, On("batch", batchID), Undo{batchBefore.Of(before)}, "%s in lockdown in %s.", batch.Code, w.MachineByID[hatcherID].Name)
	})
}

// RecordOpened records what eggs that were taken out showed on opening: a true clear
// has a small dense white spot, an early death a larger ring.
func (b *Service) RecordOpened(ctx context.Context, m *Member, key string, batchID int64, ids []int64, stage candling.Stage) (Done, error) {
	return b.Act(ctx, m, key, func(tx *Tx) (Done, error) {
		batch, err := tx.Batch(ctx, batchID)
		if err != nil {
			return Done{}, err
		}
		all, err := tx.BatchEggs(ctx, batchID)
		if err != nil {
			return Done{}, err
		}
		if !slices.Contains(candling.Stages[:len(candling.Stages)-1], stage) {
			return Done{}, Problemf("stage", "%q is nothing that an opened egg shows.", string(stage))
		}
		for _, id := range ids {
			if !slices.ContainsFunc(all, func(e store.Egg) bool { return e.ID == id }) {
				return Done{}, ErrNone
			}
		}
		opened, err := tx.SetOpened(ctx, ids, string(stage))
		if err != nil {
			return Done{}, err
		}
		if len(opened) == 0 {
			return Done{}, Problemf("eggs", "Mark eggs that were taken out and not opened yet.")
		}
		if err := UpdateFertility(ctx, tx.Tx, batchID); err != nil {
			return Done{}, err
		}
		return Record(ctx, tx, On("batch", batchID), Undo{shut.Of(opened)}, "%s: %s opened, %s.", batch.Code, wording.Plural(len(opened), "egg"), stage)
	})
}

// Proof is how a candler's calls of one kind proved right, early or late in
// incubation.
type Proof struct {
	Who  string
	Late bool
	Call candling.Call
	K, N int // right, of those that are known by now
}

// Proofs tells how the calls of a batch proved.
func (b *Service) Proofs(ctx context.Context, m *Member, batchID int64) (all []Proof, err error) {
	err = b.Read(ctx, m, func(tx *Tx) error {
		batch, err := tx.Batch(ctx, batchID)
		if err != nil {
			return err
		}
		_, v, err := tx.Viewed(ctx, batch)
		if err != nil {
			return err
		}
		said, err := tx.Said(ctx, batchID)
		all = proofs(said, v)
		return err
	})
	return
}

// proofs counts them; calls of which nobody knows yet are left out.
func proofs(said []store.Said, v BatchView) (all []Proof) {
	for _, s := range said {
		hatched := s.Fate != nil && outcome.Fate(*s.Fate) == outcome.Hatched
		done := calendar.Elapsed(v.SetAt, s.At) / v.HatchDay
		right, known := candling.Proved(candling.Call(s.Call), done, hatched, OpenedAs(s.Fate, s.Stage, s.Opened))
		if !known {
			continue
		}
		i := slices.IndexFunc(all, func(p Proof) bool { return p.Who == s.Who && p.Late == (done >= .5) && p.Call == candling.Call(s.Call) })
		if i < 0 {
			i = len(all)
			all = append(all, Proof{Who: s.Who, Late: done >= .5, Call: candling.Call(s.Call)})
		}
		all[i].N++
		if right {
			all[i].K++
		}
	}
	return
}

// TickOff ticks a chore of a batch off.
func (b *Service) TickOff(ctx context.Context, m *Member, key string, batchID int64, kind string, day int) (Done, error) {
	return b.OnBatch(ctx, m, key, batchID, func(tx *Tx, batch store.Batch, eggs map[int64]store.Egg) (Done, error) {
		if (kind != calendar.Candle && kind != calendar.Pull) || day < 0 || day > calendar.MaxDays {
			return Done{}, Problemf("kind", "%q is no chore that can be ticked off.", kind)
		}
		open, err := tx.MarkDone(ctx, batchID, kind, day, b.Now())
		if err != nil {
			return Done{}, err
		}
		if !open {
			return Done{}, Problemf("kind", "This was done already.")
		}
		return Record(ctx, tx, On("batch", batchID), Undo{choreUndone.Of(store.ChoreDone{BatchID: batchID, Kind: kind, Day: day})}, "%s: %s done.", batch.Code, wording.Lower(calendar.Title(kind)))
	})
}

// Egg is one egg of a batch.
type Egg = store.Egg
