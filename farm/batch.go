package farm

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/marks"
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
	Proofs   []Proof
	Prospect Prospect
}

// PenEggs are a batch's eggs of one pen.
type PenEggs struct {
	Pen
	Eggs    []store.Egg
	Alive   int
	Hatched int
	Rates
}

// Batch shows one batch.
func (b *Books) Batch(ctx context.Context, m *Member, id int64) (page BatchPage, err error) {
	err = b.read(ctx, m, func(tx *store.Tx) error {
		w, err := b.barn(ctx, tx, m)
		if err != nil {
			return err
		}
		open, err := w.views(ctx, tx, func() ([]store.Batch, error) { return tx.OpenBatches(ctx) })
		if err != nil {
			return err
		}
		if i := slices.IndexFunc(open, func(v BatchView) bool { return v.ID == id }); i >= 0 {
			page.BatchView = open[i]
		} else {
			done, err := w.views(ctx, tx, func() ([]store.Batch, error) { return tx.BatchesByID(ctx, []int64{id}) })
			if err != nil {
				return err
			}
			if len(done) == 0 {
				return ErrNone
			}
			page.BatchView = done[0]
		}
		eggs, err := tx.BatchEggs(ctx, id)
		if err != nil {
			return err
		}
		page.Pens = w.byPen(eggs, page.BatchView)
		if page.Journal, err = tx.BatchJournal(ctx, id, 30); err != nil {
			return err
		}
		for i, e := range page.Journal {
			if e.Undo != nil && !e.Undone {
				page.Last = &page.Journal[i]
				break
			}
		}
		_, page.Hatchers = w.places(w.allStays(open), page.Species)
		page.Expect = candling.Expect(page.Kind, page.Day, page.HatchDay)
		page.Counter, page.HasCount = Counter(page.Stands(), w.now)
		page.Bands = map[int64]marks.Band{}
		for _, p := range page.Pens {
			page.Bands[p.ID] = w.band(p.ID)
		}
		said, err := tx.Said(ctx, id)
		if err != nil {
			return err
		}
		page.Proofs = proofs(said, page.BatchView)
		if !page.Open() {
			return nil
		}
		if page.Prospect, err = w.prospect(ctx, tx, page); err != nil {
			return err
		}
		up, err := tx.Upkeep(ctx, w.dayBegan())
		if err != nil {
			return err
		}
		page.Rounds = w.rounds([]BatchView{page.BatchView}, up.Care)
		page.Care, err = tx.CareLog(ctx, id, 0, 30)
		return err
	})
	return
}

func (w *barn) byPen(eggs []store.Egg, v BatchView) (pens []PenEggs) {
	for _, e := range eggs {
		i := slices.IndexFunc(pens, func(p PenEggs) bool { return p.ID == e.PenID })
		if i < 0 {
			i = len(pens)
			pens = append(pens, PenEggs{Pen: w.pens[e.PenID]})
		}
		p := &pens[i]
		p.Eggs = append(p.Eggs, e)
		if e.Fate == nil {
			p.Alive++
		} else if *e.Fate == "hatched" {
			p.Hatched++
		}
	}
	for i := range pens {
		pens[i].Rates = ratesOf(record(pens[i].Eggs, v.ClosedAt != nil))
	}
	return
}

func record(eggs []store.Egg, closed bool) (r store.Record) {
	for _, e := range eggs {
		hatched := e.Fate != nil && *e.Fate == "hatched"
		r.Set++
		if e.Fertile != nil {
			r.Examined++
		}
		fertile := e.Fertile != nil && *e.Fertile
		if fertile {
			r.Fertile++
		}
		if closed {
			r.SetClosed++
			if hatched {
				r.HatchedClosed++
			}
			if fertile {
				r.FertileClosed++
				if hatched {
					r.HatchedFertile++
				}
			}
		}
	}
	return
}

// Batches lists what is in the machines, and one page of what was.
func (b *Books) Batches(ctx context.Context, m *Member, skip int) (open, closed []BatchView, err error) {
	err = b.read(ctx, m, func(tx *store.Tx) error {
		w, err := b.barn(ctx, tx, m)
		if err != nil {
			return err
		}
		if open, err = w.views(ctx, tx, func() ([]store.Batch, error) { return tx.OpenBatches(ctx) }); err != nil {
			return err
		}
		closed, err = w.views(ctx, tx, func() ([]store.Batch, error) { return tx.ClosedBatches(ctx, PageOfBatches, skip) })
		return err
	})
	return
}

