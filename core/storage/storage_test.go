package storage_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/species"
	"metrogon/core/storage"
)

func TestWaitingCosts(t *testing.T) {
	hen, err := species.Find("chicken")
	require.NoError(t, err)
	// From memory: extension tables, hatch of fertile by days stored, chicken.
	for day, pct := range map[float64]float64{1: 88, 4: 87, 7: 79, 10: 68, 13: 56, 16: 44, 19: 30, 22: 26, 25: 0} {
		assert.InDelta(t, pct/88, storage.Relative(hen, day), 1e-9, "day %g", day)
	}
	assert.Equal(t, 1.0, storage.Relative(hen, 0))
	assert.Equal(t, 0.0, storage.Relative(hen, 60))
	gecko, err := species.Find("leopard-gecko")
	require.NoError(t, err)
	assert.Equal(t, 1.0, storage.Relative(gecko, 3))
	for age, want := range map[int]storage.Keeping{
		7: storage.Fresh, 8: storage.Ageing, 10: storage.Ageing, 11: storage.Stale, 14: storage.Stale, 15: storage.Late,
	} {
		assert.Equal(t, want, storage.KeepingAt(hen, age), "day %d", age)
	}
}

// What a farm stops setting at changes what it sets, not what waiting does to an egg.
func TestAFarmsLimitIsNoBiology(t *testing.T) {
	hen, err := species.Find("chicken")
	require.NoError(t, err)
	own, err := hen.With([]species.Change{{Figure: "storage_limit_days", At: 7}})
	require.NoError(t, err)
	for _, age := range []float64{0, 3, 7, 10, 14} {
		assert.Equal(t, storage.Relative(hen, age), storage.Relative(own, age), "%g days", age)
	}
	assert.InDelta(t, 0.90, storage.Relative(own, 7), 0.005)
	assert.Equal(t, storage.Ageing, storage.KeepingAt(hen, 8))
	assert.Equal(t, storage.Late, storage.KeepingAt(own, 8), "past what this farm sets")
	duck, err := species.Find("duck")
	require.NoError(t, err)
	assert.Equal(t, storage.Stale, storage.KeepingAt(duck, 13), "ducks' eggs go to 14 days")
}
