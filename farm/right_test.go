package farm_test

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/candling"
	"metrogon/core/method"
	"metrogon/core/outcome"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/candle"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/people"
	"metrogon/farm/services"
	"metrogon/farm/stock"
	"metrogon/farm/weigh"
	"metrogon/store/storetest"
)

// Six eggs of twelve days and six fresh ones of one pen; six young are counted. The
// pen has 6 of 12; what waiting costs is told by neither the old nor the fresh.
func TestYoungCountedByPenAreNobodysOwn(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(6, 12, 0)
	pen := y.batch(id).Pens[0].ID
	y.now = start.AddDate(0, 0, 22)
	done, err := y.Hatch.Hatched(ctx, y.m, key(), id, hatch.Young{ByPen: map[int64]int{pen: 6}})
	require.NoError(t, err)
	b := y.batch(id)
	assert.Equal(t, [4]int{12, 6, 6, 6}, [4]int{b.Eggs, b.Alive, b.BatchView.Hatched, b.Counted()})
	_, err = y.Hatch.Hatched(ctx, y.m, key(), id, hatch.Young{ByPen: map[int64]int{pen: 7}})
	assert.ErrorContains(t, err, "7 young, but 6 eggs left; it may be 0 to 6.")
	closed, err := y.Hatch.Close(ctx, y.m, key(), id, time.Time{})
	require.NoError(t, err)
	assert.Contains(t, closed.Said, "closed: 6 hatched of 12 eggs.")

	b = y.batch(id)
	assert.Equal(t, [3]int{0, 6, 6}, [3]int{b.Alive, b.BatchView.Hatched, b.Unhatched})
	for _, e := range b.Pens[0].Eggs {
		assert.Equal(t, string(outcome.Counted), *e.Fate, "nobody saw the end of egg %d", e.No)
	}
	pens, err := y.Flock.Pens(ctx, y.m)
	require.NoError(t, err)
	assert.Equal(t, [2]int{6, 12}, [2]int{pens[0].HatchOfSet.K, pens[0].HatchOfSet.N}, "the pen's rate is the count")
	w, err := y.Stock.Waiting(ctx, y.m, "chicken")
	require.NoError(t, err)
	assert.Zero(t, w.Curve.Eggs)
	assert.Equal(t, 12, w.LeftOut)
	assert.Contains(
		t, w.Says(),
		"Of 12 eggs young were counted by pen with eggs of other ages, so they tell nothing of waiting and are "+
			"left out.",
	)
	page, err := y.Flock.Pen(ctx, y.m, pen)
	require.NoError(t, err)
	assert.Equal(t, [2]int{6, 12}, [2]int{page.Batches[0].HatchOfSet.K, page.Batches[0].HatchOfSet.N})

	for _, entry := range []int64{closed.Entry, done.Entry} {
		_, err = y.Undo(ctx, y.m, key(), entry)
		require.NoError(t, err)
	}
	b = y.batch(id)
	assert.Equal(t, [3]int{12, 0, 0}, [3]int{b.Alive, b.BatchView.Hatched, b.Counted()}, "all taken back")
}

// Where what did not hatch is opened egg by egg, the rest is known to have hatched.
func TestOpeningTheRestTellsWhoHatched(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(3, 12, 0)
	pen := y.batch(id).Pens[0].ID
	y.now = start.AddDate(0, 0, 22)
	_, err := y.Hatch.Hatched(ctx, y.m, key(), id, hatch.Young{ByPen: map[int64]int{pen: 4}})
	require.NoError(t, err)
	b := y.batch(id)
	_, err = y.Hatch.End(
		ctx, y.m, key(), id, hatch.Ending{Eggs: nos(b, 1, 2, 3), Fate: outcome.Unhatched, Stage: "late"},
	)
	assert.ErrorContains(
		t, err, "4 young of Barred were counted already, so of the 6 eggs left only 2 can have ended otherwise.",
	)
	_, err = y.Hatch.End(ctx, y.m, key(), id, hatch.Ending{Eggs: nos(b, 4), Fate: outcome.Hatched, Among: true})
	require.NoError(t, err, "a shell was found: it is one of the four")
	assert.Equal(
		t, [3]int{2, 4, 3},
		func() [3]int { b := y.batch(id); return [3]int{b.Alive, b.BatchView.Hatched, b.Counted()} }(),
	)
	_, err = y.Hatch.End(ctx, y.m, key(), id, hatch.Ending{Eggs: nos(b, 1, 2), Fate: outcome.Unhatched, Stage: "late"})
	require.NoError(t, err)
	closed, err := y.Hatch.Close(ctx, y.m, key(), id, time.Time{})
	require.NoError(t, err)
	w, err := y.Stock.Waiting(ctx, y.m, "chicken")
	require.NoError(t, err)
	assert.Equal(t, [2]int{6, 0}, [2]int{w.Curve.Eggs, w.LeftOut}, "every egg is known")
	assert.Equal(t, []int{3, 1}, []int{w.Ages[11].Set, w.Ages[11].Hatched}, "of the old ones two died")
	assert.Equal(t, []int{3, 3}, []int{w.Ages[0].Set, w.Ages[0].Hatched})
	_, err = y.Undo(ctx, y.m, key(), closed.Entry)
	require.NoError(t, err)
	assert.Equal(t, 3, y.batch(id).Counted(), "the count counts again")
}

