package farm

import (
	"container/list"
	"context"
	"sync"

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

// EggsAre notes the version of the farm's eggs (store/breeders EggsVersion), where it was read with something else.
func (tx *Tx) EggsAre(version int64) { tx.version = &version }

// Recall gives the fact that find works out, from memory where the farm's eggs are as they
// were. The key names the fact and is of a type of its own. What is recalled is shared:
// nobody changes it.
func Recall[K comparable, V any](ctx context.Context, tx *Tx, key K, find func() (V, error)) (V, error) {
	if !tx.still || tx.version == nil {
		version, err := breeders.On(tx).EggsVersion(ctx)
		if err != nil {
			var none V
			return none, err
		}
		tx.version = &version
	}
	version, m, zone := *tx.version, tx.memory, tx.Member.Zone
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
