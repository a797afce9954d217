package farm_test

import (
	"strings"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/candling"
	"metrogon/core/climate"
	"metrogon/core/outcome"
	"metrogon/farm"
	"metrogon/farm/candle"
	"metrogon/farm/gauges"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/outage"
	"metrogon/farm/people"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/farm/weigh"
)

func TestAFormSentTwiceDoesItOnce(t *testing.T) {
	y := newYard(t)
	pen := y.pen("Barred", "chicken")
	req, six := by(y.m), stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 6}
	for range 2 {
		done, err := y.Stock.Collect(y.Context(), req, six)
		require.NoError(t, err)
		assert.Equal(t, "6 eggs from Barred. Mark them AAA, AAC, AAE, AAF, AAK, AAL.", done.Said)
	}
	assert.Equal(t, 6, y.inStore())
	req.Key = "not a key"
	_, err := y.Stock.Collect(y.Context(), req, six)
	assert.ErrorContains(t, err, "form is broken")
}

func TestOtherFarmsStayClosed(t *testing.T) {
	y := newYard(t)
	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 100, 100)
	y.collect(pen, 0, 12, 0)
	id := y.set(incubate.Setting{
		Species: "chicken", SetterID: box, Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 12}},
	})
	entry, eggs := y.batch(id).Last.ID, nos(y.batch(id), 1, 2)
	other := y.settle("Elsewhere", "eve@elsewhere.example")
	ctx := y.Context()
	for name, err := range map[string]error{
		"Batch": second(y.Incubate.Batch(ctx, other, id)),
		"Pen":   second(y.Flock.Pen(ctx, other, pen)),
		"Candle": second(y.Candle.Candle(
			ctx, by(other), id, candle.Calling{Call: candling.Live, Eggs: eggs, TakeOut: false},
		)),
		"Rest":  second(y.Candle.CandleRest(ctx, by(other), id, time.Time{})),
		"Close": second(y.Hatch.Close(ctx, by(other), id, time.Time{})),
		"Undo":  second(y.Undo(ctx, by(other), entry)),
		"Pen 2": second(y.Flock.SavePen(ctx, by(other), snapshot.Pen{
			ID: pen, Name: "Mine", Species: "chicken", FromOn: start,
		})),
		"Opened":    second(y.Hatch.BreakOut(ctx, by(other), id, hatch.Opened{EggID: eggs[0], Stage: candling.Late})),
		"Leftovers": second(y.Hatch.BreakOutOf(ctx, other, id)), "Report": second(y.Report.Report(ctx, other, id)),
		"Next": second(y.Report.TryNext(ctx, by(other), id, []string{"Mine"})),
		"Late": second(y.Hatch.Late(ctx, other, id)),
		"Cut": second(y.Outage.Begin(ctx, by(other), outage.Cut{
			From: start, RoomC: 15, Boxes: map[int64]climate.Box{box: climate.Foam},
		})),
		"Reading": second(y.Gauges.TakeReading(ctx, by(other), box, gauges.Reading{DisplayC: new(float64)})),
		"At hand": second(y.Supplies.There(ctx, by(other), id, "hatch")),
		"Box": second(y.Machines.SaveMachine(
			ctx, by(other), snapshot.Machine{ID: box, Name: "Mine", Kind: "hatcher"},
			[]snapshot.Room{{Species: "chicken", Hatching: 3}},
		)),
	} {
		assert.ErrorIs(t, err, farm.ErrNone, name)
	}
	_, err := y.Stock.Collect(ctx, by(other), stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 1})
	assert.ErrorContains(t, err, "Pick the pen")
	// A batch of one's own cannot be made to end somebody else's eggs.
	m := y.m
	y.m = other
	own := y.pen("Own", "chicken")
	ownBox := y.machine("Own box", "all-in-one", "chicken", 10, 10)
	y.collect(own, 0, 1, 0)
	mine := y.set(incubate.Setting{
		Species: "chicken", SetterID: ownBox, Picks: []incubate.Pick{{PenID: own, LaidOn: day(0), Eggs: 1}},
	})
	assert.ErrorIs(
		t, second(y.Hatch.End(ctx, by(other), mine, hatch.Ending{Eggs: eggs, Fate: outcome.Removed, Stage: "bad"})),
		farm.ErrNone,
	)
	y.m = m
	assert.Equal(t, 12, y.batch(id).Alive)
}

func second[T any](_ T, err error) error { return err }