func TestUndoGoesInReverseOrderForEverySubject(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	_, err := y.Flock.SavePen(ctx, y.m, key(), farm.Pen{
		Name: "Hollin Ridge", Species: "chicken", FromOn: day(30), Supplier: true,
	})
	require.NoError(t, err)
	_, suppliers, _, err := y.Stock.Parcels(ctx, y.m)
	require.NoError(t, err)
	ordered, err := y.Stock.Order(ctx, y.m, key(), farm.Parcel{PenID: suppliers[0].ID, Ordered: 24, OrderedOn: day(5)})
	require.NoError(t, err)
	parcels, _, _, err := y.Stock.Parcels(ctx, y.m)
	require.NoError(t, err)
	arrived, err := y.Stock.Arrived(
		ctx, y.m, key(), parcels[0].ID, stock.Arrival{Sent: 24, At: y.now, LaidOn: day(4), RestHours: 24},
	)
	require.NoError(t, err)
	_, err = y.Undo(ctx, y.m, key(), ordered.Entry)
	assert.ErrorContains(t, err, "Take back first what was done after it: 24 eggs from Hollin Ridge in store")
	assert.Equal(t, 24, y.inStore())
	for _, entry := range []int64{arrived.Entry, ordered.Entry} {
		_, err = y.Undo(ctx, y.m, key(), entry)
		require.NoError(t, err)
	}
	parcels, _, _, err = y.Stock.Parcels(ctx, y.m)
	require.NoError(t, err)
	assert.Empty(t, parcels)

	// A machine's counter that two settings started, one after the other.
	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 60, 60)
	y.collect(pen, 0, 12, 0)
	var sets [2]farm.Done
	for i := range sets {
		sets[i], err = y.Incubate.Set(ctx, y.m, key(), incubate.Setting{Species: "chicken", SetterID: box,
			HatcherID: box, SetAt: y.now, StartCounter: true,
			Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 6}}})
		require.NoError(t, err)
		y.now = y.now.Add(time.Hour)
	}
	_, err = y.Undo(ctx, y.m, key(), sets[0].Entry)
	assert.ErrorContains(t, err, "Take back first", "else the counter would be put back over the second")

	// Ticks of a machine, tilts of a place.
	first, err := y.Machines.MadeReady(ctx, y.m, key(), box, "clean")
	require.NoError(t, err)
	_, err = y.Machines.MadeReady(ctx, y.m, key(), box, "place")
	require.NoError(t, err)
	_, err = y.Undo(ctx, y.m, key(), first.Entry)
	assert.ErrorContains(t, err, "Take back first")
}

