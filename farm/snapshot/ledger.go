package snapshot

import (
	"context"
	"strings"

	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/store/breeders"
)

type (
	ledgerKey struct{}
	agesKey   struct{ species string }
	manyKey   struct{ species string } // of several
	lotsKey   struct{ pen int64 }
)

// ReadLedger reads what the eggs of all pens did.
func ReadLedger(ctx context.Context, tx *farm.Tx) (Ledger, error) {
	return farm.Recall(ctx, tx, ledgerKey{}, func() (Ledger, error) {
		sums, err := breeders.On(tx).Sums(ctx)
		return NewLedger(sums), err
	})
}

// ReadAges reads what the eggs of a species did by their age.
func ReadAges(ctx context.Context, tx *farm.Tx, kind string) (AgeRecords, error) {
	ledger, err := ReadLedger(ctx, tx)
	if err != nil {
		return AgeRecords{}, err
	}
	return farm.Recall(ctx, tx, agesKey{kind}, func() (AgeRecords, error) {
		rows, live, err := breeders.On(tx).RecordsByAge(ctx, kind, half(kind))
		return AgeRecords{rows, live, ledger}, err
	})
}

// ReadAgesOf reads what the eggs of several species did by their age.
func ReadAgesOf(ctx context.Context, tx *farm.Tx, kinds []string) (map[string]AgeRecords, error) {
	ledger, err := ReadLedger(ctx, tx)
	if err != nil {
		return nil, err
	}
	return farm.Recall(ctx, tx, manyKey{strings.Join(kinds, " ")}, func() (map[string]AgeRecords, error) {
		asked := make([]breeders.Ages, len(kinds))
		for i, id := range kinds {
			asked[i].Species, asked[i].Half = id, half(id)
		}
		err := breeders.On(tx).RecordsByAges(ctx, asked)
		all := map[string]AgeRecords{}
		for _, a := range asked {
			all[a.Species] = AgeRecords{a.Rows, a.Live, ledger}
		}
		return all, err
	})
}

// half of a kind's incubation, in days.
func half(id string) float64 {
	kind, err := species.Find(id)
	if err != nil {
		return 0
	}
	return kind.HatchDays.At / 2
}

// ReadLots reads all that is known of a pen's eggs.
func ReadLots(ctx context.Context, tx *farm.Tx, penID int64) ([]breeders.PenLot, error) {
	return farm.Recall(
		ctx, tx, lotsKey{penID}, func() ([]breeders.PenLot, error) { return breeders.On(tx).PenLots(ctx, penID) },
	)
}
