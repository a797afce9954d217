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
	// After Yassin et al. 2008 and Fasenko 2007, from memory: hardly anything to day 7, then half a point a day and more.
	for day, pct := range map[float64]float64{
		0: 100, 1: 100, 5: 99.25, 7: 98.5, 9: 96.5, 12: 92.75, 14: 90, 20: 75, 60: 0,
	} {
		assert.InDelta(t, pct/100, storage.Relative(hen, day), 1e-9, "day %g", day)
	}
	low, high := storage.Bounds(hen, 14)
	assert.Equal(t, [2]float64{.78, .955}, [2]float64{low, high})
	quail, err := species.Find("coturnix-quail")
	require.NoError(t, err)
	assert.InDelta(t, .80, storage.Relative(quail, 14), 1e-9, "day 18.3 of hens' eggs: 0.81 - 0.09 / 9")
	low, high = storage.Bounds(quail, 14)
	assert.InDelta(t, .51, low, 1e-9, "half as far again")
	assert.InDelta(t, .9583, high, 1e-4)
	for day := range 61 {
		low, high := storage.Bounds(quail, float64(day))
		mid := storage.Relative(quail, float64(day))
		assert.True(t, 0 <= low && low <= mid && mid <= high && high <= 1, "day %d", day)
		assert.LessOrEqual(t, mid, storage.Relative(hen, float64(day)), "no better than hens' eggs")
	}
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
	assert.Equal(t, storage.Ageing, storage.KeepingAt(hen, 8))
	assert.Equal(t, storage.Late, storage.KeepingAt(own, 8), "past what this farm sets")
	duck, err := species.Find("duck")
	require.NoError(t, err)
	assert.Equal(t, storage.Stale, storage.KeepingAt(duck, 13), "ducks' eggs go to 14 days")
}