// A lockdown that is minutes late still turns in its setter.
func TestWhatIsLateStandsWhereItStood(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen := y.pen("Barred", "chicken")
	box := y.machine("Box", "all-in-one", "chicken", 40, 40)
	hatcher := y.machine("Hatcher", "hatcher", "chicken", 0, 40)
	y.collect(pen, 0, 36, 0)
	id := y.set(incubate.Setting{
		Species: "chicken", SetterID: box, HatcherID: hatcher,
		Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 36}},
	})
	y.now = time.Date(2027, 3, 19, 7, 20, 0, 0, time.UTC) // lockdown was due at seven
	y.collect(pen, -18, 20, 0)
	free := func() int {
		page, err := y.Incubate.Plan(ctx, y.m, incubate.Setting{Species: "chicken"})
		require.NoError(t, err)
		for _, p := range page.Setters {
			if p.ID == box {
				return p.Free
			}
		}
		return -1
	}
	full := func() float64 {
		today, err := y.Today.Page(ctx, y.m)
		require.NoError(t, err)
		for _, r := range today.Running {
			if r.ID == box {
				return r.Full
			}
		}
		return -1
	}
	assert.Equal(t, 4, free(), "places that are not there")
	assert.InDelta(t, .9, full(), 1e-9)
	y.now = y.now.AddDate(0, 0, 1)
	assert.Equal(t, 4, free())

	// Nobody ever said that it was locked down, and day 37 has come.
	y.now = start.AddDate(0, 0, 37)
	today, err := y.Today.Page(ctx, y.m)
	require.NoError(t, err)
	require.Len(t, today.Due, 1)
	assert.Equal(t, "What became of 36 eggs?", today.Due[0].Title)
	assert.Contains(
		t, today.Due[0].Reason,
		"Box · day 37 of 21. They should have hatched by Tue 23 Mar, and no lockdown is written down.",
	)
	assert.True(t, y.batch(id).LongPast())
	_, err = y.Hatch.Hatched(
		ctx, y.m, key(), id, hatch.Young{ByPen: map[int64]int{pen: 30}, At: start.AddDate(0, 0, 21)},
	)
	require.NoError(t, err)
	_, err = y.Hatch.Close(ctx, y.m, key(), id, time.Time{})
	require.NoError(t, err)
	assert.Equal(t, 40, free())
}

func TestRestingEggsAreNotTilted(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	_, err := y.Flock.SavePen(ctx, y.m, key(), farm.Pen{
		Name: "Hollin Ridge", Species: "chicken", FromOn: day(30), Supplier: true,
	})
	require.NoError(t, err)
	_, suppliers, _, err := y.Stock.Parcels(ctx, y.m)
	require.NoError(t, err)
	_, err = y.Stock.SaveStoragePlace(ctx, y.m, key(), farm.StoragePlace{Name: "Larder"})
	require.NoError(t, err)
	room := y.room()
	require.Len(t, room.Places, 1)
	_, err = y.Stock.Order(ctx, y.m, key(), farm.Parcel{PenID: suppliers[0].ID, Ordered: 12, OrderedOn: day(5)})
	require.NoError(t, err)
	parcels, _, _, err := y.Stock.Parcels(ctx, y.m)
	require.NoError(t, err)
	_, err = y.Stock.Arrived(
		ctx, y.m, key(), parcels[0].ID,
		stock.Arrival{Sent: 12, At: y.now, LaidOn: day(4), RestHours: 24, PlaceID: room.Places[0].ID},
	)
	require.NoError(t, err)
	tilts := func() int { return len(y.chores(farm.Tilt)) }
	assert.Zero(t, tilts(), "they rest, neither turned nor tilted")
	y.now = y.now.Add(25 * time.Hour)
	assert.Equal(t, 1, tilts(), "rested, they are tilted like all others")
}

