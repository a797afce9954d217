package farm_test

import (
	"context"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/hatching"
	"metrogon/core/outcome"
	"metrogon/farm/ahead"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/store"
)

// loadOf is a batch of two pens in lockdown, on the day of its hatch.
func loadOf(t *testing.T) (y *yard, batch, barred, speckled, box int64) {
	y = newYard(t)
	barred, speckled = y.pen("Barred", "chicken"), y.pen("Speckled", "chicken")
	cabinet := y.machine("Cabinet", "cabinet", "chicken", 40, 0)
	box = y.machine("Box", "hatcher", "chicken", 0, 30)
	y.collect(barred, 0, 8, 0)
	y.collect(speckled, 0, 6, 0)
	batch = y.set(incubate.Setting{Species: "chicken", SetterID: cabinet, HatcherID: box, Picks: []incubate.Pick{
		{PenID: barred, LaidOn: day(0), Eggs: 8}, {PenID: speckled, LaidOn: day(0), Eggs: 6},
	}})
	y.now = start.AddDate(0, 0, 18)
	_, err := y.Hatch.Lockdown(y.Context(), by(y.m), batch, 0, time.Time{})
	require.NoError(t, err)
	y.now = start.AddDate(0, 0, 21)
	return
}

// tap does one thing beside a machine; "" if it was done, else why not.
func (y *yard) tap(box int64, t hatch.Tap) string {
	y.Helper()
	if t.Key == "" {
		t.Key = key()
	}
	t.At = y.now
	done, err := y.Hatch.Apply(y.Context(), by(y.m), box, []hatch.Tap{t})
	require.NoError(y, err)
	if done[0].Done {
		return ""
	}
	return done[0].Says
}

// Young, leftovers and removals always add up to the eggs that were set, whatever is tapped, taken
// back and ended in whatever order; and the database holds it by itself.
func TestYoungAlwaysAddUp(t *testing.T) {
	y, batch, barred, speckled, box := loadOf(t)
	ctx := y.Context()
	dice := rand.New(rand.NewPCG(4, 2))
	eggs := y.batch(batch)
	all := nos(eggs, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14)
	var keys []string
	refused := 0
	for range 120 {
		x := hatch.Tap{Key: key(), Batch: batch, Pen: []int64{barred, speckled}[dice.IntN(2)], N: 1 + dice.IntN(3)}
		kinds := []string{"out", "out", "pip", "zip", "egg", "end", "take-out", "look", "take-back"}
		switch x.Kind = kinds[dice.IntN(len(kinds))]; x.Kind {
		case "egg":
			x.Kind, x.Egg = hatching.Out, all[dice.IntN(len(all))]
		case "end":
			_, _ = y.Hatch.End(ctx, by(y.m), batch, hatch.Ending{
				Eggs: all[dice.IntN(len(all)):][:1], Fate: outcome.Removed, Stage: "bad",
			})
			continue
		case "take-out":
			x.Place = "warm box"
		case "take-back":
			if len(keys) > 0 {
				x.Of = keys[dice.IntN(len(keys))]
			}
		}
		if y.tap(box, x) == "" {
			keys = append(keys, x.Key)
		} else {
			refused++
		}
		b := y.batch(batch)
		assert.Equal(t, 14, b.Alive+b.Hatched+b.Removed+b.Broken+b.Unhatched)
		for _, p := range b.Pens {
			assert.GreaterOrEqual(t, p.Alive, 0)
		}
		page, err := y.Hatch.Watch(ctx, y.m, box)
		require.NoError(t, err)
		require.Len(t, page.Loads, 1)
		assert.Equal(t, b.Hatched, page.Loads[0].Watch.Out, "the watch counts as the batch does")
	}
	t.Logf("%d done, %d refused", len(keys), refused)
	assert.Greater(t, len(keys), 30)
	assert.Greater(t, refused, 5, "the rules were at work")
	err := y.owner.Write(ctx, y.m.FarmID, func(tx *store.Tx) error {
		_, err := tx.CountYoung(ctx, batch, []store.Young{{BatchID: batch, PenID: barred, Young: 9}}, y.now, y.m.PersonID)
		return err
	})
	assert.ErrorContains(t, err, "more young than eggs", "nine of eight eggs")
}

