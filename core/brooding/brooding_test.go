package brooding_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"metrogon/core/brooding"
	"metrogon/core/species"
)

func kind(t require.TestingT, id string) *species.Profile {
	p, err := species.Find(id)
	require.NoError(t, err)
	return p
}

// 35 °C in the first week, 3 °C less each week [common practice: 95 °F, and 5 °F less].
func TestChicksAreKeptCoolerEachWeek(t *testing.T) {
	k := brooding.Of(kind(t, "chicken"))
	for week, want := range []float64{35, 32, 29, 26, 23, 21, 21} {
		assert.Equal(t, want, k.HeatC(7*week), "week %d", week+1)
		assert.Equal(t, want, k.HeatC(7*week+6), "week %d", week+1)
	}
	day, c, ok := k.Lowered(3)
	assert.Equal(t, []any{7, 32., true}, []any{day, c, ok})
	_, _, ok = k.Lowered(40)
	assert.False(t, ok, "as warm as the room")
}

// Every bird that is shipped has its keeping, and its list.
func TestEveryBirdHasItsKeeping(t *testing.T) {
	for _, p := range species.All() {
		if p.IsReptile() {
			continue
		}
		k := brooding.Of(p)
		assert.True(t, k.StartC >= 30 && k.StartC <= 38 && k.LessC > 0 && k.OutDays >= 28 && k.GapDays > 0, p.ID)
		assert.NotEmpty(t, k.List, p.ID)
		assert.Equal(t, p.Water, k.Waterfowl, "%s: no medicated feed", p.ID)
	}
}

func TestWhoMayLiveTogether(t *testing.T) {
	for _, c := range []struct {
		a, b string
		days [2]int
		says string
	}{
		{"chicken", "chicken", [2]int{1, 6}, ""},
		{"chicken", "chicken", [2]int{1, 12}, "11 days between them"},
		{"chicken", "duck", [2]int{1, 1}, "Waterfowl"},
		{"duck", "goose", [2]int{1, 4}, ""},
		{"chicken", "coturnix-quail", [2]int{1, 1}, "Quail"},
		{"chicken", "turkey", [2]int{1, 1}, "blackhead"},
		{"chicken", "guinea-fowl", [2]int{1, 3}, ""},
	} {
		x, y := brooding.Lot{Kind: kind(t, c.a), Days: c.days[0]}, brooding.Lot{Kind: kind(t, c.b), Days: c.days[1]}
		says := brooding.Apart(x, y)
		assert.Equal(t, says, brooding.Apart(y, x), "either way")
		if c.says == "" {
			assert.Empty(t, says, "%s and %s", c.a, c.b)
		} else {
			assert.Contains(t, says, c.says)
		}
	}
}

// Rule 9: young × places on each day from the pull up to, and not including, pull + days.
func TestOccupancyIsRule9(t *testing.T) {
	hens, quail := kind(t, "chicken"), kind(t, "coturnix-quail")
	rapid.Check(t, func(t *rapid.T) {
		first := time.Date(2027, 3, 1, 0, 0, 0, 0, time.UTC)
		type batch struct {
			p     *species.Profile
			young float64
			pull  int
		}
		var all []batch
		var groups []brooding.Group
		for range rapid.IntRange(0, 6).Draw(t, "batches") {
			b := batch{
				rapid.SampledFrom([]*species.Profile{hens, quail}).Draw(t, "kind"),
				float64(rapid.IntRange(1, 60).Draw(t, "young")), rapid.IntRange(-40, 40).Draw(t, "pull"),
			}
			all = append(all, b)
			groups = append(groups, brooding.GroupOf(b.p, b.young, first.AddDate(0, 0, b.pull), b.pull <= 0))
		}
		for i, d := range brooding.Occupied(groups, first, 60) {
			want := 0.
			for _, b := range all {
				if b.pull <= i && i < b.pull+int(b.p.BroodDays.At) {
					want += b.young * b.p.BroodPlaces.At
				}
			}
			assert.InDelta(t, want, d.Sure+d.Expected, 1e-9, "day %d", i)
		}
	})
}