func TestSentencesAreInTheReadersUnits(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	require.NoError(
		t, y.People.SaveUnits(ctx, y.m, people.Units{Temperature: "F", Mass: "oz", Clock: 12, CountFrom: 1}),
	)
	m, err := y.People.Member(ctx, y.m.PersonID)
	require.NoError(t, err)
	y.m = m
	geckos, shelf := y.pen("Opal", "leopard-gecko"), y.machine("Shelf", "reptile-box", "leopard-gecko", 10, 0)
	y.collect(geckos, 0, 2, 0)
	_, err = y.Incubate.Set(ctx, y.m, key(), incubate.Setting{Species: "leopard-gecko", SetterID: shelf,
		TempC: -20.555555555555554, SetAt: y.now,
		Picks: []incubate.Pick{{PenID: geckos, LaidOn: day(0), Eggs: 2}}})
	assert.ErrorContains(t, err, "The temperature of the box is -5 °F; it may be")
	_, err = y.Stock.SaveStoragePlace(ctx, y.m, key(), farm.StoragePlace{Name: "Attic", TempC: new(60.)})
	assert.ErrorContains(t, err, "The temperature is 140 °F; it may be 14 to 113.")
	_, err = y.Stock.SaveStoragePlace(ctx, y.m, key(), farm.StoragePlace{Name: "Attic", TempC: new(25.)})
	require.NoError(t, err)
	assert.Equal(t, []string{"too warm: above 68 °F the germ begins to grow"}, y.room().Places[0].Warnings)

	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 60, 60)
	_, err = y.gather(stock.Collected{PenID: pen, Eggs: 1, MassG: new(500.)})
	assert.ErrorContains(t, err, "The weight is 17.64 oz; it may be 0.01 to 14.11.")
	y.collect(pen, 0, 20, 0)
	id := y.set(incubate.Setting{
		Species: "chicken", SetterID: box, HatcherID: box,
		Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 20}},
	})
	weigh := func(grams float64) (farm.Done, error) {
		return y.Weigh.Record(
			ctx, y.m, key(), id, weigh.Weighing{Eggs: 20, MassG: grams, RHPct: 50, TempC: 37.5, At: y.now},
		)
	}
	done, err := weigh(1134) // 40 oz
	require.NoError(t, err)
	assert.Contains(t, done.Said, "20 eggs weighed, 2 oz each.")
	y.now = y.now.AddDate(0, 0, 3)
	_, err = weigh(1134)
	require.NoError(t, err, "a scale of whole ounces may show no loss in three days")
	w, err := y.Weigh.Water(ctx, y.m, id)
	require.NoError(t, err)
	assert.False(t, w.Series[0].Known)
	assert.Contains(t, w.Series[0].Why, "Weigh the same eggs again in two or three days.")
	y.now = y.now.AddDate(0, 0, 4)
	_, err = weigh(1080)
	require.NoError(t, err)
	w, err = y.Weigh.Water(ctx, y.m, id)
	require.NoError(t, err)
	assert.Contains(t, w.Series[0].Advice, "by day 19;", "lockdown's day as she counts it")
	today, err := y.Today.Page(ctx, y.m)
	require.NoError(t, err)
	assert.Contains(t, today.Due[0].Reason, "Box · day 8 of 22.")
}

func TestThingsAreWrittenDownLater(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(10)
	pen := y.batch(id).Pens[0].ID
	y.now = start.AddDate(0, 0, 8)
	evening := start.AddDate(0, 0, 7).Add(2 * time.Hour)
	_, err := y.Candle.CandleRest(ctx, y.m, key(), id, evening)
	require.NoError(t, err)
	assert.Equal(t, evening, y.batch(id).CandledAt.UTC())
	for says, at := range map[string]time.Time{
		"has not come yet":             y.now.Add(time.Hour),
		"was not set before Mon 1 Mar": start.Add(-time.Hour),
	} {
		_, err = y.Hatch.Lockdown(ctx, y.m, key(), id, 0, at)
		assert.ErrorContains(t, err, says)
		_, err = y.Candle.CandleRest(ctx, y.m, key(), id, at)
		assert.ErrorContains(t, err, says)
		_, err = y.Hatch.Hatched(ctx, y.m, key(), id, hatch.Young{ByPen: map[int64]int{pen: 1}, At: at})
		assert.ErrorContains(t, err, says)
		_, err = y.Hatch.End(
			ctx, y.m, key(), id, hatch.Ending{Eggs: nos(y.batch(id), 1), Fate: outcome.Hatched, At: at},
		)
		assert.ErrorContains(t, err, says)
	}
	y.now = start.AddDate(0, 0, 23)
	locked := start.AddDate(0, 0, 18)
	_, err = y.Hatch.Lockdown(ctx, y.m, key(), id, 0, locked)
	require.NoError(t, err)
	assert.Equal(t, locked, y.batch(id).LockedAt.UTC())
	_, err = y.Hatch.Close(ctx, y.m, key(), id, locked.Add(-time.Hour))
	assert.ErrorContains(t, err, "went into lockdown")
	out := start.AddDate(0, 0, 21)
	_, err = y.Hatch.Hatched(ctx, y.m, key(), id, hatch.Young{ByPen: map[int64]int{pen: 10}, At: out})
	require.NoError(t, err)
	_, err = y.Hatch.Close(ctx, y.m, key(), id, out.Add(24*time.Hour))
	require.NoError(t, err)
	b := y.batch(id)
	assert.Equal(t, out.Add(24*time.Hour), b.ClosedAt.UTC())
}

