// Package supplies is what the farm wants to have at hand before lockdown and before a hatch: bought
// and warmed three days ahead, not at night when the first one is out.
package supplies

import (
	"context"
	"strings"
	"time"

	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/stock"
)

// Service holds the use cases.
type Service struct{ *farm.Service }

// Supply is one thing to have at hand.
type Supply = stock.Supply

// Before what things are put ready; each has its number where it is ticked off.
const (
	Lockdown = "lockdown"
	Hatch    = "hatch"
)

// Usual is a list to begin with [common practice].
var Usual = []Supply{
	{Says: "Non-slip liner for the floor, washed or new", Before: Lockdown},
	{Says: "Paper towels", Before: Lockdown},
	{Says: "Baskets or dividers, one a pen", Before: Lockdown},
	{Says: "Water for three days, a mister", Before: Lockdown},
	{Says: "Starter feed, fresh", Before: Hatch},
	{Says: "Electrolyte for the first water", Before: Hatch},
	{Says: "Dry bedding", Before: Hatch},
	{Says: "Heat plate, or a bulb and a spare one", Before: Hatch},
	{Says: "A shallow drinker with pebbles", Before: Hatch},
	{Says: "Bags and gloves for what is left", Before: Hatch},
}

// mostSupplies may be on the list.
const mostSupplies = 60

// daysAhead is how long before there is time to buy.
const daysAhead = 3

// All lists them.
func (b *Service) All(ctx context.Context, m *farm.Member) (all []Supply, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		all, err = stock.On(tx).Supplies(ctx)
		return err
	})
	return all, err
}

// Add puts things on the list.
func (b *Service) Add(ctx context.Context, req farm.Request, add []Supply) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		var p farm.Problems
		for i := range add {
			add[i].Says = p.Name("says", "What to have at hand", add[i].Says, 100, true)
			if add[i].Before != Lockdown && add[i].Before != Hatch {
				p.Addf("before", "Pick lockdown or hatch.")
			}
			if kind := w.Kinds[add[i].Species]; add[i].Species != "" && (kind == nil || kind.IsReptile()) {
				p.Addf("species", "Pick the kind, or any.")
			}
		}
		all, err := stock.On(tx).Supplies(ctx)
		if err != nil {
			return farm.Done{}, err
		}
		if len(all)+len(add) > mostSupplies {
			p.Addf("says", "The list may have %d lines; %d are on it.", mostSupplies, len(all))
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		ids, err := stock.On(tx).AddSupplies(ctx, add)
		if err != nil {
			return farm.Done{}, err
		}
		if len(ids) == 0 {
			return farm.Done{}, farm.Problemf("says", "That is on the list already.")
		}
		said := wording.Plural(len(ids), "thing")
		if len(ids) == 1 {
			said = add[0].Says
		}
		return journal.Record(ctx, tx, nil, journal.Undo{drop.Of(ids)}, "To have at hand: %s.", said)
	})
}

// Drop takes one off the list.
func (b *Service) Drop(ctx context.Context, req farm.Request, id int64) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		gone, err := stock.On(tx).DropSupplies(ctx, []int64{id})
		if err != nil {
			return farm.Done{}, err
		}
		if len(gone) == 0 {
			return farm.Done{}, farm.ErrNone
		}
		return journal.Record(ctx, tx, nil, journal.Undo{again.Of(gone)}, "No longer to have at hand: %s.", gone[0].Says)
	})
}

// number is how a list is ticked off.
func number(before string) int { return farm.OneIf(before == Hatch) }

// There ticks off that all of a list is there for a batch.
func (b *Service) There(
	ctx context.Context, req farm.Request, batchID int64, before string,
) (farm.Done, error) {
	return snapshot.OnBatch(ctx, b.Service, req, batchID,
		func(tx *farm.Tx, batch store.Batch, _ snapshot.Eggs) (farm.Done, error) {
			if before != Lockdown && before != Hatch {
				return farm.Done{}, farm.Problemf("before", "Pick lockdown or hatch.")
			}
			done := store.ChoreDone{BatchID: batchID, Kind: chores.AtHand, Day: number(before)}
			return chores.Tick(ctx, tx, done, "%s: all is at hand for the %s.", batch.Code, before)
		})
}

// due is the farm's hour three days before; once that has come, some time today.
func due(w *snapshot.Snapshot, at time.Time) time.Time {
	on := w.Member.Hour.On(at.AddDate(0, 0, -daysAhead), 0, w.Member.Place)
	if !w.Member.Date(on).After(w.Member.Date(w.Now)) {
		return time.Time{}
	}
	return on
}

// listOf is what is put ready for a kind.
func listOf(all []Supply, before, species string) string {
	var says []string
	for _, s := range all {
		if s.Before == before && (s.Species == "" || s.Species == species) {
			says = append(says, s.Says)
		}
	}
	return strings.Join(says, " · ")
}

var (
	drop = journal.NewKind("supplies", func(ctx context.Context, tx *farm.Tx, ids []int64) error {
		_, err := stock.On(tx).DropSupplies(ctx, ids)
		return err
	})
	again = journal.NewKind("supplies_again", func(ctx context.Context, tx *farm.Tx, all []Supply) error {
		_, err := stock.On(tx).AddSupplies(ctx, all)
		return err
	})
)
