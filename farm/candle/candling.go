package candle

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// one candling may last so long; a call after it begins the next.
const candlingLasts = 3 * time.Hour

// Calling is a call for some eggs. TakeOut takes those out of the machine that the
// call condemns.
type Calling struct {
	Call    candling.Call
	Eggs    []int64
	TakeOut bool
	At      time.Time // zero: now
}

// Candle records one call for these eggs.
func (b *Service) Candle(ctx context.Context, req farm.Request, batchID int64, c Calling) (farm.Done, error) {
	call, ids, takeOut := c.Call, c.Eggs, c.TakeOut
	return snapshot.OnBatch(ctx, b.Service, req, batchID,
		func(tx *farm.Tx, batch store.Batch, eggs snapshot.Eggs) (farm.Done, error) {
			if !slices.Contains(candling.Calls, call) {
				return farm.Done{}, farm.Problemf("call", "%q is no call.", string(call))
			}
			if err := snapshot.Living(ids, eggs); err != nil {
				return farm.Done{}, err
			}
			at, err := snapshot.When(tx, batch, c.At)
			if err != nil {
				return farm.Done{}, err
			}
			out := takeOut && req.TakesOut(call)
			if err := doubts(ctx, tx, batch, call, ids, out, at); err != nil {
				return farm.Done{}, err
			}
			return called(ctx, tx, batch, call, ids, out, at)
		})
}

// doubts asks about calls on days on which nothing is to be seen yet, about clears that were seen alive, and about eggs
// that are taken out although others stick to them.
func doubts(
	ctx context.Context, tx *farm.Tx, batch store.Batch, call candling.Call, ids []int64, out bool, at time.Time,
) error {
	var p farm.Problems
	m, day := tx.Member, calendar.Elapsed(batch.SetAt, at)
	if day < candling.Nothing && (call == candling.Live || call == candling.Clear || call == candling.Quit) {
		p.Doubtf(tx.Request, "call", "Called %s on %s? Before %s nothing is to be seen.",
			call, m.Counting().Day(day), m.Counting().Day(candling.Nothing))
	}
	if call == candling.Clear {
		n, on, err := seenAlive(ctx, tx, batch.ID, ids, at)
		if err != nil {
			return err
		}
		if n > 0 {
			p.Doubtf(tx.Request, "call", "%s called live on %s: really clear?",
				wording.Were(n, "egg"), m.Counting().Day(calendar.Elapsed(batch.SetAt, on)))
		}
	}
	if out {
		if err := snapshot.AskTorn(ctx, tx, &p, batch, ids); err != nil {
			return err
		}
	}
	return p.Err()
}

// seenAlive counts the eggs of which the last call before this sitting was live, and tells when that was.
func seenAlive(
	ctx context.Context, tx *farm.Tx, batchID int64, ids []int64, at time.Time,
) (n int, on time.Time, err error) {
	looks, err := tx.LooksBefore(ctx, at.Add(-candlingLasts), batchID)
	for _, l := range looks {
		if slices.Contains(ids, l.EggID) && l.Call == string(candling.Live) {
			n, on = n+1, *l.At
		}
	}
	return n, on, err
}

// CandleRest calls every egg live that is still in the batch and was not called
// in the candling of the hours before; told is when, zero for now.
func (b *Service) CandleRest(
	ctx context.Context, req farm.Request, batchID int64, told time.Time,
) (farm.Done, error) {
	return snapshot.OnBatch(ctx, b.Service, req, batchID,
		func(tx *farm.Tx, batch store.Batch, eggs snapshot.Eggs) (farm.Done, error) {
			at, err := snapshot.When(tx, batch, told)
			if err != nil {
				return farm.Done{}, err
			}
			session, err := tx.Candling(ctx, batchID, at.Add(-candlingLasts), at)
			if err != nil {
				return farm.Done{}, err
			}
			before, err := tx.CalledIn(ctx, session)
			if err != nil {
				return farm.Done{}, err
			}
			var rest []int64
			for id, e := range eggs {
				if e.Fate == nil && !slices.Contains(before, id) {
					rest = append(rest, id)
				}
			}
			if len(rest) == 0 {
				return farm.Done{}, farm.Problemf("eggs", "Every egg was called already.")
			}
			if err := doubts(ctx, tx, batch, candling.Live, rest, false, at); err != nil {
				return farm.Done{}, err
			}
			slices.Sort(rest)
			return called(ctx, tx, batch, candling.Live, rest, false, at)
		})
}