// Eggs set for tomorrow are neither locked down nor closed today.
func TestEggsOfTomorrowAreLeftAlone(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 60, 60)
	y.collect(pen, 0, 10, 0)
	done, err := y.Incubate.Set(ctx, y.m, key(), incubate.Setting{Species: "chicken", SetterID: box, HatcherID: box,
		SetAt: y.now.Add(20 * time.Hour),
		Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 10}}})
	require.NoError(t, err)
	for what, err := range map[string]error{
		"lockdown": second(y.Hatch.Lockdown(ctx, y.m, key(), done.BatchID, 0, time.Time{})),
		"close":    second(y.Hatch.Close(ctx, y.m, key(), done.BatchID, time.Time{})),
		"hatch":    second(y.Hatch.Hatched(ctx, y.m, key(), done.BatchID, hatch.Young{ByPen: map[int64]int{pen: 1}})),
		"candle":   second(y.Candle.CandleRest(ctx, y.m, key(), done.BatchID, time.Time{})),
	} {
		assert.ErrorContains(t, err, "was not set before Tue 2 Mar, 14:00", what)
	}
}

func TestBrokenByHandCountsAgainstNobody(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(10)
	pen := y.batch(id).Pens[0].ID
	_, err := y.Hatch.End(ctx, y.m, key(), id, hatch.Ending{Eggs: nos(y.batch(id), 10), Fate: outcome.Broken})
	require.NoError(t, err)
	y.now = start.AddDate(0, 0, 22)
	_, err = y.Hatch.Hatched(ctx, y.m, key(), id, hatch.Young{ByPen: map[int64]int{pen: 9}})
	require.NoError(t, err)
	_, err = y.Hatch.Close(ctx, y.m, key(), id, time.Time{})
	require.NoError(t, err)
	pens, err := y.Flock.Pens(ctx, y.m)
	require.NoError(t, err)
	assert.Equal(t, [2]int{9, 9}, [2]int{pens[0].HatchOfSet.K, pens[0].HatchOfSet.N})
	page, err := y.Flock.Pen(ctx, y.m, pen)
	require.NoError(t, err)
	assert.Equal(t, [2]int{9, 9}, [2]int{page.HatchOfSet.K, page.HatchOfSet.N}, "on its own page as well")
	b := y.batch(id)
	assert.Equal(t, [3]int{10, 9, 1}, [3]int{b.Eggs, b.BatchView.Hatched, b.Broken})
	assert.Equal(t, 9, b.Pens[0].HatchOfSet.N)
}

// Fourteen-day quail: the egg room and Set say the same, and Set proposes them once
// the farm's own limit says so.
func TestLateEggsAreJudgedOnce(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen := y.pen("Oat line", "coturnix-quail")
	box := y.machine("Box", "all-in-one", "coturnix-quail", 100, 100)
	y.collect(pen, 14, 12, 0)
	room := y.room()
	s := incubate.Setting{Species: "coturnix-quail", SetterID: box, HatcherID: box, SetAt: y.now,
		Picks: []incubate.Pick{{PenID: pen, LaidOn: day(14), Eggs: 12}}}
	page, err := y.Incubate.Plan(ctx, y.m, s)
	require.NoError(t, err)
	assert.InDelta(t, page.Answer.Young, room.PastYoung, 1e-9, "one number in both places")
	assert.Equal(t, "late", string(room.Stock[0].Lots[0].Keeping))
	assert.Contains(t, page.Answer.Ages[0], fmt.Sprintf(
		"14 days old, most stop at 10; expect about %.0f young of them.", room.PastYoung,
	))
	proposed := func() []incubate.Pick {
		page, err := y.Incubate.Plan(ctx, y.m, incubate.Setting{Species: "coturnix-quail"})
		require.NoError(t, err)
		return page.Setting.Picks
	}
	assert.Empty(t, proposed())
	_, err = y.Kinds.SaveKind(
		ctx, y.m, key(), "coturnix-quail", []species.Change{{Figure: "storage_limit_days", At: 14, From: 14, To: 16}},
		method.Default(),
	)
	require.NoError(t, err)
	require.Len(t, proposed(), 1, "the farm's own limit is fourteen days")
	assert.Equal(t, 12, proposed()[0].Eggs)
}

