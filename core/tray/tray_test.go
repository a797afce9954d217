package tray_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"metrogon/core/species"
	"metrogon/core/tray"
)

func TestNamesOfPlaces(t *testing.T) {
	six := tray.Tray{Rows: 6, Columns: 7}
	for name, place := range map[string]int{"A1": 0, "A7": 6, "b1": 7, " F7 ": 41} {
		got, err := six.Find(name)
		require.NoError(t, err, name)
		assert.Equal(t, place, got, name)
	}
	for _, wrong := range []string{"", "A", "7", "A0", "A8", "G1", "AA1", "A1B", "-1", "A99999999999999999999"} {
		_, err := six.Find(wrong)
		assert.ErrorContains(t, err, "it may be A1 to F7", wrong)
	}
	free := tray.Tray{Columns: 12}
	assert.Equal(t, 12, free.Places())
	got, err := free.Find("12")
	require.NoError(t, err)
	assert.Equal(t, 11, got)
	_, err = free.Find("A1")
	assert.Error(t, err)
	rapid.Check(t, func(t *rapid.T) {
		any := tray.Tray{Rows: rapid.IntRange(0, 60).Draw(t, "rows"), Columns: rapid.IntRange(1, 40).Draw(t, "columns")}
		place := rapid.IntRange(0, any.Places()-1).Draw(t, "place")
		back, err := any.Find(any.Name(place))
		if err != nil || back != place {
			t.Fatalf("%s is %d, not %d: %v", any.Name(place), back, place, err)
		}
	})
}

func TestHowManyGoIntoOnePlace(t *testing.T) {
	// common practice
	for id, want := range map[string]int{
		"chicken": 1, "coturnix-quail": 4, "duck": 1, "goose": 1, "turkey": 1, "chukar-partridge": 1,
	} {
		p, err := species.Find(id)
		require.NoError(t, err)
		assert.Equal(t, want, tray.PerPlace(p), id)
	}
}

func TestPensLieInBlocks(t *testing.T) {
	eggs := []tray.Egg{{ID: 1, Pen: 7}, {ID: 2, Pen: 8}, {ID: 3, Pen: 7}, {ID: 4, Pen: 8}, {ID: 5, Pen: 8}}
	spots := []tray.Spot{{Place: 0}, {Place: 1}, {Place: 2}, {Place: 3}}
	two := func(tray.Spot) int { return 2 }
	assert.Equal(
		t, map[int64]tray.Spot{1: {Place: 0}, 3: {Place: 0}, 2: {Place: 1}, 4: {Place: 1}, 5: {Place: 2}},
		tray.Blocks(eggs, spots, two),
	)
	three := []tray.Egg{{ID: 1, Pen: 7}, {ID: 2, Pen: 8}, {ID: 3, Pen: 8}}
	assert.Equal(
		t, map[int64]tray.Spot{1: {Place: 0}, 2: {Place: 0}, 3: {Place: 1}},
		tray.Blocks(three, spots[:2], func(s tray.Spot) int { return 2 - s.Place }),
		"no room for blocks of their own: they share",
	)
	assert.Len(t, tray.Blocks(eggs, spots[:1], two), 2, "the rest stays out")
	assert.Empty(t, tray.Blocks(eggs, nil, two))
}

func FuzzFind(f *testing.F) {
	for _, name := range []string{"A1", "z99", "AA10", "", "7", "-1", "é3"} {
		f.Add(uint8(6), uint8(8), name)
	}
	f.Fuzz(func(t *testing.T, rows, columns uint8, name string) {
		tr := tray.Tray{Rows: int(rows), Columns: int(columns)}
		place, err := tr.Find(name)
		if err != nil {
			return
		}
		if place < 0 || place >= tr.Places() {
			t.Errorf("%q is place %d of %d", name, place, tr.Places())
		}
		if back, err := tr.Find(tr.Name(place)); err != nil || back != place {
			t.Errorf("%q is %s, and that is %d", name, tr.Name(place), back)
		}
	})
}