func called(
	ctx context.Context, tx *farm.Tx, batch store.Batch, call candling.Call, ids []int64, out bool, at time.Time,
) (farm.Done, error) {
	session, err := tx.Candling(ctx, batch.ID, at.Add(-candlingLasts), at)
	if err != nil {
		return farm.Done{}, err
	}
	calls, err := tx.Call(ctx, session, string(call), ids, tx.Member.PersonID)
	if err != nil {
		return farm.Done{}, err
	}
	u := journal.Undo{dropCalls.Of(calls)}
	said := fmt.Sprintf("%s: %s called %s", batch.Code, wording.Plural(len(ids), "egg"), call)
	sure := ids
	if out && call == candling.Quit && late(batch, at) {
		if sure, err = calledBefore(ctx, tx, batch, ids, call); err != nil {
			return farm.Done{}, err
		}
		if n := len(ids) - len(sure); n > 0 {
			said += fmt.Sprintf("; %s stays in: so late a live one may look so, look at it again", wording.Plural(n, "egg"))
		}
	}
	if out && len(sure) > 0 {
		ended, err := tx.End(ctx, sure, string(outcome.Removed), string(call), at)
		if err != nil {
			return farm.Done{}, err
		}
		u = append(u, journal.Revive.Of(ended))
		said += " and taken out"
	}
	return journal.Record(ctx, tx, journal.On(journal.Batch, batch.ID), u, "%s.", said)
}

// late tells whether a batch is looked at near its end.
func late(batch store.Batch, at time.Time) bool {
	kind, err := species.Find(batch.Species)
	return err == nil && !kind.IsReptile() && candling.NearTheEnd(calendar.Elapsed(batch.SetAt, at), kind.HatchDays.At)
}

// calledBefore gives those of the eggs of which the call before the last was the same.
func calledBefore(
	ctx context.Context, tx *farm.Tx, batch store.Batch, ids []int64, call candling.Call,
) (same []int64, err error) {
	eggs, err := tx.BatchEggs(ctx, batch.ID)
	for _, e := range eggs {
		if n := len(e.Calls); slices.Contains(ids, e.ID) && n > 1 && e.Calls[n-2] == string(call) {
			same = append(same, e.ID)
		}
	}
	return same, err
}

// RecordOpened records what eggs that were taken out showed on opening: a true clear
// has a small dense white spot, an early death a larger ring.
func (b *Service) RecordOpened(
	ctx context.Context, req farm.Request, batchID int64, ids []int64, stage candling.Stage,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		batch, err := tx.Batch(ctx, batchID)
		if err != nil {
			return farm.Done{}, err
		}
		all, err := tx.BatchEggs(ctx, batchID)
		if err != nil {
			return farm.Done{}, err
		}
		if !slices.Contains(candling.Stages[:len(candling.Stages)-1], stage) {
			return farm.Done{}, farm.Problemf("stage", "%q is nothing that an opened egg shows.", string(stage))
		}
		for _, id := range ids {
			if !slices.ContainsFunc(all, func(e store.Egg) bool { return e.ID == id }) {
				return farm.Done{}, farm.ErrNone
			}
		}
		opened, err := tx.SetOpened(ctx, ids, string(stage))
		if err != nil {
			return farm.Done{}, err
		}
		if len(opened) == 0 {
			return farm.Done{}, farm.Problemf("eggs", "Mark eggs that were taken out and not opened yet.")
		}
		if err := snapshot.UpdateFertility(ctx, tx.Tx, batchID); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(
			ctx, tx, journal.On(journal.Batch, batchID), journal.Undo{shut.Of(opened)}, "%s: %s opened, %s.", batch.Code,
			wording.Plural(len(opened), "egg"), stage,
		)
	})
}