// A dirty egg is set to see how it does: its hatch is told apart.
func TestATrialIsToldApart(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 60, 60)
	_, err := y.Stock.Collect(ctx, y.m, key(), stock.Collected{
		PenID: pen, LaidOn: day(0), Eggs: 10, Reasons: map[string]int{"dirty": 4, "broken": 1},
	})
	require.NoError(t, err)
	_, _, rejects, err := y.Stock.Baskets(ctx, y.m, 0)
	require.NoError(t, err)
	require.Len(t, rejects, 1, "what is broken is no egg to try")
	assert.Equal(t, []any{"dirty", 4}, []any{rejects[0].Name, rejects[0].Eggs})
	trial, err := y.Stock.OnTrial(ctx, y.m, key(), rejects[0].CollectionID, "dirty", 3)
	require.NoError(t, err)
	assert.Contains(t, trial.Said, "3 rejected eggs in store on trial; mark them")
	proposed, err := y.Incubate.Plan(ctx, y.m, incubate.Setting{Species: "chicken"})
	require.NoError(t, err)
	require.Len(t, proposed.Setting.Picks, 1)
	assert.Equal(t, 10, proposed.Setting.Picks[0].Eggs, "they are not proposed")
	id := y.set(incubate.Setting{Species: "chicken", SetterID: box, HatcherID: box, Picks: []incubate.Pick{
		{PenID: pen, LaidOn: day(0), Eggs: 10}, {PenID: pen, LaidOn: day(0), Trial: true, Eggs: 3},
	}})
	assert.Zero(t, y.inStore())
	_, err = y.Undo(ctx, y.m, key(), trial.Entry)
	assert.ErrorContains(t, err, "were set or taken out meanwhile")
	y.now = start.AddDate(0, 0, 22)
	_, err = y.Hatch.Hatched(
		ctx, y.m, key(), id, hatch.Young{ByPen: map[int64]int{pen: 8}, OnTrial: map[int64]int{pen: 1}},
	)
	require.NoError(t, err)
	_, err = y.Hatch.Close(ctx, y.m, key(), id, time.Time{})
	require.NoError(t, err)
	page, err := y.Flock.Pen(ctx, y.m, pen)
	require.NoError(t, err)
	assert.Equal(t, [2]int{8, 10}, [2]int{page.HatchOfSet.K, page.HatchOfSet.N}, "the pen's rate is of its sound eggs")
	require.Len(t, page.Trials, 1)
	assert.Equal(t, []any{"dirty", 1, 3}, []any{
		page.Trials[0].Name, page.Trials[0].HatchOfSet.K, page.Trials[0].HatchOfSet.N,
	})
	pens, err := y.Flock.Pens(ctx, y.m)
	require.NoError(t, err)
	assert.Equal(t, page.HatchOfSet, pens[0].HatchOfSet)
}

func TestAKeyBelongsToOneRequest(t *testing.T) {
	y := newYard(t)
	pen := y.pen("Barred", "chicken")
	k := key()
	ask := func(what string, eggs int) (farm.Done, error) {
		return y.Stock.Collect(farm.Asked(y.Context(), what), y.m, k, stock.Collected{
			PenID: pen, LaidOn: day(0), Eggs: eggs,
		})
	}
	first, err := ask("/eggs?eggs=6", 6)
	require.NoError(t, err)
	again, err := ask("/eggs?eggs=6", 6)
	require.NoError(t, err)
	assert.Equal(t, first, again)
	for _, other := range []string{"/eggs?eggs=7", "/eggs/cast-out?eggs=6", ""} {
		_, err = ask(other, 7)
		assert.ErrorContains(t, err, "sent before with something else in it", other)
	}
	assert.Equal(t, 6, y.inStore())
}

func TestForeignBasketsAreRefused(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	y.collect(y.pen("Barred", "chicken"), 0, 6, 0)
	all, _, _, err := y.Stock.Baskets(ctx, y.m, 0)
	require.NoError(t, err)
	other := y.settle("Elsewhere", "bo@elsewhere.example")
	for name, ids := range map[string][]int64{"invented": {99}, "one of two": {all[0].Basket.ID, 4711}} {
		_, err = y.Stock.MoveBaskets(ctx, y.m, key(), ids, 0)
		assert.ErrorIs(t, err, farm.ErrNone, name)
	}
	_, err = y.Stock.MoveBaskets(ctx, other, key(), []int64{all[0].Basket.ID}, 0)
	assert.ErrorIs(t, err, farm.ErrNone, "another farm's")
	_, err = y.Stock.MoveBaskets(ctx, y.m, key(), []int64{all[0].Basket.ID, all[0].Basket.ID}, 0)
	assert.NoError(t, err, "the same twice is one")
}

