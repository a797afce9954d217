package snapshot

import (
	"context"

	"metrogon/core/rates"
	"metrogon/farm"
	"metrogon/store"
)

// Divided is what came of a setting that was divided: its parts, and their sum.
type Divided struct {
	Parts    []store.Part
	Sum      store.Part
	Legs     []store.Leg // where the batch at hand stood
	Verdict  string      // whether the parts differ, once all are over; "" before
	machines map[int64]Machine
}

// MachineName names a machine of the farm.
func (d Divided) MachineName(id int64) string { return d.machines[id].Name }

// Divided sums up what came of a setting, and says whether its parts differ.
func (w *Snapshot) Divided(
	ctx context.Context, tx *farm.Tx, parts []store.Part, legs []store.Leg,
) (d Divided, err error) {
	d = Divided{Parts: parts, Legs: legs, Sum: store.Part{Closed: true}, machines: w.MachineByID}
	for _, p := range parts {
		d.Sum.Eggs, d.Sum.Alive = d.Sum.Eggs+p.Eggs, d.Sum.Alive+p.Alive
		d.Sum.Examined, d.Sum.Fertile = d.Sum.Examined+p.Examined, d.Sum.Fertile+p.Fertile
		d.Sum.Hatched, d.Sum.Closed = d.Sum.Hatched+p.Hatched, d.Sum.Closed && p.Closed
	}
	if len(parts) == 0 || !d.Sum.Closed {
		return d, nil
	}
	ledger, err := ReadLedger(ctx, tx)
	if err == nil {
		d.Verdict = verdict(parts, ledger.HatchOfSet)
	}
	return d, err
}

// verdict says whether parts of one setting hatched differently. Parts differ as batches do, by more than
// chance between eggs; and one trial, however clear, is one.
func verdict(parts []store.Part, spread rates.Spread) string {
	var groups []rates.Group
	for _, p := range parts {
		if p.Eggs > 0 {
			groups = append(groups, rates.Group{Name: p.Code, Lots: []rates.BatchTally{{
				Batch: p.ID, Tally: rates.Tally{K: p.Hatched, N: p.Eggs},
			}}})
		}
	}
	if len(groups) < 2 {
		return ""
	}
	switch rates.Compare(groups, spread).Verdict {
	case rates.Real:
		return "Of the eggs set, the parts hatched differently; chance alone hardly does this. It was one trial: once " +
			"more before a machine is blamed."
	case rates.Likely:
		return "The parts may have hatched differently: more speaks for it than against it. Try once more to know."
	}
	return "The parts hatched alike, as far as so many eggs can tell: chance alone does what is seen here."
}
