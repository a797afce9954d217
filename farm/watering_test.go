package farm_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/watering"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/incubate"
	"metrogon/farm/snapshot"
)

// A cabinet that holds 900 ml: 400 ml in two days, 600 in three, so 200 a day and four and a half days. The
// chore stands at the farm's hour before it may run dry, is gone once it was filled, and is a helper's too.
func TestTheWaterIsFilledBeforeItRunsDry(t *testing.T) {
	y := newYard(t)
	ctx := t.Context()
	pen := y.pen("Barred", "chicken")
	must(y.Machines.SaveMachine(ctx, by(y.m), snapshot.Machine{
		Name: "Cabinet", Kind: "cabinet", WaterML: 900,
	}, []snapshot.Room{
		{Species: "chicken", Setting: 100, Hatching: 100},
	}))
	box := must(y.Machines.List(ctx, y.m))[0].ID
	pour := func(kind watering.Kind, ml float64) farm.Done {
		return must(y.Machines.Watered(ctx, by(y.m), box, kind, ml))
	}
	says := func() string { return must(y.Machines.List(ctx, y.m))[0].Water.Says(y.m.Moment) }
	assert.Equal(t, "Not known yet: note each filling; after two of them it is told when it runs dry.", says())
	pour(watering.Full, 0)
	y.now = y.now.Add(48 * time.Hour)
	assert.Contains(t, says(), "Not known yet: after the next filling")
	pour(watering.Full, 400)
	y.now = y.now.Add(72 * time.Hour)
	assert.Equal(t, "Cabinet: filled to the brim with 600 ml.", pour(watering.Full, 600).Said)
	assert.Contains(t, says(), "A full one lasts 4.5 days; about 200 ml a day.")
	assert.Empty(t, y.chores(chores.Water), "no eggs stand in it")

	y.collect(pen, 0, 12, 0)
	y.set(incubate.Setting{
		Species: "chicken", SetterID: box, HatcherID: box, Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 12}},
	})
	filled := y.now
	assert.Empty(t, y.chores(chores.Water), "not for days")
	y.now = y.now.Add(72 * time.Hour)
	due := y.chores(chores.Water)
	require.Len(t, due, 1)
	outlook := must(y.Machines.List(ctx, y.m))[0].Water.Outlook
	assert.Equal(t, filled.Add(108*time.Hour), outlook.Dry.UTC())
	assert.False(t, due[0].At.After(outlook.From), "%v is not after %v", due[0].At, outlook.From)
	assert.Less(t, outlook.From.Sub(due[0].At), 24*time.Hour)
	assert.Equal(t, 7, due[0].At.In(y.m.Place).Hour(), "at the hour of chores")

	y.now = due[0].At
	owner := y.m
	y.m = y.joined("Tobin", farm.HelperRole)
	done := pour(watering.Full, 0)
	assert.Empty(t, y.chores(chores.Water), "not for days")
	y.m = owner
	must(y.Undo(ctx, by(y.m), done.Entry))
	assert.Equal(t, due[0].At, y.chores(chores.Water)[0].At, "taken back, it is due again")

	_, err := y.Machines.Watered(ctx, by(y.m), box, "spilt", 5)
	assert.ErrorContains(t, err, "Say whether it was filled, topped up or found dry.")
	_, err = y.Machines.Watered(ctx, by(y.m), box, watering.Some, 1e6)
	assert.ErrorContains(t, err, "it may be 1 to 50000")
	assert.Equal(t, "Cabinet: found dry.", pour(watering.Dry, 500).Said)
	assert.Contains(t, says(), "Runs dry about")
}
