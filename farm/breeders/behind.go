package breeders

import (
	"context"
	"maps"
	"slices"

	"metrogon/farm"
	"metrogon/farm/snapshot"
	breedersrows "metrogon/store/breeders"
)

// Egg is one of those behind a figure.
type Egg = breedersrows.EggBehind

// Behind is what stands behind the figures of one group.
type Behind struct {
	Table
	Row
	Batches []BehindBatch // the newest first
	Older   int           // batches that are not listed
	Eggs    []Egg
	More    int // eggs that are not listed
}

// BehindBatch is what the group's eggs did in one batch.
type BehindBatch struct {
	breedersrows.BatchFacts
	Eggs int
	snapshot.Rates
}

// How many batches and single eggs are listed.
const (
	mostBatches = 60
	mostEggs    = 300
)

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
		all.batches(s)
		eggs := 0
		var newest []breedersrows.Fact
		for _, f := range slices.Backward(all.Row.rows) {
			if eggs < mostEggs {
				newest = append(newest, f.Fact)
			}
			eggs += f.Eggs
		}
		all.Eggs, err = breedersrows.On(tx).EggsBehind(ctx, newest, mostEggs)
		all.More = eggs - len(all.Eggs)
		return err
	})
	return all, err
}

// batches tells of the newest batches, the eggs of all pens in one together.
func (all *Behind) batches(s *scene) {
	facts := map[int64]*breedersrows.BatchFacts{}
	for _, f := range all.Row.rows {
		facts[f.BatchID] = f.Batch
	}
	for told := all.Row.told; len(told) > 0; {
		n, eggs := len(told), 0
		id := told[n-1].BatchID
		for n > 0 && told[n-1].BatchID == id {
			n--
			eggs += told[n].Eggs
		}
		if len(all.Batches) == mostBatches {
			all.Older++
		} else {
			all.Batches = append(all.Batches, BehindBatch{*facts[id], eggs, s.facts.Ledger.Rates(told[n:])})
		}
		told = told[:n]
	}
}