func TestEveryCheckHasItsSentence(t *testing.T) {
	t.Parallel()
	owner := storetest.Owner(t, storetest.Open(t, nil))
	rows, err := owner.Pool.Query(t.Context(), `
		select conname from pg_constraint
		where contype = 'c' and connamespace = 'public'::regnamespace and conrelid <> 'goose_db_version'::regclass`)
	require.NoError(t, err)
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	assert.Greater(t, len(names), 60)
	for _, name := range names {
		says, ok := farm.Checks[name]
		assert.True(t, ok && strings.HasSuffix(says.Says, "."), "the check %s has no sentence", name)
	}
	var fates string // the database knows core's fates, and no others
	require.NoError(t, owner.Pool.QueryRow(t.Context(),
		`select pg_get_constraintdef(oid) from pg_constraint where conname = 'eggs_fate_check'`).Scan(&fates))
	all := regexp.MustCompile(`'([a-z-]+)'`).FindAllStringSubmatch(fates, -1)
	var known []outcome.Fate
	for _, m := range all {
		known = append(known, outcome.Fate(m[1]))
	}
	assert.ElementsMatch(t, []outcome.Fate{
		outcome.Hatched, outcome.Unhatched, outcome.Removed, outcome.Counted, outcome.Broken, outcome.CastOut,
	}, known)

	_, err = owner.Pool.Exec(t.Context(), `insert into people (email, name, password_hash) values ('x', 'Anna', 'x')`)
	assert.Equal(
		t, farm.Problems{{Field: "email", Says: "The e-mail address may have 3 to 200 characters."}}, farm.Checked(err),
	)
}

// breaker fails the nth query of a use case.
type breaker struct {
	at, seen atomic.Int64
}

var errBroken = errors.New("the database is broken")

func (b *breaker) count(ctx context.Context, sql string) context.Context {
	if sql == "rollback" || sql == "begin" || b.at.Load() == 0 || b.seen.Add(1) != b.at.Load() {
		return ctx
	}
	ctx, cancel := context.WithCancelCause(ctx)
	cancel(errBroken)
	return ctx
}

func (b *breaker) TraceQueryStart(ctx context.Context, _ *pgx.Conn, q pgx.TraceQueryStartData) context.Context {
	return b.count(ctx, q.SQL)
}
func (b *breaker) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}
func (b *breaker) TraceBatchStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchStartData) context.Context {
	return b.count(ctx, "batch")
}
func (b *breaker) TraceBatchQuery(context.Context, *pgx.Conn, pgx.TraceBatchQueryData) {}
func (b *breaker) TraceBatchEnd(context.Context, *pgx.Conn, pgx.TraceBatchEndData)     {}