func TestAbsurdInputGetsASentence(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 100, 100)
	long := strings.Repeat("x", 1<<20)
	collected := func(c stock.Collected) error { return second(y.Stock.Collect(ctx, by(y.m), c)) }
	penned := func(p snapshot.Pen) error { return second(y.Flock.SavePen(ctx, by(y.m), p)) }
	for name, err := range map[string]error{
		"a thousand million eggs": collected(stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 1e9}),
		"fewer than no eggs":      collected(stock.Collected{PenID: pen, LaidOn: day(0), Eggs: -3}),
		"no eggs at all":          collected(stock.Collected{PenID: pen, LaidOn: day(0)}),
		"the year 9999":           collected(stock.Collected{PenID: pen, LaidOn: day(0).AddDate(7972, 0, 0), Eggs: 3}),
		"eggs of tomorrow":        collected(stock.Collected{PenID: pen, LaidOn: day(-1), Eggs: 3}),
		"a long note":             collected(stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 3, Note: long}),
		"bytes that are no text":  collected(stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 3, Note: "\xff\xfe"}),
		"a zero byte":             collected(stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 3, Note: "a\x00b"}),
		"a long name":             penned(snapshot.Pen{Name: long, Species: "chicken", FromOn: start}),
		"no name":                 penned(snapshot.Pen{Name: "  ", Species: "chicken", FromOn: start}),
		"a name twice":            penned(snapshot.Pen{Name: "Barred", Species: "chicken", FromOn: start}),
		"an unknown kind":         penned(snapshot.Pen{Name: "X", Species: "phoenix", FromOn: start}),
		"bantam geese":            penned(snapshot.Pen{Name: "X", Species: "goose", Bantam: true, FromOn: start}),
		"an end before the start": penned(snapshot.Pen{Name: "X", Species: "goose", FromOn: start, UntilOn: &time.Time{}}),
		"no room": second(y.Machines.SaveMachine(
			ctx, by(y.m), snapshot.Machine{Name: "Y", Kind: "hatcher"}, nil,
		)),
		"a strange machine": second(y.Machines.SaveMachine(
			ctx, by(y.m), snapshot.Machine{Name: "Y", Kind: "oven"}, []snapshot.Room{{Species: "chicken", Hatching: 1}},
		)),
		"a set of nothing": second(y.Incubate.Set(ctx, by(y.m), incubate.Setting{
			Species: "chicken", SetterID: box, SetAt: start,
		})),
		"eggs that are not there": second(y.Incubate.Set(ctx, by(y.m), incubate.Setting{
			Species: "chicken", SetterID: box, SetAt: start,
			Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 3}},
		})),
		"a set in the year 9999": second(y.Incubate.Set(ctx, by(y.m), incubate.Setting{
			Species: "chicken", SetterID: box, SetAt: start.AddDate(7972, 0, 0),
			Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 3}},
		})),
		"a gecko in an oven": second(y.Incubate.Set(ctx, by(y.m), incubate.Setting{
			Species: "leopard-gecko", SetterID: box, SetAt: start,
		})),
		"a password of 3": y.People.AddPerson(ctx, y.m, "B", "b@b.example", "abc", "helper"),
		"no address":      y.People.AddPerson(ctx, y.m, "B", "nonsense", "a-long-password", "helper"),
		"a strange role":  y.People.AddPerson(ctx, y.m, "B", "b@b.example", "a-long-password", "king"),
		"an address twice": y.People.AddPerson(
			ctx, y.m, "B", "ANNA@wickfold.example", "a-long-password", "helper",
		),
		"a zone on the moon": second(y.People.SaveFarm(ctx, by(y.m), people.Rules{
			Name: "X", Zone: "Moon/Tycho", ChoreAt: "07:00", WarmHours: 24, RestHours: 24,
		})),
		"an hour too many": second(y.People.SaveFarm(ctx, by(y.m), people.Rules{
			Name: "X", Zone: "UTC", ChoreAt: "25:00", WarmHours: 24, RestHours: 24,
		})),
		"a clock of 13 hours": y.People.SaveUnits(ctx, y.m, people.Units{Temperature: "C", Mass: "g", Clock: 13}),
	} {
		var p farm.Problems
		if assert.ErrorAs(t, err, &p, name) {
			assert.NotEmpty(t, p[0].Says, name)
			assert.Less(t, len(p.Error()), 500, name)
		}
	}
	assert.Zero(t, y.inStore())
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
	_, err = y.Stock.SaveStoragePlace(ctx, by(y.m), snapshot.StoragePlace{Name: "Attic", TempC: new(60.)})
	assert.ErrorContains(t, err, "The temperature is 140 °F; it may be 14 to 113.")
	_, err = y.Stock.SaveStoragePlace(ctx, by(y.m), snapshot.StoragePlace{Name: "Attic", TempC: new(25.)})
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
			ctx, by(y.m), id, weigh.Weighing{Eggs: 20, MassG: grams, RHPct: 50, TempC: 37.5, At: y.now},
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
	assert.Equal(t, "Box · day 8 of 22", today.Due[0].Reason)
}

func TestAKeyBelongsToOneRequest(t *testing.T) {
	y := newYard(t)
	pen := y.pen("Barred", "chicken")
	k := key()
	ask := func(what string, eggs int) (farm.Done, error) {
		req := farm.Request{Member: y.m, Key: k, Sure: true}
		return y.Stock.Collect(y.Context(), req.Asking(what), stock.Collected{
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
