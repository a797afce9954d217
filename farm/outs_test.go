package farm_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm"
	"metrogon/farm/incubate"
	"metrogon/farm/people"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
)

// What is taken out is named by its codes, so that pencil and record agree, and can be put back.
func TestEggsLeaveTheStoreByCode(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen := y.pen("Barred", "chicken")
	y.collect(pen, 0, 6, 0)
	price := 7.5
	out := func(o stock.Out) (farm.Done, error) { return y.Stock.TakeOut(ctx, by(y.m), o) }
	sold := must(out(stock.Out{Marks: []string{"aac", "AAK"}, Why: "sold", Who: "Perrin Oake", Price: &price}))
	assert.Equal(t, "2 eggs taken out of the store, sold to Perrin Oake for 7.50: AAC, AAK.", sold.Said)
	_, err := out(stock.Out{Marks: []string{"AAC", "AAE"}, Why: "eaten"})
	assert.ErrorContains(t, err, "Not in store: AAC.")
	_, err = out(stock.Out{PenID: pen, LaidOn: day(0), Eggs: 5, Why: "eaten"})
	assert.ErrorContains(t, err, "Only 4 of these eggs are in store; 5 were to go.")
	_, err = out(stock.Out{PenID: pen, LaidOn: day(0), Eggs: 1})
	assert.ErrorContains(t, err, "Say why they are taken out.")
	eaten := must(out(stock.Out{PenID: pen, LaidOn: day(0), Eggs: 1, Why: "eaten"}))
	assert.Equal(t, "1 egg taken out of the store, eaten: AAA.", eaten.Said)
	log := must(y.Stock.Outs(ctx, y.m))
	assert.Equal(t, []string{"eaten", "sold"}, []string{log[0].Why, log[1].Why})
	assert.Equal(t, [2]int{1, 2}, [2]int{log[0].Eggs, log[1].Eggs})
	assert.Equal(t, 3, y.inStore())
	must(y.Undo(ctx, by(y.m), sold.Entry))
	assert.Equal(t, 5, y.inStore())
	assert.Len(t, must(y.Stock.Outs(ctx, y.m)), 1)
	must(out(stock.Out{Marks: []string{"AAC"}, Why: "given away"}))
}

func TestTiltingAndDryingAsTheFarmSays(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	rules := func(tilts, dry int) {
		must(y.People.SaveFarm(ctx, by(y.m), people.Rules{
			Name: "Wickfold", Zone: "Europe/London", ChoreAt: "07:00", WarmHours: 24, RestHours: 24, Tilts: tilts, DryHours: dry,
		}))
		y.m = must(y.People.Member(ctx, y.m.PersonID))
	}
	rules(2, 3)
	pen, box := y.pen("Barred", "chicken"), y.machine("Cabinet", "all-in-one", "chicken", 40, 40)
	must(y.Stock.SaveStoragePlace(ctx, by(y.m), snapshot.StoragePlace{Name: "Cellar"}))
	place := y.room().Places[0].ID
	must(y.Stock.Collect(ctx, by(y.m), stock.Collected{
		PenID: pen, LaidOn: day(0), Eggs: 6, PlaceID: place, Washing: "washed warm",
	}))
	setting := incubate.Setting{
		Species: "chicken", SetterID: box, SetAt: y.now, Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 6}},
	}
	_, err := y.Incubate.Set(ctx, by(y.m), setting)
	assert.ErrorContains(t, err, "6 eggs of Barred are washed, and not dry until")
	y.now = y.now.Add(4 * time.Hour)
	tilts := y.chores(snapshot.Tilt)
	require.Len(t, tilts, 1)
	assert.Equal(t, [2]int{0, 2}, [2]int{tilts[0].Done, tilts[0].Times})
	must(y.Stock.Tilted(ctx, by(y.m), place))
	assert.Equal(t, 1, y.chores(snapshot.Tilt)[0].Done)
	must(y.Stock.Tilted(ctx, by(y.m), place))
	assert.Empty(t, y.chores(snapshot.Tilt))
	y.now = y.now.AddDate(0, 0, 1)
	assert.Len(t, y.chores(snapshot.Tilt), 1)
	rules(0, 0)
	assert.Empty(t, y.chores(snapshot.Tilt), "a farm that does not tilt")
	setting.SetAt = y.now
	must(y.Incubate.Set(ctx, by(y.m), setting))
}

func TestAPenLaysLess(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen := y.pen("Barred", "chicken")
	page := func() (says, fell string) {
		p := must(y.Flock.Pen(ctx, y.m, pen))
		return p.Pace.Says, p.Pace.Fell
	}
	for back := 29; back >= 1; back-- {
		y.collect(pen, back, map[bool]int{true: 1, false: 5}[back <= 8], 0)
	}
	says, fell := page()
	assert.Equal(t, "Laid in the last week: 7 eggs, 0.12 per hen and day; in the three weeks before 0.60.", says)
	assert.True(t, strings.HasPrefix(fell, "The pen lays much less than it did."), fell)
	p := must(y.Flock.Pen(ctx, y.m, pen)).Pen
	hatched := day(0).AddDate(0, 0, -7*22)
	p.HensHatchedOn = &hatched
	must(y.Flock.SavePen(ctx, by(y.m), p))
	assert.Contains(t, must(y.Flock.Pen(ctx, y.m, pen)).Pace.Hens, "Its hens are 22 weeks old. The first eggs")
	y.machine("Cabinet", "all-in-one", "chicken", 40, 40)
	plan := must(y.Incubate.Plan(ctx, y.m, incubate.Setting{Species: "chicken"}))
	assert.Contains(t, strings.Join(plan.Answer.Ages, " "), "of Barred were laid by hens 21 weeks old")
	y.now = y.now.AddDate(0, 0, 8)
	says, fell = page()
	assert.Empty(t, says+fell, "nobody wrote anything down for a week")
}
