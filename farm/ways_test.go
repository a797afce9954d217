package farm_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/candling"
	"metrogon/core/method"
	"metrogon/farm/candle"
	"metrogon/farm/chores"
	"metrogon/farm/incubate"
	"metrogon/farm/kinds"
)

// What runs keeps its way, whatever is chosen for its kind or its machine; a few dry days are possible, and
// stay in its record.
func TestABatchKeepsItsWay(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(6)
	box := y.batch(id).SetterID
	dry := method.Method{School: method.Dry, HandTurns: 3, Washing: method.Unwashed}
	choose := func(running bool) {
		must(y.Kinds.SaveKind(ctx, by(y.m), "chicken", kinds.Kept{Way: dry, Running: running}))
	}
	school := func(id int64) method.School { return y.batch(id).Method.School }
	choose(false)
	assert.Equal(t, method.Wet, school(id))
	y.collect(y.batch(id).Pens[0].ID, 0, 8, 0)
	pick := []incubate.Pick{{PenID: y.batch(id).Pens[0].ID, LaidOn: day(0), Eggs: 4}}
	second := y.set(incubate.Setting{Species: "chicken", SetterID: box, Picks: pick})
	assert.Equal(t, method.Dry, school(second), "what is set from now on is run so")

	y.now = y.now.AddDate(0, 0, 3)
	few := y.batch(id).Method
	few.School = method.Dry
	changed := must(y.Incubate.SetWay(ctx, by(y.m), id, few))
	assert.Equal(t, "Chicken 27-01 from now on: dry.", changed.Said)
	_, err := y.Incubate.SetWay(ctx, by(y.m), id, few)
	assert.ErrorContains(t, err, "Chicken 27-01 is run so already.")
	_, err = y.Incubate.SetWay(ctx, by(y.joined("Ben", "helper")), id, few)
	assert.Error(t, err, "a helper decides no school")
	assert.Equal(t, 25.0, y.batch(id).Humidity().At)
	y.now = y.now.AddDate(0, 0, 4)
	must(y.Incubate.ByWeight(ctx, by(y.m), id))
	var record []string
	for _, w := range y.batch(id).Ways {
		record = append(record, w.At.Format("2 Jan ")+string(w.School))
	}
	assert.Equal(t, []string{"1 Mar wet", "4 Mar dry", "8 Mar by weight"}, record)
	_, err = y.Undo(ctx, by(y.m), changed.Entry)
	assert.ErrorContains(t, err, "Take back first")

	choose(true)
	assert.Equal(t, method.Dry, school(id), "asked for, it is run so too")
	x := must(y.Machines.List(ctx, y.m))[0]
	x.School = string(method.ByWeight)
	must(y.Machines.SaveMachine(ctx, by(y.m), x.Machine, x.Rooms))
	assert.Equal(t, method.Dry, school(id))
	pick[0].LaidOn = day(0)
	third := y.set(incubate.Setting{Species: "chicken", SetterID: box, Picks: pick})
	assert.Equal(t, method.ByWeight, school(third), "the machine has a school of its own")
}

func TestMistingInLockdown(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(6)
	way := y.batch(id).Method
	way.Late, way.Mistings = method.EachDay, 1
	must(y.Incubate.SetWay(ctx, by(y.m), id, way))
	assert.Empty(t, y.chores(method.Mist), "not in the first days")
	y.now = y.now.AddDate(0, 0, 8)
	assert.Len(t, y.chores(method.Mist), 1, "also hens' eggs, where the farm does so")
	y.now = y.now.AddDate(0, 0, 10)
	lock := must(y.Hatch.Lock(ctx, y.m, id, 0))
	assert.Equal(t, "mist", lock.Steps[len(lock.Steps)-2].ID)
	must(y.Hatch.Lockdown(ctx, by(y.m), id, 0, time.Time{}))
	assert.Len(t, y.chores(method.Mist), 1)
	must(y.Incubate.Care(ctx, by(y.m), id, method.Mist))
	assert.Empty(t, y.chores(method.Mist))
}

// A turner that stops when its machine is opened is asked after until somebody saw it turn.
func TestIsTheTurnerOnAgain(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(6)
	box := y.batch(id).SetterID
	y.now = y.now.AddDate(0, 0, 7)
	look := func() {
		must(y.Candle.Candle(ctx, by(y.m), id, candle.Calling{Call: candling.Live, Eggs: nos(y.batch(id), 1)}))
	}
	look()
	assert.Empty(t, y.chores(chores.Turner), "nobody said that it stops")
	x := must(y.Machines.List(ctx, y.m))[0]
	x.TurnStops, x.TurnMinutes, x.TurnAngle = true, 120, 90
	must(y.Machines.SaveMachine(ctx, by(y.m), x.Machine, x.Rooms))
	require.Len(t, y.chores(chores.Turner), 1)
	assert.Equal(t, "Is the turner of Cabinet on again?", y.chores(chores.Turner)[0].Title)
	y.now = y.now.Add(time.Minute)
	seen := must(y.Machines.Turns(ctx, by(y.m), box))
	assert.Empty(t, y.chores(chores.Turner))
	must(y.Undo(ctx, by(y.m), seen.Entry))
	assert.Len(t, y.chores(chores.Turner), 1)
	must(y.Machines.Turns(ctx, by(y.m), box))
	y.now = y.now.AddDate(0, 0, 2)
	look()
	assert.Len(t, y.chores(chores.Turner), 1, "opened again, asked again")
}

// The hatcher is made ready in time, and a lockdown into one that is not is asked about.
func TestTheHatcherIsMadeReady(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	s.after(15)
	assert.Empty(t, s.chores(chores.WarmUp))
	s.after(17)
	warm := s.chores(chores.WarmUp)
	require.Len(t, warm, 1)
	assert.Equal(t, "Make Hatcher ready", warm[0].Title)
	assert.Contains(t, warm[0].Reason, "for Chicken 27-01, Fri 19 Mar")
	s.after(18)
	_, err := s.Hatch.Lockdown(ctx, asked(s.m), s.batch1, s.hatcher, time.Time{})
	assert.ErrorContains(t, err, "Hatcher is not ready:")
	assert.Empty(t, s.chores(chores.Water), "water is a step of making it ready")
	steps := []string{"clean", "place", "outlet", "water", "floor", "warm", "thermometers"}
	must(s.Machines.MadeReady(ctx, by(s.m), s.hatcher, steps...))
	s.after(19)
	fill := s.chores(chores.Water)
	require.Len(t, fill, 1)
	assert.Equal(t, "Fill Hatcher for three days", fill[0].Title)
	must(s.Machines.Watered(ctx, by(s.m), s.hatcher, "full", 0))
	assert.Empty(t, s.chores(chores.Water, chores.WarmUp))
	must(s.Hatch.Lockdown(ctx, asked(s.m), s.batch1, s.hatcher, time.Time{}))
}
