package breeders

import (
	"context"
	"maps"
	"slices"

	"metrogon/farm"
	"metrogon/store"
)

// Egg is one of those behind a figure.
type Egg = store.EggBehind

// Behind is what stands behind the figures of one group.
type Behind struct {
	Table
	Row
	Batches []BehindBatch // the newest first
	Eggs    []Egg
	More    int // eggs that are not listed
}

// BehindBatch is what the group's eggs did in one batch.
type BehindBatch struct {
	store.BatchFacts
	Eggs int
	farm.Rates
}

// mostEggs is how many single eggs are listed.
const mostEggs = 300

// Behind opens a group of a table; farm.ErrNone if there is none of that key.
func (b *Service) Behind(ctx context.Context, m *farm.Member, q Query, key string) (all Behind, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		s, err := newScene(ctx, tx, q)
		if err != nil {
			return err
		}
		alone := q // of the other groups nothing is shown
		if alone.Only = maps.Clone(q.Only); alone.Only == nil {
			alone.Only = map[string]string{}
		}
		alone.Only[DimensionOf(q.By).ID] = key
		all.Table = s.groups(alone)
		i := slices.IndexFunc(all.Table.Rows, func(r Row) bool { return r.Key == key })
		if i < 0 {
			return farm.ErrNone
		}
		all.Row = all.Table.Rows[i]
		eggs := 0
		for _, t := range slices.Backward(all.Row.told) {
			rates := s.facts.Ledger.Rates([]farm.Told{t})
			j := slices.IndexFunc(all.Batches, func(b BehindBatch) bool { return b.ID == t.BatchID })
			if j < 0 {
				at := slices.IndexFunc(s.facts.Batches, func(b store.BatchFacts) bool { return b.ID == t.BatchID })
				all.Batches = append(all.Batches, BehindBatch{s.facts.Batches[at], t.Eggs, rates})
				continue
			}
			all.Batches[j].Eggs += t.Eggs // another pen's in the same batch
			all.Batches[j].Rates = s.facts.Ledger.Rates(of(all.Row.told, t.BatchID))
		}
		var newest []store.Fact
		for _, f := range slices.Backward(all.Row.rows) {
			if eggs < mostEggs {
				newest = append(newest, f.Fact)
			}
			eggs += f.Eggs
		}
		all.Eggs, err = tx.EggsBehind(ctx, newest, mostEggs)
		all.More = eggs - len(all.Eggs)
		return err
	})
	return all, err
}

// of gives what is told of one batch.
func of(told []farm.Told, batchID int64) (some []farm.Told) {
	for _, t := range told {
		if t.BatchID == batchID {
			some = append(some, t)
		}
	}
	return some
}
