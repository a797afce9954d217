package demo_test

import (
	"context"
	"fmt"
	"slices"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/services"
	"metrogon/farm/snapshot"
	"metrogon/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

func load(t *testing.T, now time.Time) (*services.Services, *farm.Member) {
	db := storetest.Owner(t, storetest.Open(t, nil))
	require.NoError(t, demo.Load(t.Context(), db, now, 1))
	books := services.New(db, func() time.Time { return now })
	m, err := books.People.Owner(t.Context(), demo.Name)
	require.NoError(t, err)
	return books, m
}

// Whatever the day and hour, a visitor finds something in every state.
func TestTheDemoAlwaysHasSomethingOfEverything(t *testing.T) {
	for _, now := range []time.Time{
		time.Date(2027, 4, 14, 7, 5, 0, 0, time.UTC), time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC),
		time.Date(2028, 2, 29, 23, 50, 0, 0, time.UTC), time.Date(2027, 3, 28, 1, 30, 0, 0, time.UTC), time.Date(
			2027, 1, 1, 0, 1, 0, 0, time.UTC,
		),
	} {
		t.Run(now.Format(time.RFC3339), func(t *testing.T) {
			t.Parallel()
			books, m := load(t, now)
			today, err := books.Today.Page(t.Context(), m)
			require.NoError(t, err)
			assert.NotEmpty(t, today.Due, "something is due")
			assert.Greater(t, today.Room.Eggs, 60, "eggs are in store")
			due := map[string]bool{}
			for _, d := range append(today.Due, today.Soon...) {
				due[d.Kind] = true
			}
			assert.True(t, due["candle"], "something is to be candled")
			assert.True(t, due["lockdown"], "something goes into lockdown")
			open, closed, err := books.Incubate.Batches(t.Context(), m, 0)
			require.NoError(t, err)
			state := map[string]int{}
			for _, b := range open {
				state[b.Species]++
				if b.LockedAt != nil {
					state["locked"]++
					if b.Hatched > 0 {
						state["hatching"]++
					}
				}
			}
			for _, want := range []string{
				"chicken", "coturnix-quail", "duck", "turkey", "leopard-gecko", "corn-snake", "locked", "hatching",
			} {
				assert.Positive(t, state[want], want)
			}
			assert.Greater(t, len(closed), 20, "a past to count")
			hatches(t, books, m, open)
			pens, err := books.Flock.Pens(t.Context(), m)
			require.NoError(t, err)
			assert.Len(t, pens, 10, "eight pens, two suppliers")
			assert.True(t, due[snapshot.Tilt], "eggs are to be tilted")
			assert.True(t, due[chores.Rest], "a parcel rests")
			assert.Len(t, today.OnTheWay, 1, "another is on its way")
			assert.Positive(t, today.Room.Resting)
			turning := 0
			for _, b := range open {
				page, err := books.Incubate.Trays(t.Context(), m, b.ID)
				require.NoError(t, err)
				if len(page.Trays) > 0 && len(page.Loose) < page.Alive {
					turning++
				}
			}
			assert.Positive(t, turning, "eggs lie in trays")
		})
	}
}

func TestTheDemoIsTheSameEachTime(t *testing.T) {
	now := time.Date(2027, 4, 14, 12, 0, 0, 0, time.UTC)
	tell := func() string {
		books, m := load(t, now)
		pens, err := books.Flock.Pens(t.Context(), m)
		require.NoError(t, err)
		today, err := books.Today.Page(t.Context(), m)
		require.NoError(t, err)
		s := ""
		for _, p := range pens {
			s += fmt.Sprintln(p.Name, p.Rates)
		}
		for _, d := range today.Due {
			s += fmt.Sprintln(d.Code, d.Title, d.At)
		}
		return s
	}
	assert.Equal(t, tell(), tell())
}

func TestHalfAFarmIsNone(t *testing.T) {
	db := storetest.Owner(t, storetest.Open(t, nil))
	now := time.Date(2027, 4, 14, 12, 0, 0, 0, time.UTC)
	for _, after := range []time.Duration{100, 250, 700} { // while the accounts are made, and later
		ctx, stop := context.WithCancel(t.Context())
		time.AfterFunc(after*time.Millisecond, stop)
		if err := demo.Load(ctx, db, now, 3); err == nil {
			t.Skip("this machine loads three seasons at once")
		}
		there, err := demo.There(t.Context(), db)
		require.NoError(t, err)
		assert.False(t, there, "after %d ms", after)
	}
	require.NoError(t, demo.Load(t.Context(), db, now, 1), "it can be loaded again")
}

// hatches sees that two kinds hatch side by side in three baskets, with some out and some not.
func hatches(t *testing.T, books *services.Services, m *farm.Member, open []snapshot.BatchView) {
	t.Helper()
	i := slices.IndexFunc(open, func(v snapshot.BatchView) bool { return v.LockedAt != nil })
	require.GreaterOrEqual(t, i, 0)
	watch, err := books.Hatch.Watch(t.Context(), m, open[i].HatcherID)
	require.NoError(t, err)
	require.Len(t, watch.Loads, 2, "two kinds")
	baskets, pipped := 0, 0
	for _, l := range watch.Loads {
		baskets, pipped = baskets+len(l.Baskets), pipped+l.Pipped+l.Watch.Out
		assert.NotEmpty(t, l.Advice)
		assert.Positive(t, l.Shifts, "the farm's own loads have taught it")
	}
	assert.Equal(t, 3, baskets)
	assert.Greater(t, pipped, 8, "in full hatch")
	today, err := books.Today.Page(t.Context(), m)
	require.NoError(t, err)
	assert.Empty(t, today.Clashes)
}
