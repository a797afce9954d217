package farm

import (
	"container/list"
	"context"
	"strings"
	"sync"

	"metrogon/core/species"
	"metrogon/store/breeders"
)

// memory keeps what was reckoned from all eggs of a farm for as long as they stay as they
// are (store.Tx.EggsVersion): what a closed batch did does not change, and is not counted
// anew for each page.
type memory struct {
	sync.Mutex
	byFarm map[int64]*list.Element
	recent *list.List // of *remembered, the farm asked for last in front
}

type remembered struct {
	farmID, version int64
	zone            string
	facts           map[any]any
}

// mostFarms bounds how many farms are remembered.
const mostFarms = 32

func newMemory() *memory { return &memory{byFarm: map[int64]*list.Element{}, recent: list.New()} }

// recall gives the fact that find reckons, from memory where the farm's eggs are as they
// were. The key names the fact and is of a type of its own. What is recalled is shared:
// nobody changes it.
func recall[K comparable, V any](ctx context.Context, tx *Tx, key K, find func() (V, error)) (V, error) {
	if !tx.still || !tx.versionRead {
		var err error
		if tx.version, err = breeders.On(tx).EggsVersion(ctx); err != nil {
			var none V
			return none, err
		}
		tx.versionRead = true
	}
	version := tx.version
	m, zone := tx.memory, tx.Member.Zone
	m.Lock()
	known, ok := m.of(tx.FarmID, version, zone).facts[key].(V)
	m.Unlock()
	if ok {
		return known, nil
	}
	found, err := find()
	if err == nil {
		m.Lock()
		m.of(tx.FarmID, version, zone).facts[key] = found
		m.Unlock()
	}
	return found, err
}

// of finds what is remembered of a farm at a version, forgetting what is older.
func (m *memory) of(farmID, version int64, zone string) *remembered {
	if e, ok := m.byFarm[farmID]; ok {
		r := e.Value.(*remembered)
		m.recent.MoveToFront(e)
		if r.version != version || r.zone != zone {
			*r = remembered{farmID, version, zone, map[any]any{}}
		}
		return r
	}
	r := &remembered{farmID, version, zone, map[any]any{}}
	m.byFarm[farmID] = m.recent.PushFront(r)
	if m.recent.Len() > mostFarms {
		last := m.recent.Back()
		delete(m.byFarm, last.Value.(*remembered).farmID)
		m.recent.Remove(last)
	}
	return r
}

type (
	ledgerKey struct{}
	agesKey   struct{ species string }
	manyKey   struct{ species string } // of several
	lotsKey   struct{ pen int64 }
)

// ReadLedger reads what the eggs of all pens did.
func ReadLedger(ctx context.Context, tx *Tx) (Ledger, error) {
	return recall(ctx, tx, ledgerKey{}, func() (Ledger, error) {
		sums, err := breeders.On(tx).Sums(ctx)
		return NewLedger(sums), err
	})
}

// ReadAges reads what the eggs of a species did by their age.
func ReadAges(ctx context.Context, tx *Tx, kind string) (AgeRecords, error) {
	ledger, err := ReadLedger(ctx, tx)
	if err != nil {
		return AgeRecords{}, err
	}
	return recall(ctx, tx, agesKey{kind}, func() (AgeRecords, error) {
		rows, live, err := breeders.On(tx).RecordsByAge(ctx, kind, half(kind))
		return AgeRecords{rows, live, ledger}, err
	})
}

// ReadAgesOf reads what the eggs of several species did by their age.
func ReadAgesOf(ctx context.Context, tx *Tx, kinds []string) (map[string]AgeRecords, error) {
	ledger, err := ReadLedger(ctx, tx)
	if err != nil {
		return nil, err
	}
	return recall(ctx, tx, manyKey{strings.Join(kinds, " ")}, func() (map[string]AgeRecords, error) {
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
func ReadLots(ctx context.Context, tx *Tx, penID int64) ([]breeders.PenLot, error) {
	return recall(
		ctx, tx, lotsKey{penID}, func() ([]breeders.PenLot, error) { return breeders.On(tx).PenLots(ctx, penID) },
	)
}
