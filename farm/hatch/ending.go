package hatch

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Young are young as they were counted, pen by pen, since the last time.
type Young struct {
	ByPen   map[int64]int
	OnTrial map[int64]int // of eggs that were set on trial
	At      time.Time     // zero: now
}

// Hatched records how many young of each pen hatched. From which eggs they came is
// not known by that; it is when the batch is closed and no other egg is left.
func (b *Service) Hatched(ctx context.Context, req farm.Request, batchID int64, y Young) (farm.Done, error) {
	return b.onPens(ctx, req, batchID, func(tx *farm.Tx, batch store.Batch, pens []snapshot.PenEggs) (farm.Done, error) {
		at, err := snapshot.When(tx, batch, y.At)
		if err != nil {
			return farm.Done{}, err
		}
		all, err := y.check(batch, pens)
		if err != nil {
			return farm.Done{}, err
		}
		if err := soon(ctx, tx, batch, at); err != nil {
			return farm.Done{}, err
		}
		counts, err := tx.CountYoung(ctx, batchID, all, at, req.PersonID)
		if err != nil {
			return farm.Done{}, err
		}
		n := 0
		for _, c := range all {
			n += c.Young
		}
		return journal.Record(
			ctx, tx, journal.On(journal.Batch, batchID), journal.Undo{dropYoung.Of(counts)}, "%s: %d young hatched.",
			batch.Code, n,
		)
	})
}

// soon asks about young that came days before the first usually do.
func soon(ctx context.Context, tx *farm.Tx, batch store.Batch, at time.Time) error {
	_, v, err := snapshot.Viewed(ctx, tx, batch)
	if err != nil {
		return err
	}
	var p farm.Problems
	if first := v.Hatch().From; at.Before(first.AddDate(0, 0, -earlyDays)) {
		p.Doubtf(tx.Request, "hatched", "Young on %s? The first are due %s.",
			tx.Member.Counting().Day(calendar.Elapsed(batch.SetAt, at)), tx.Member.ShortDay(first))
	}
	return p.Err()
}

func (y Young) check(batch store.Batch, pens []snapshot.PenEggs) (all []store.Young, err error) {
	for trial, counts := range map[bool]map[int64]int{false: y.ByPen, true: y.OnTrial} {
		for pen, n := range counts {
			left := 0
			for _, p := range pens {
				if p.ID == pen && p.Trial == trial {
					left = p.Alive
				}
			}
			if n < 0 || n > left {
				return nil, farm.Problemf(
					"hatched", "%d young, but %s left; it may be 0 to %d.", n, wording.Plural(left, "egg"), left,
				)
			}
			if n > 0 {
				all = append(all, store.Young{BatchID: batch.ID, PenID: pen, Trial: trial, Young: n})
			}
		}
	}
	if len(all) == 0 {
		return nil, farm.Problemf("hatched", "Say how many hatched.")
	}
	slices.SortFunc(all, func(a, b store.Young) int {
		return cmp.Or(cmp.Compare(a.PenID, b.PenID), farm.OneIf(a.Trial)-farm.OneIf(b.Trial))
	})
	return all, nil
}

// onPens runs an action on an open batch, with its eggs by pen.
func (b *Service) onPens(
	ctx context.Context, req farm.Request, batchID int64,
	work func(tx *farm.Tx, batch store.Batch, pens []snapshot.PenEggs) (farm.Done, error),
) (farm.Done, error) {
	return snapshot.OnBatch(ctx, b.Service, req, batchID,
		func(tx *farm.Tx, batch store.Batch, _ snapshot.Eggs) (farm.Done, error) {
			w, v, err := snapshot.Viewed(ctx, tx, batch)
			if err != nil {
				return farm.Done{}, err
			}
			eggs, counted, err := tx.EggsAndYoung(ctx, batchID)
			if err != nil {
				return farm.Done{}, err
			}
			return work(tx, batch, w.ByPen(eggs, counted, v))
		})
}

// Ending is how some eggs of a batch ended.
type Ending struct {
	Eggs  []int64
	Fate  outcome.Fate // Hatched, Unhatched with what the break-out showed, Removed with a reason, or Broken
	Stage string
	// Among says of hatched eggs that their young were counted before: now it is
	// known from which eggs these came.
	Among bool
	At    time.Time // zero: now
}