// PageOfBatches is how many batches that are done stand on one page.
const PageOfBatches = 40

// onBatch runs an action on an open batch, with its eggs by id, and afterwards
// brings up to date what is known of their fertility.
func (b *Books) onBatch(ctx context.Context, m *Member, key string, id int64, work func(tx *store.Tx, batch store.Batch, eggs map[int64]store.Egg) (Done, error)) (Done, error) {
	return b.act(ctx, m, key, func(tx *store.Tx) (Done, error) {
		batch, err := tx.Batch(ctx, id)
		if err != nil {
			return Done{}, err
		}
		if batch.ClosedAt != nil {
			return Done{}, problem("batch", "%s is closed; take the closing back first.", batch.Code)
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
		return done, KnowFertile(ctx, tx, id)
	})
}

// KnowFertile keeps, egg by egg, what the calls and the hatch have told.
func KnowFertile(ctx context.Context, tx *store.Tx, batchID int64) error {
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
		var opened candling.Stage
		if e.Fate != nil && *e.Fate == "unhatched" && e.Stage != nil {
			opened = candling.Stage(*e.Stage)
		}
		if e.Opened != nil {
			opened = candling.Stage(*e.Opened)
		}
		if fertile, ok := candling.Fertile(calls, e.Fate != nil && *e.Fate == "hatched", opened); ok {
			known[i] = &fertile
		}
	}
	return tx.SetFertile(ctx, ids, known)
}

// living checks that these eggs are still in the batch; none at all is a problem.
func living(ids []int64, eggs map[int64]store.Egg) error {
	if len(ids) == 0 {
		return problem("eggs", "Mark the eggs first.")
	}
	for _, id := range ids {
		e, ok := eggs[id]
		if !ok {
			return ErrNone
		}
		if e.Fate != nil {
			return problem("eggs", "Egg %d is %s already.", e.No, *e.Fate)
		}
	}
	return nil
}

// one candling may last so long; a call after it begins the next.
const candlingLasts = 3 * time.Hour

// Candle records one call for these eggs. takeOut takes those out of the
// machine that the call condemns.
func (b *Books) Candle(ctx context.Context, m *Member, key string, batchID int64, call candling.Call, ids []int64, takeOut bool) (Done, error) {
	return b.onBatch(ctx, m, key, batchID, func(tx *store.Tx, batch store.Batch, eggs map[int64]store.Egg) (Done, error) {
		if !slices.Contains(candling.Calls, call) {
			return Done{}, problem("call", "%q is no call.", string(call))
		}
		if err := living(ids, eggs); err != nil {
			return Done{}, err
		}
		return b.called(ctx, tx, m, batch, call, ids, takeOut && m.TakesOut(call), b.Now())
	})
}

// CandleRest calls every egg live that is still in the batch and was not called
// in the candling of these hours.
func (b *Books) CandleRest(ctx context.Context, m *Member, key string, batchID int64) (Done, error) {
	return b.candleRest(ctx, m, key, batchID, b.Now())
}

func (b *Books) candleRest(ctx context.Context, m *Member, key string, batchID int64, at time.Time) (Done, error) {
	return b.onBatch(ctx, m, key, batchID, func(tx *store.Tx, batch store.Batch, eggs map[int64]store.Egg) (Done, error) {
		session, err := tx.Candling(ctx, batchID, at.Add(-candlingLasts), at)
		if err != nil {
			return Done{}, err
		}
		called, err := tx.CalledIn(ctx, session)
		if err != nil {
			return Done{}, err
		}
		var rest []int64
		for id, e := range eggs {
			if e.Fate == nil && !slices.Contains(called, id) {
				rest = append(rest, id)
			}
		}
		if len(rest) == 0 {
			return Done{}, problem("eggs", "Every egg was called already.")
		}
		slices.Sort(rest)
		return b.called(ctx, tx, m, batch, candling.Live, rest, false, at)
	})
}

func (b *Books) called(ctx context.Context, tx *store.Tx, m *Member, batch store.Batch, call candling.Call, ids []int64, out bool, at time.Time) (Done, error) {
	session, err := tx.Candling(ctx, batch.ID, at.Add(-candlingLasts), at)
	if err != nil {
		return Done{}, err
	}
	u := &undo{}
	if u.Calls, err = tx.Call(ctx, session, string(call), ids, m.PersonID); err != nil {
		return Done{}, err
	}
	said := fmt.Sprintf("%s: %s called %s", batch.Code, plural(len(ids), "egg"), call)
	if out {
		if u.Revive, err = tx.End(ctx, ids, "removed", string(call), at); err != nil {
			return Done{}, err
		}
		said += " and taken out"
	}
	return b.wrote(ctx, tx, m, batch.ID, u, "%s.", said)
}

