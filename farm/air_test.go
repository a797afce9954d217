package farm_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/climate"
	"metrogon/core/method"
	"metrogon/farm/incubate"
	"metrogon/farm/kinds"
	"metrogon/farm/snapshot"
	"metrogon/farm/weigh"
)

// Hens and ducks in one cabinet, by hand. Forty hens' eggs went from 60 to 57.3 g in nine days at 60 %: 300
// mg a day, G = 300 / (6.456 · 0.4) = 116.2; to reach 12 % they need 33.3 %, and a point over the nine days
// left is 116.2 · 6.456 · 9 / 60,000 = 0.1125 points of loss. Twenty ducks' eggs nobody weighed: 75 g, usual G
// 94.0, 16 days left, 0.1295; their method says 50 to 60 %. So 40 · 0.1125² · 33.3 + 20 · 0.1295² · 55 over
// 40 · 0.1125² + 20 · 0.1295² = 42.0 %.
func TestAMachineHasOneAir(t *testing.T) {
	y := newYard(t)
	ctx := t.Context()
	hens, ducks := y.pen("Barred", "chicken"), y.pen("Marsh", "duck")
	must(y.Machines.SaveMachine(ctx, by(y.m), snapshot.Machine{Name: "Cabinet", Kind: "cabinet"}, []snapshot.Room{
		{Species: "chicken", Setting: 100, Hatching: 100}, {Species: "duck", Setting: 60, Hatching: 60},
	}))
	box := must(y.Machines.List(ctx, y.m))[0].ID
	y.collect(hens, 0, 40, 0)
	y.collect(ducks, 0, 20, 0)
	set := func(kind string, pen int64, eggs int) int64 {
		return y.set(incubate.Setting{
			Species: kind, SetterID: box, HatcherID: box, Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: eggs}},
		})
	}
	chicken := set("chicken", hens, 40)
	set("duck", ducks, 20)
	air := func() (a weigh.MachineAir) {
		require.NoError(t, snapshot.ReadParts(ctx, y.Service, y.m, weigh.AirOf(box, &a)))
		return a
	}
	weighed := func(mass float64) {
		must(y.Weigh.Record(ctx, by(y.m), chicken, weigh.Weighing{
			Eggs: 40, MassG: 40 * mass, RHPct: 60, TempC: 37.5, At: y.now,
		}))
	}
	assert.Empty(t, air().Troubles, "both wet: they agree")
	weighed(60)
	y.now = y.now.AddDate(0, 0, 9)
	weighed(57.3)
	a := air()
	require.Len(t, a.Batches, 2)
	assert.InDelta(t, 42.0, a.Best.RH, .1)
	assert.InDelta(t, 37.5, a.Best.TempC, 1e-9)
	assert.Equal(t, "by its weighings, to lose 12 % by lockdown", a.Batches[0].Why)
	assert.Contains(t, a.Batches[0].Says, "Would come to 11.0 % by lockdown, 1.0 points less than wanted.")
	assert.Contains(t, a.Batches[1].Says, "About 1.7 points more loss than its method means; weigh it to know.")
	water := must(y.Weigh.Water(ctx, y.m, chicken))
	assert.Equal(t, "It shares the air of Cabinet with 1 other batch: for all of them 42 % is best.", water.Shared)

	// what it is set to is kept, and held from then on
	assert.Nil(t, a.Set)
	rh, warm, wild := 42.0, 37.5, 99.0
	_, err := y.Weigh.SetAir(ctx, by(y.m), box, nil, &wild)
	assert.ErrorContains(t, err, "The humidity is 99 %; it may be 5 to 95.")
	_, err = y.Weigh.SetAir(ctx, by(y.m), box, nil, nil)
	assert.ErrorContains(t, err, "Say to what temperature or humidity it is set.")
	done := must(y.Weigh.SetAir(ctx, by(y.m), box, &warm, &rh))
	assert.Equal(t, "Cabinet: set to 37.5 °C 42 %.", done.Said)
	assert.Equal(t, 42.0, air().Set.RH)
	assert.Equal(t, 42.0, y.batch(chicken).HeldPct())
	must(y.Undo(ctx, by(y.m), done.Entry))
	assert.Nil(t, air().Set)
	assert.Equal(t, 50.0, y.batch(chicken).HeldPct(), "as its method says")

	// a dry school beside a wet one, and ducks that are cooled
	must(y.Kinds.SaveKind(ctx, by(y.m), "chicken", kinds.Kept{Running: true, Way: method.Method{
		School: method.Dry, HandTurns: 5, Washing: method.Unwashed,
	}}))
	must(y.Kinds.SaveKind(ctx, by(y.m), "duck", kinds.Kept{Running: true, Way: method.Method{
		School: method.Wet, HandTurns: 5, Washing: method.Unwashed, CoolMin: 15,
	}}))
	troubles := air().Troubles
	require.Len(t, troubles, 2)
	assert.Equal(t, climate.Humidity, troubles[0].Why)
	assert.Contains(t, troubles[0].Says, "would have 50–60 %, Chicken 27-01 15–35 %: no humidity is right for all.")
	assert.Contains(t, troubles[1].Says, "Misting or cooling Duck 27-01 opens the lid on Chicken 27-01.")
	cool := y.chores(method.Cool)
	require.Len(t, cool, 1)
	assert.Contains(t, cool[0].Why, "Take its trays out for that")
}