func (e Ending) check() error {
	switch {
	case (e.Fate == outcome.Hatched || e.Fate == outcome.Broken) && e.Stage == "":
	case e.Fate == outcome.Unhatched && slices.Contains(candling.Stages, candling.Stage(e.Stage)):
	case e.Fate == outcome.Removed && slices.Contains(Reasons, e.Stage):
	default:
		return farm.Problemf("fate", "%q is no end of an egg.", string(e.Fate)+" "+e.Stage)
	}
	return nil
}

// doubts asks about eggs that are taken out and were called live last.
func (e Ending) doubts(ctx context.Context, tx *farm.Tx, batch store.Batch) error {
	if e.Fate != outcome.Removed {
		return nil
	}
	looks, err := tx.Looks(ctx, batch.ID)
	if err != nil {
		return err
	}
	n, on := 0, time.Time{}
	for _, l := range looks {
		if slices.Contains(e.Eggs, l.EggID) && l.Call == string(candling.Live) {
			n, on = n+1, *l.At
		}
	}
	var p farm.Problems
	if n > 0 {
		p.Doubtf(tx.Request, "eggs", "%s called live on %s: really take out?", wording.Were(n, "egg"),
			tx.Member.Counting().Day(calendar.Elapsed(batch.SetAt, on)))
	}
	if err := snapshot.AskTorn(ctx, tx, &p, batch, e.Eggs); err != nil {
		return err
	}
	return p.Err()
}

// End ends these eggs.
func (b *Service) End(ctx context.Context, req farm.Request, batchID int64, e Ending) (farm.Done, error) {
	return b.onPens(ctx, req, batchID, func(tx *farm.Tx, batch store.Batch, pens []snapshot.PenEggs) (farm.Done, error) {
		if err := e.check(); err != nil {
			return farm.Done{}, err
		}
		at, err := snapshot.When(tx, batch, e.At)
		if err != nil {
			return farm.Done{}, err
		}
		eggs := snapshot.Eggs{}
		for _, p := range pens {
			for _, egg := range p.Eggs {
				eggs[egg.ID] = egg
			}
		}
		if err := snapshot.Living(e.Eggs, eggs); err != nil {
			return farm.Done{}, err
		}
		if err := e.doubts(ctx, tx, batch); err != nil {
			return farm.Done{}, err
		}
		found, err := e.found(batch, pens)
		if err != nil {
			return farm.Done{}, err
		}
		var u journal.Undo
		if len(found) > 0 {
			counts, err := tx.CountYoung(ctx, batchID, found, at, req.PersonID)
			if err != nil {
				return farm.Done{}, err
			}
			u = append(u, dropYoung.Of(counts))
		}
		ended, err := tx.End(ctx, e.Eggs, string(e.Fate), e.Stage, at)
		if err != nil {
			return farm.Done{}, err
		}
		u = append(u, journal.Revive.Of(ended))
		said := fmt.Sprintf("%s: %s %s", batch.Code, wording.Plural(len(ended), "egg"), fateWord(e.Fate))
		if e.Stage != "" {
			said += ", " + e.Stage
		}
		return journal.Record(ctx, tx, journal.On(journal.Batch, batchID), u, "%s.", said)
	})
}

// found gives the counts that are known egg by egg now, as numbers below zero, and
// sees that as many eggs are left as young were counted of them.
func (e Ending) found(batch store.Batch, pens []snapshot.PenEggs) (all []store.Young, err error) {
	for _, p := range pens {
		ending := 0
		left := p.Left()
		for _, egg := range left {
			ending += farm.OneIf(slices.Contains(e.Eggs, egg.ID))
		}
		counted := p.Counted
		if e.Among && e.Fate == outcome.Hatched {
			if n := min(ending, counted); n > 0 {
				counted -= n
				all = append(all, store.Young{BatchID: batch.ID, PenID: p.ID, Trial: p.Trial, Young: -n})
			}
		}
		if len(left)-ending < counted {
			return nil, farm.Problemf("fate", "%d young of %s were counted already, so of the %s left only %d "+
				"can have ended otherwise.",
				p.Counted, p.Label(), wording.Plural(len(left), "egg"), len(left)-p.Counted)
		}
	}
	return all, nil
}

// fateWord says an egg's end as it is written in the journal.
func fateWord(f outcome.Fate) string {
	return map[outcome.Fate]string{
		outcome.Hatched: "hatched", outcome.Unhatched: "did not hatch", outcome.Removed: "taken out",
		outcome.Broken: "broken by hand", outcome.Counted: "counted with others",
	}[f]
}

// Reasons are why an egg may be taken out besides what candling says. One broken by
// hand is an end of its own, that counts against nobody.
var Reasons = []string{"cracked", "bad", "other"}