// What was counted never says which egg it was; what is known by egg has its clock; a look without
// news is one; what is over teaches.
func TestTheWatch(t *testing.T) {
	y, batch, barred, speckled, box := loadOf(t)
	ctx := y.Context()
	b := y.batch(batch)
	egg := nos(b, 1)[0]
	y.now = start.Add(20*24*time.Hour + 6*time.Hour)
	require.Empty(t, y.tap(box, hatch.Tap{Kind: hatching.Pip, Batch: batch, Egg: egg}))
	y.now = y.now.Add(14 * time.Hour)
	k := key()
	require.Empty(t, y.tap(box, hatch.Tap{Key: k, Kind: hatching.Out, Batch: batch, Pen: barred, N: 3, Ago: 60}))
	require.Empty(t, y.tap(box, hatch.Tap{Key: k, Kind: hatching.Out, Batch: batch, Pen: barred, N: 3, Ago: 60}), "once")
	page, err := y.Hatch.Watch(ctx, y.m, box)
	require.NoError(t, err)
	l := page.Loads[0]
	assert.Equal(t, [3]int{3, 1, 10}, [3]int{l.Watch.Out, l.Pipped, l.Silent})
	assert.Equal(t, y.now.Add(-time.Hour), l.FirstOut.In(time.UTC))
	assert.Equal(t, 3, l.Baskets[0].Extra)
	for _, s := range l.Baskets[0].Slots {
		assert.False(t, s.IsOut(), "nobody saw which eggs")
	}
	require.Len(t, l.Watch.Eggs, 1)
	assert.Equal(t, hatching.Usual, l.Watch.Eggs[0].Verdict)
	looked := l.Looked
	y.now = y.now.Add(2 * time.Hour)
	require.Empty(t, y.tap(box, hatch.Tap{Kind: hatch.Look, Batch: batch}))
	page, err = y.Hatch.Watch(ctx, y.m, box)
	require.NoError(t, err)
	assert.True(t, page.Loads[0].Looked.After(looked))

	y.refuses(box, batch, barred, speckled)
}

// A load that is over teaches when it came, if it was written down while it hatched; taken back with
// its closing.
func TestALoadThatIsOverTeaches(t *testing.T) {
	y, batch, barred, speckled, box := loadOf(t)
	ctx := y.Context()
	y.now = start.Add(20*24*time.Hour + 16*time.Hour)
	require.Empty(t, y.tap(box, hatch.Tap{Kind: hatching.Out, Batch: batch, Pen: barred, N: 3}))
	for hour, n := range map[int]int{20: 2, 24: 2} {
		y.now = start.Add(time.Duration(20*24+hour) * time.Hour)
		require.Empty(t, y.tap(box, hatch.Tap{Kind: hatching.Out, Batch: batch, Pen: speckled, N: n}))
	}
	y.now = start.AddDate(0, 0, 24)
	done, err := y.Hatch.Close(ctx, by(y.m), batch, time.Time{})
	require.NoError(t, err)
	lessons := func() (n int) {
		require.NoError(t, y.owner.Pool.QueryRow(
			ctx, `select count(*) from hatch_lessons where shift_h between -30 and 30`,
		).Scan(&n))
		return
	}
	assert.Equal(t, 1, lessons(), "what was written down while it hatched tells when it came")
	_, err = y.Undo(context.WithoutCancel(ctx), by(y.m), done.Entry)
	require.NoError(t, err)
	assert.Zero(t, lessons(), "taken back with the closing")
}

// refuses sees what cannot be tapped, with three of Barred out and none of Speckled.
func (y *yard) refuses(box, batch, barred, speckled int64) {
	t := y.T
	assert.Contains(t, y.tap(box, hatch.Tap{Kind: hatching.Out, Batch: batch, Pen: speckled, N: 7}), "it may be 0 to 6")
	assert.Contains(t, y.tap(box, hatch.Tap{Kind: hatching.Pip, Batch: batch, Pen: speckled, N: 0}), "may be 1 to 6")
	assert.Contains(t, y.tap(box, hatch.Tap{Kind: "sing", Batch: batch}), "nothing that can be done")
	assert.Contains(t, y.tap(box, hatch.Tap{Kind: hatch.Open, Minutes: 5}), "Why it was opened")
	assert.Contains(t, y.tap(box, hatch.Tap{Kind: hatch.TakeOut, Batch: batch, N: 4, Place: "box"}), "1 to 3")
	assert.Contains(t, y.tap(box, hatch.Tap{Kind: hatch.Tell, Batch: batch, Pen: barred, N: 1}), "Say what is to be noted")
}

// Eggs of which the hen is known lie by hen in their pen's basket, and so a young of a known egg has
// its dam.
func TestABasketIsPartedByHen(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen := y.pen("Barred", "chicken")
	box := y.machine("Box", "all-in-one", "chicken", 30, 30)
	for _, hen := range []string{"Red 4", "", "Blue 2"} {
		_, err := y.Stock.Collect(ctx, by(y.m), stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 2, Hen: hen})
		require.NoError(t, err)
	}
	batch := y.set(incubate.Setting{
		Species: "chicken", SetterID: box, HatcherID: box, Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 6}},
	})
	y.now = start.AddDate(0, 0, 18)
	_, err := y.Hatch.Shut(ctx, by(y.m), batch, hatch.Shutting{
		Baskets: []hatch.BasketName{{PenID: pen, Name: "left"}}, Pipped: []hatch.Sign{{PenID: &pen, N: 2}},
	})
	require.NoError(t, err)
	page, err := y.Hatch.Watch(ctx, y.m, box)
	require.NoError(t, err)
	b := page.Loads[0].Baskets[0]
	assert.Equal(t, [2]any{"left", 2}, [2]any{b.Place, b.Pips})
	var hens []string
	for _, a := range b.Areas() {
		hens = append(hens, a.Hen)
		assert.Len(t, a.Slots, 2)
	}
	assert.Equal(t, []string{"Blue 2", "Red 4", ""}, hens)
	egg := b.Slots[0].ID
	tell := hatch.Tap{Kind: hatch.Tell, Batch: batch, Pen: pen, N: 1, Egg: egg, Told: hatch.Told{Colour: "black"}}
	assert.Contains(t, y.tap(box, tell), "No young of this pen are out", "it is not out")
	require.Empty(t, y.tap(box, hatch.Tap{Kind: hatching.Out, Batch: batch, Egg: egg}))
	assert.Empty(t, y.tap(box, tell))
}