// Lockdown stops the turning and moves the batch to where it hatches.
func (b *Books) Lockdown(ctx context.Context, m *Member, key string, batchID, hatcherID int64) (Done, error) {
	return b.onBatch(ctx, m, key, batchID, func(tx *store.Tx, batch store.Batch, eggs map[int64]store.Egg) (Done, error) {
		w, err := b.barn(ctx, tx, m)
		if err != nil {
			return Done{}, err
		}
		if hatcherID == 0 {
			hatcherID = batch.HatcherID
		}
		switch v, err := w.view(batch); {
		case err != nil:
			return Done{}, err
		case v.Kind.IsReptile():
			return Done{}, problem("batch", "Reptile eggs are left as they lie: there is no lockdown.")
		case batch.LockedAt != nil:
			return Done{}, problem("batch", "%s is in lockdown already.", batch.Code)
		case w.rooms[hatcherID][batch.Species].Hatching == 0:
			return Done{}, problem("hatcher", "Pick a machine in which these eggs can hatch.")
		}
		before, now := batch, b.Now()
		batch.HatcherID, batch.LockedAt = hatcherID, &now
		if err := tx.MoveBatch(ctx, batch); err != nil {
			return Done{}, err
		}
		return b.wrote(ctx, tx, m, batchID, &undo{Stand: &before}, "%s in lockdown in %s.", batch.Code, w.machines[hatcherID].Name)
	})
}

// Hatched records how many eggs of each pen hatched since the last time, the
// lowest numbers first.
func (b *Books) Hatched(ctx context.Context, m *Member, key string, batchID int64, counts map[int64]int) (Done, error) {
	return b.onBatch(ctx, m, key, batchID, func(tx *store.Tx, batch store.Batch, eggs map[int64]store.Egg) (Done, error) {
		byPen := map[int64][]store.Egg{}
		for _, e := range eggs {
			if e.Fate == nil {
				byPen[e.PenID] = append(byPen[e.PenID], e)
			}
		}
		var ids []int64
		for pen, n := range counts {
			left := byPen[pen]
			if n < 0 || n > len(left) {
				return Done{}, problem("hatched", "%d young, but %s left; it may be 0 to %d.", n, plural(len(left), "egg"), len(left))
			}
			slices.SortFunc(left, func(x, y store.Egg) int { return x.No - y.No })
			for _, e := range left[:n] {
				ids = append(ids, e.ID)
			}
		}
		if len(ids) == 0 {
			return Done{}, problem("hatched", "Say how many hatched.")
		}
		return b.end(ctx, tx, m, batch, ids, "hatched", "")
	})
}

// End ends these eggs: hatched, unhatched with what the break-out showed, or
// removed with a reason.
func (b *Books) End(ctx context.Context, m *Member, key string, batchID int64, ids []int64, fate, stage string) (Done, error) {
	return b.onBatch(ctx, m, key, batchID, func(tx *store.Tx, batch store.Batch, eggs map[int64]store.Egg) (Done, error) {
		switch {
		case fate == "hatched" && stage == "":
		case fate == "unhatched" && slices.Contains(candling.Stages, candling.Stage(stage)):
		case fate == "removed" && slices.Contains(Reasons, stage):
		default:
			return Done{}, problem("fate", "%q is no end of an egg.", fate+" "+stage)
		}
		if err := living(ids, eggs); err != nil {
			return Done{}, err
		}
		return b.end(ctx, tx, m, batch, ids, fate, stage)
	})
}