// Close ends a batch: what is left in it did not hatch and was not opened. Where
// young were counted and it is not known from which eggs they came, these end as
// counted, with all others of their pen. told is when, zero for now.
func (b *Service) Close(
	ctx context.Context, req farm.Request, batchID int64, told time.Time,
) (farm.Done, error) {
	return b.onPens(ctx, req, batchID, func(tx *farm.Tx, batch store.Batch, pens []snapshot.PenEggs) (farm.Done, error) {
		at, err := snapshot.When(tx, batch, told)
		if err != nil {
			return farm.Done{}, err
		}
		alive, hatched, all := 0, 0, 0
		for _, p := range pens {
			alive, hatched, all = alive+p.Alive, hatched+p.Hatched, all+len(p.Eggs)
		}
		v, err := snapshot.Tallied(ctx, tx, batch)
		if err != nil {
			return farm.Done{}, err
		}
		if err := mayClose(v, alive, at, req.Member); err != nil {
			return farm.Done{}, err
		}
		if err := writesOff(tx.Request, v, alive); err != nil {
			return farm.Done{}, err
		}
		before := batch
		left, err := endLeft(ctx, tx, batchID, pens, at)
		if err != nil {
			return farm.Done{}, err
		}
		learned, err := learn(ctx, tx, v, pens)
		if err != nil {
			return farm.Done{}, err
		}
		u := append(append(journal.Undo{batchBefore.Of(before)}, left...), learned...)
		batch.ClosedAt = &at
		if err := tx.MoveBatch(ctx, batch); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(
			ctx, tx, journal.On(journal.Batch, batchID), u, "%s closed: %d hatched of %s.", batch.Code, hatched,
			wording.Plural(all, "egg"),
		)
	})
}

// mayClose tells why a batch cannot be over yet.
func mayClose(v snapshot.BatchView, alive int, at time.Time, m *farm.Member) error {
	if alive > 0 && !v.Hatching() {
		return farm.Problemf("batch", "%s are still growing; %s is not due before %s.",
			wording.Plural(alive, "egg"), v.Code, m.ShortDay(v.Hatch().From))
	}
	if v.LockedAt != nil && at.Before(*v.LockedAt) {
		return farm.Problemf(
			"when", "%s went into lockdown %s, so it was not over before.", v.Code, m.Moment(*v.LockedAt),
		)
	}
	return nil
}

// writesOff asks about eggs of which nobody knows what became of them, while it is still worth waiting for them.
func writesOff(req farm.Request, v snapshot.BatchView, alive int) error {
	var p farm.Problems
	if until := v.At(calendar.ClearOut); alive > 0 && v.Now.Before(until) && v.LockedAt != nil {
		p.Doubtf(req, "batch", "%s may still hatch: wait until %s. Close now, and write %s off?",
			wording.Plural(alive, "egg"), req.Moment(until), map[bool]string{true: "it", false: "them"}[alive == 1])
	}
	return p.Err()
}

// endLeft ends the eggs that are left when a batch is closed. A batch is known egg
// by egg, or it is not: if of any pen it is open which eggs the counted young came
// from, no count of the batch is told of single eggs, also not where all of a pen
// hatched or none did; else only what went well, or badly, would count.
func endLeft(
	ctx context.Context, tx *farm.Tx, batchID int64, pens []snapshot.PenEggs, at time.Time,
) (journal.Undo, error) {
	var ended []int64
	anyCounted, settled := false, true
	for _, p := range pens {
		anyCounted = anyCounted || p.Counted > 0
		settled = settled && (p.Counted == 0 || p.Alive == 0)
	}
	for _, p := range pens {
		fate, stage := outcome.Unhatched, string(candling.NotOpened)
		seenSingly := p.Hatched > p.Counted
		switch {
		case settled && p.Counted > 0:
			fate, stage = outcome.Hatched, ""
		case !settled && (p.Counted > 0 || !seenSingly):
			fate, stage = outcome.Counted, ""
		}
		var ids []int64
		for _, e := range p.Left() {
			ids = append(ids, e.ID)
		}
		if len(ids) == 0 {
			continue
		}
		those, err := tx.End(ctx, ids, string(fate), stage, at)
		if err != nil {
			return nil, err
		}
		ended = append(ended, those...)
	}
	u := journal.Undo{journal.Revive.Of(ended)}
	if !anyCounted || !settled {
		return u, nil
	}
	_, err := tx.SettleYoung(ctx, batchID, true)
	return append(u, unsettle.Of(batchID)), err
}
