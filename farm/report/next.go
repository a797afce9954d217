package report

import (
	"context"
	"slices"
	"strings"

	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/hatch"
)

// mostNext may stand for a kind at once: a list that nobody reads helps nobody.
const mostNext = 8

// TryNext keeps what is to be done otherwise with the next batches of this one's kind.
func (b *Service) TryNext(
	ctx context.Context, req farm.Request, batchID int64, says []string,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		batch, err := tx.Batch(ctx, batchID)
		if err != nil {
			return farm.Done{}, err
		}
		var all []string
		for _, s := range says {
			s = strings.Join(strings.Fields(s), " ")
			switch {
			case s == "" || slices.Contains(all, s):
			case len([]rune(s)) > 200:
				return farm.Done{}, farm.Problemf("own", "That may have 200 characters.")
			default:
				all = append(all, s)
			}
		}
		if len(all) == 0 {
			return farm.Done{}, farm.Problemf("says", "Tick what you mean to try.")
		}
		standing, err := hatch.On(tx).NextTimes(ctx)
		if err != nil {
			return farm.Done{}, err
		}
		n := 0
		for _, s := range standing {
			n += farm.OneIf(s.Species == batch.Species)
		}
		if n+len(all) > mostNext {
			return farm.Done{}, farm.Problemf("says", "%d things may be on the list of a kind; %s stand already.",
				mostNext, wording.Plural(n, "one"))
		}
		ids, err := hatch.On(tx).AddNextTimes(ctx, batch.Species, all, batchID, tx.At, req.PersonID)
		if err != nil {
			return farm.Done{}, err
		}
		if len(ids) == 0 {
			return farm.Done{}, farm.Problemf("says", "That is on the list already.")
		}
		return journal.Record(ctx, tx, journal.On(journal.Batch, batchID), journal.Undo{dropNext.Of(ids)},
			"Next time, learnt of %s: %s", batch.Code, strings.Join(all, " "))
	})
}

// EndNext takes something from the list: it is habit by now, or given up.
func (b *Service) EndNext(ctx context.Context, req farm.Request, id int64) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		says, err := hatch.On(tx).EndNextTime(ctx, id, &tx.At)
		if err != nil {
			return farm.Done{}, err
		}
		if says == "" {
			return farm.Done{}, farm.ErrNone
		}
		return journal.Record(ctx, tx, nil, journal.Undo{againNext.Of(id)}, "No longer on the list: %s", says)
	})
}

// NextDone ticks off, for one batch, what was to be done otherwise.
func (b *Service) NextDone(ctx context.Context, req farm.Request, batchID, id int64) (farm.Done, error) {
	return snapshot.OnBatch(ctx, b.Service, req, batchID,
		func(tx *farm.Tx, batch store.Batch, _ snapshot.Eggs) (farm.Done, error) {
			standing, err := hatch.On(tx).NextTimes(ctx)
			if err != nil {
				return farm.Done{}, err
			}
			i := slices.IndexFunc(standing, func(n NextTime) bool { return n.ID == id && n.Species == batch.Species })
			if i < 0 {
				return farm.Done{}, farm.ErrNone
			}
			done := store.ChoreDone{BatchID: batchID, Kind: chores.NextTime, Day: int(id)}
			return chores.Tick(ctx, tx, done, "%s: %s", batch.Code, standing[i].Says)
		})
}

var (
	dropNext = journal.NewKind("next_times", func(ctx context.Context, tx *farm.Tx, ids []int64) error {
		return hatch.On(tx).DropNextTimes(ctx, ids)
	})
	againNext = journal.NewKind("next_time_again", func(ctx context.Context, tx *farm.Tx, id int64) error {
		_, err := hatch.On(tx).EndNextTime(ctx, id, nil)
		return err
	})
)