// Of three kinds two agree and one does not; a batch in another machine troubles nobody.
func TestWhoTroublesWhom(t *testing.T) {
	y := newYard(t)
	ctx := t.Context()
	must(y.Kinds.SaveKind(ctx, by(y.m), "duck", kinds.Kept{Way: method.Method{
		School: method.Dry, HandTurns: 5, Washing: method.Unwashed,
	}}))
	var rooms []snapshot.Room
	kinds := []string{"chicken", "turkey", "duck"}
	for _, kind := range kinds {
		rooms = append(rooms, snapshot.Room{Species: kind, Setting: 60, Hatching: 60})
	}
	for _, name := range []string{"Cabinet", "Other"} {
		must(y.Machines.SaveMachine(ctx, by(y.m), snapshot.Machine{Name: name, Kind: "cabinet"}, rooms))
	}
	machines := must(y.Machines.List(ctx, y.m))
	var picks []incubate.Setting
	for _, kind := range append(kinds, "duck") {
		pen := y.pen("Pen "+kind+string(rune('a'+len(picks))), kind)
		y.collect(pen, 0, 8, 0)
		picks = append(picks, incubate.Setting{
			Species: kind, SetterID: machines[0].ID, HatcherID: machines[0].ID, SetAt: y.now,
			Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 8}},
		})
	}
	picks[3].SetterID, picks[3].HatcherID = machines[1].ID, machines[1].ID
	chicken := y.set(picks[0])
	y.set(picks[1])
	board := func() []snapshot.AirTrouble { return must(y.Season.Board(ctx, y.m, y.now, 6)).Air }
	assert.Empty(t, board(), "hens and turkeys agree")
	offered := must(y.Incubate.Plan(ctx, y.m, picks[2]))
	require.Len(t, offered.Answer.Air, 1, "told before they are set")
	says := offered.Answer.Air[0].Says
	assert.Contains(t, says, "These eggs would have 15–35 %, Chicken 27-01 45–55 % and Turkey 27-01 50–60 %")
	y.set(picks[2])
	y.set(picks[3])
	troubles := board()
	require.Len(t, troubles, 1)
	assert.Equal(t, []string{"Duck 27-01", "Cabinet"}, []string{troubles[0].Of.Code, troubles[0].Machine.Name})
	assert.Len(t, troubles[0].With, 2)
	y.now = y.now.AddDate(0, 0, 18)
	must(y.Hatch.Lockdown(ctx, by(y.m), chicken, machines[1].ID, time.Time{}))
	require.Len(t, board(), 1)
	assert.Len(t, board()[0].With, 1, "what has gone into lockdown elsewhere is troubled no more")
}
