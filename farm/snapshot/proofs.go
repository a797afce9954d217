package snapshot

import (
	"context"
	"slices"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/farm"
)

// Proof is how a candler's calls of one kind proved right, early or late in
// incubation.
type Proof struct {
	Who  string
	Late bool
	Call candling.Call
	K, N int // right, of those that are known by now
}

// Proofs counts how the calls of a batch proved; calls of which nobody knows yet are
// left out.
func Proofs(ctx context.Context, tx *farm.Tx, v BatchView) (all []Proof, err error) {
	said, err := tx.Said(ctx, v.ID)
	for _, s := range said {
		hatched := s.Fate != nil && outcome.Fate(*s.Fate) == outcome.Hatched
		done := calendar.Elapsed(v.SetAt, s.At) / v.HatchDay
		right, known := candling.Proved(candling.Call(s.Call), done, hatched, OpenedAs(s.Fate, s.Stage, s.Opened))
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
	return all, err
}