// Each query of each use case breaks once: that is an error of the machine, and never
// told as what somebody typed wrong.
func TestABrokenDatabaseIsNobodysMistake(t *testing.T) {
	t.Parallel()
	trace := &breaker{}
	y := &yard{T: t, now: start}
	y.Services = services.New(storetest.Open(t, trace), func() time.Time { return y.now })
	y.m = y.settle("Wickfold", "anna@wickfold.example")
	ctx := y.Context()
	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 60, 60)
	_, err := y.Flock.SavePen(ctx, y.m, key(), farm.Pen{
		Name: "Hollin Ridge", Species: "chicken", FromOn: day(30), Supplier: true,
	})
	require.NoError(t, err)
	_, suppliers, _, err := y.Stock.Parcels(ctx, y.m)
	require.NoError(t, err)
	_, err = y.Stock.Order(ctx, y.m, key(), farm.Parcel{PenID: suppliers[0].ID, Ordered: 24, OrderedOn: day(5)})
	require.NoError(t, err)
	parcels, _, _, err := y.Stock.Parcels(ctx, y.m)
	require.NoError(t, err)
	_, err = y.Stock.SaveStoragePlace(ctx, y.m, key(), farm.StoragePlace{Name: "Larder"})
	require.NoError(t, err)
	place := y.room().Places[0].ID
	entry := y.collect(pen, 0, 30, 2).Entry
	id := y.set(incubate.Setting{
		Species: "chicken", SetterID: box, HatcherID: box,
		Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 12}},
	})
	all, _, rejects, err := y.Stock.Baskets(ctx, y.m, 0)
	require.NoError(t, err)
	y.now = start.AddDate(0, 0, 21)
	eggs := nos(y.batch(id), 1, 2)
	s := incubate.Setting{
		Species: "chicken", SetterID: box, HatcherID: box, SetAt: y.now,
		Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 3}},
	}
	for name, act := range map[string]func() error{
		"today":    func() error { return second(y.Today.Page(ctx, y.m)) },
		"set page": func() error { return second(y.Incubate.Plan(ctx, y.m, s)) },
		"batch":    func() error { return second(y.Incubate.Batch(ctx, y.m, id)) },
		"pens":     func() error { return second(y.Flock.Pens(ctx, y.m)) },
		"waiting":  func() error { return second(y.Stock.Waiting(ctx, y.m, "chicken")) },
		"collect": func() error {
			return second(y.Stock.Collect(ctx, y.m, key(), stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 1}))
		},
		"cast out": func() error { return second(y.Stock.CastOut(ctx, y.m, key(), pen, day(0), 1)) },
		"set":      func() error { return second(y.Incubate.Set(ctx, y.m, key(), s)) },
		"candle": func() error {
			return second(y.Candle.Candle(ctx, y.m, key(), id, candle.Calling{Call: candling.Live, Eggs: eggs}))
		},
		"candle rest": func() error { return second(y.Candle.CandleRest(ctx, y.m, key(), id, time.Time{})) },
		"hatched": func() error {
			return second(y.Hatch.Hatched(ctx, y.m, key(), id, hatch.Young{ByPen: map[int64]int{pen: 1}}))
		},
		"end": func() error {
			return second(y.Hatch.End(
				ctx, y.m, key(), id, hatch.Ending{Eggs: eggs[:1], Fate: outcome.Removed, Stage: "bad"},
			))
		},
		"lockdown": func() error { return second(y.Hatch.Lockdown(ctx, y.m, key(), id, 0, time.Time{})) },
		"close":    func() error { return second(y.Hatch.Close(ctx, y.m, key(), id, time.Time{})) },
		"tick":     func() error { return second(y.Incubate.TickOff(ctx, y.m, key(), id, "candle", 7)) },
		"undo":     func() error { return second(y.Undo(ctx, y.m, key(), entry)) },
		"pen": func() error {
			return second(y.Flock.SavePen(ctx, y.m, key(), farm.Pen{
				ID: pen, Name: "Barred", Species: "chicken", FromOn: start,
			}))
		},
		"machine": func() error {
			return second(y.Machines.SaveMachine(
				ctx, y.m, key(), farm.Machine{Name: "Y", Kind: "hatcher"},
				[]farm.Room{{Species: "chicken", Hatching: 9}},
			))
		},
		"ready": func() error { return second(y.Machines.MadeReady(ctx, y.m, key(), box, "clean")) },
		"tilt":  func() error { return second(y.Stock.Tilted(ctx, y.m, key(), place)) },
		"move":  func() error { return second(y.Stock.MoveBaskets(ctx, y.m, key(), []int64{all[0].Basket.ID}, place)) },
		"trial": func() error { return second(y.Stock.OnTrial(ctx, y.m, key(), rejects[0].CollectionID, "", 1)) },
		"arrival": func() error {
			return second(y.Stock.Arrived(
				ctx, y.m, key(), parcels[0].ID, stock.Arrival{Sent: 24, At: y.now, LaidOn: day(4), RestHours: 24},
			))
		},
		"weigh": func() error {
			return second(y.Weigh.Record(
				ctx, y.m, key(), id,
				weigh.Weighing{Eggs: 12, MassG: 700, RHPct: 50, TempC: 37.5, At: start, Sure: true},
			))
		},
		"farm": func() error {
			return second(y.People.SaveFarm(ctx, y.m, key(), people.Rules{
				Name: "X", Zone: "UTC", ChoreAt: "07:00", WarmHours: 24, RestHours: 24,
			}))
		},
		"password": func() error {
			return second(y.People.ChangePassword(ctx, y.m, "a-long-password", "quite-another-word"))
		},
		"sign in": func() error {
			return second(y.People.SignIn(ctx, people.Attempt{Email: "nobody@x.example", Password: "x"}))
		},
	} {
		broke := 0
		for n := int64(1); n < 60; n++ {
			trace.seen.Store(0)
			trace.at.Store(n)
			err := act()
			trace.at.Store(0)
			if trace.seen.Load() < n {
				break // the whole of it went through
			}
			broke++
			typed, is := farm.AsProblems(err)
			assert.False(t, is, "%s: query %d broke, and it is told as a mistake: %v", name, n, typed)
			assert.Error(t, err, "%s: query %d broke, and nothing is said", name, n)
			assert.NotErrorIs(t, err, people.ErrWrong, "%s: query %d", name, n)
		}
		assert.Greater(t, broke, 2, "%s was hardly tried", name)
	}
}
