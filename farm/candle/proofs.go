package candle

import (
	"context"
	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/farm"
	"metrogon/store"
	"slices"
)

// Proof is how a candler's calls of one kind proved right, early or late in
// incubation.
type Proof struct {
	Who  string
	Late bool
	Call candling.Call
	K, N int // right, of those that are known by now
}

// Proofs tells how the calls of a batch proved.
func (b *Service) Proofs(ctx context.Context, m *farm.Member, batchID int64) (all []Proof, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
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
func proofs(said []store.Said, v farm.BatchView) (all []Proof) {
	for _, s := range said {
		hatched := s.Fate != nil && outcome.Fate(*s.Fate) == outcome.Hatched
		done := calendar.Elapsed(v.SetAt, s.At) / v.HatchDay
		right, known := candling.Proved(candling.Call(s.Call), done, hatched, farm.OpenedAs(s.Fate, s.Stage, s.Opened))
		if !known {
			continue
		}
		i := slices.IndexFunc(all, func(p Proof) bool {
			return p.Who == s.Who && p.Late == (done >= .5) && p.Call == candling.Call(s.Call)
		})
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