// What a batch may bring is what its watch expects, on its own page and for what is promised: once the usual span is
// over and nothing more pips, hardly more than is out.
func TestYoungToExpectAreTheWatchs(t *testing.T) {
	y, batch, barred, speckled, box := loadOf(t)
	ctx := y.Context()
	_, err := y.Season.SaveOrder(ctx, by(y.m), snapshot.Order{
		Who: "Mosswick", What: ahead.YoungOrder, Species: "chicken", Count: 14, FromOn: in(18), ToOn: in(30), SurePct: 50,
	})
	require.NoError(t, err)
	expected := func() (young float64) {
		page := y.batch(batch)
		watch, err := y.Hatch.Watch(ctx, y.m, box)
		require.NoError(t, err)
		promised, err := y.Season.Promises(ctx, y.m)
		require.NoError(t, err)
		young = watch.Loads[0].Watch.Young
		assert.InDelta(t, young, page.Prospect.Young, 1e-9)
		assert.InDelta(t, young, promised.Open[0].Covered, 1e-6)
		return young
	}
	before := expected()
	_, err = y.Hatch.Hatched(ctx, by(y.m), batch, hatch.Young{ByPen: map[int64]int{barred: 6, speckled: 4}})
	require.NoError(t, err)
	y.now = start.AddDate(0, 0, 24)
	assert.Empty(t, y.tap(box, hatch.Tap{Kind: hatch.Look, Batch: batch}))
	after := expected()
	assert.InDelta(t, 14*.68, before, .1, "nobody looked into them")
	assert.InDelta(t, 10, after, .3, "four eggs are overdue, and nobody waits for them")
	assert.Equal(t, 10, y.batch(batch).Prospect.High)
}

// Eggs into which nobody looked are expected to do as Set says it: the clears are still among them. Of a bought parcel
// about half hatch, and fewer where cells came loose.
func TestEggsThatNobodyLookedIntoAreNoLiveOnes(t *testing.T) {
	usual := func(t *testing.T, candled, bought bool, loose int) hatch.LoadView {
		y := newYard(t)
		ctx := y.Context()
		pen, box := y.pen("Barred", "chicken"), y.machine("Cabinet", "all-in-one", "chicken", 60, 60)
		y.collect(pen, 0, 10, 0)
		_, err := y.owner.Pool.Exec(ctx, `update pens set supplier = $2 where id = $1`, pen, bought)
		require.NoError(t, err)
		_, err = y.owner.Pool.Exec(ctx, `
			insert into parcels (farm_id, pen_id, ordered, ordered_on, sent, broken, loose, displaced, arrived_at, collection_id)
			select farm_id, pen_id, 10, laid_on, 10, 0, $1, 0, laid_on, id
			from collections
			where $2`, loose, bought)
		require.NoError(t, err)
		id := y.set(incubate.Setting{
			Species: "chicken", SetterID: box, Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 10}},
		})
		y.now = y.now.AddDate(0, 0, 18)
		if candled {
			must(y.Candle.CandleRest(ctx, by(y.m), id, time.Time{}))
		}
		must(y.Hatch.Lockdown(ctx, by(y.m), id, box, time.Time{}))
		page, err := y.Hatch.Watch(ctx, y.m, box)
		require.NoError(t, err)
		return page.Loads[0]
	}
	for name, c := range map[string]struct {
		candled, bought bool
		loose           int
		usual           float64
		says            string
	}{
		"seen alive":          {true, false, 0, 91, "usually 9 of 10"},
		"not looked at":       {false, false, 0, 68, "usually 6 or 7 of 10; nobody candled these"},
		"bought":              {false, true, 0, 50, "usually 5 of 10; nobody candled these"},
		"bought, cells loose": {false, true, 10, 25, "usually 2 or 3 of 10; nobody candled these"},
	} {
		t.Run(name, func(t *testing.T) {
			l := usual(t, c.candled, c.bought, c.loose)
			assert.InDelta(t, c.usual, l.Usual, .5)
			assert.Equal(t, c.says, l.UsualSays())
		})
	}
}