// Opened records what eggs that were taken out showed on opening: a true clear
// has a small dense white spot, an early death a larger ring.
func (b *Books) Opened(ctx context.Context, m *Member, key string, batchID int64, ids []int64, stage candling.Stage) (Done, error) {
	return b.act(ctx, m, key, func(tx *store.Tx) (Done, error) {
		batch, err := tx.Batch(ctx, batchID)
		if err != nil {
			return Done{}, err
		}
		all, err := tx.BatchEggs(ctx, batchID)
		if err != nil {
			return Done{}, err
		}
		if !slices.Contains(candling.Stages[:len(candling.Stages)-1], stage) {
			return Done{}, problem("stage", "%q is nothing that an opened egg shows.", string(stage))
		}
		for _, id := range ids {
			if !slices.ContainsFunc(all, func(e store.Egg) bool { return e.ID == id }) {
				return Done{}, ErrNone
			}
		}
		opened, err := tx.Open(ctx, ids, string(stage))
		if err != nil {
			return Done{}, err
		}
		if len(opened) == 0 {
			return Done{}, problem("eggs", "Mark eggs that were taken out and not opened yet.")
		}
		if err := KnowFertile(ctx, tx, batchID); err != nil {
			return Done{}, err
		}
		return b.wrote(ctx, tx, m, batchID, &undo{Opened: opened}, "%s: %s opened, %s.", batch.Code, plural(len(opened), "egg"), stage)
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

// proofs counts them; calls of which nobody knows yet are left out.
func proofs(said []store.Said, v BatchView) (all []Proof) {
	for _, s := range said {
		var opened candling.Stage
		if s.Fate != nil && *s.Fate == "unhatched" && s.Stage != nil {
			opened = candling.Stage(*s.Stage)
		}
		if s.Opened != nil {
			opened = candling.Stage(*s.Opened)
		}
		done := calendar.Elapsed(v.SetAt, s.At) / v.HatchDay
		right, known := candling.Proved(candling.Call(s.Call), done, s.Fate != nil && *s.Fate == "hatched", opened)
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

// Reasons are why an egg may be taken out besides what candling says.
var Reasons = []string{"cracked", "bad", "broken", "other"}

func (b *Books) end(ctx context.Context, tx *store.Tx, m *Member, batch store.Batch, ids []int64, fate, stage string) (Done, error) {
	ended, err := tx.End(ctx, ids, fate, stage, b.Now())
	if err != nil {
		return Done{}, err
	}
	said := fmt.Sprintf("%s: %s %s", batch.Code, plural(len(ended), "egg"), fate)
	if stage != "" {
		said += ", " + stage
	}
	return b.wrote(ctx, tx, m, batch.ID, &undo{Revive: ended}, "%s.", said)
}

// Close ends a batch: what is left in it did not hatch and was not opened.
func (b *Books) Close(ctx context.Context, m *Member, key string, batchID int64) (Done, error) {
	return b.onBatch(ctx, m, key, batchID, func(tx *store.Tx, batch store.Batch, eggs map[int64]store.Egg) (Done, error) {
		var rest []int64
		hatched := 0
		for id, e := range eggs {
			if e.Fate == nil {
				rest = append(rest, id)
			} else if *e.Fate == "hatched" {
				hatched++
			}
		}
		w, err := b.barn(ctx, tx, m)
		if err != nil {
			return Done{}, err
		}
		v, err := w.view(batch)
		if err != nil {
			return Done{}, err
		}
		if len(rest) > 0 && !v.Hatching() {
			return Done{}, problem("batch", "%s are still growing; %s is not due before %s.", plural(len(rest), "egg"), batch.Code, m.ShortDay(v.Hatch().From))
		}
		before, now := batch, b.Now()
		u := &undo{Stand: &before}
		if u.Revive, err = tx.End(ctx, rest, "unhatched", string(candling.NotOpened), now); err != nil {
			return Done{}, err
		}
		batch.ClosedAt = &now
		if err := tx.MoveBatch(ctx, batch); err != nil {
			return Done{}, err
		}
		return b.wrote(ctx, tx, m, batchID, u, "%s closed: %d hatched of %s.", batch.Code, hatched, plural(len(eggs), "egg"))
	})
}

// MarkDone ticks a chore of a batch off.
func (b *Books) MarkDone(ctx context.Context, m *Member, key string, batchID int64, kind string, day int) (Done, error) {
	return b.onBatch(ctx, m, key, batchID, func(tx *store.Tx, batch store.Batch, eggs map[int64]store.Egg) (Done, error) {
		if (kind != calendar.Candle && kind != calendar.Pull) || day < 0 || day > calendar.MaxDays {
			return Done{}, problem("kind", "%q is no chore that can be ticked off.", kind)
		}
		open, err := tx.MarkDone(ctx, batchID, kind, day, b.Now())
		if err != nil || !open {
			return Done{}, errors.Join(err, problem("kind", "This was done already."))
		}
		return b.wrote(ctx, tx, m, batchID, &undo{Chore: &store.ChoreDone{BatchID: batchID, Kind: kind, Day: day}}, "%s: %s done.", batch.Code, lower(calendar.Title(kind)))
	})
}

// Egg is one egg of a batch.
type Egg = store.Egg
