package farm_test

import (
	"fmt"
	"slices"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/calendar"
	"metrogon/core/method"
	"metrogon/core/species"
	"metrogon/farm/incubate"
	"metrogon/farm/kinds"
	"metrogon/farm/snapshot"
)

func TestTheFarmsOwnWay(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	ducks := y.pen("Marsh ducks", "duck")
	_, err := y.Machines.SaveMachine(
		ctx, by(y.m), snapshot.Machine{Name: "Still box", Kind: "still-air", ByHand: true},
		[]snapshot.Room{{Species: "duck", Setting: 20, Hatching: 20}},
	)
	require.NoError(t, err)
	all, err := y.Machines.List(ctx, y.m)
	require.NoError(t, err)
	box := all[0].ID
	y.collect(ducks, 0, 8, 0)
	id := y.set(incubate.Setting{
		Species: "duck", SetterID: box, HatcherID: box, Picks: []incubate.Pick{{PenID: ducks, LaidOn: day(0), Eggs: 8}},
	})
	usual := method.Method{School: method.Dry, HandTurns: 3, Washing: method.Unwashed, Mistings: 2, CoolMin: 15}
	for says, changes := range map[string][]species.Change{
		"it may be 21 to 35 days":        {{Figure: "hatch_days", At: 90}},
		"leaves no day before the hatch": {{Figure: "lockdown_day", At: 28}},
	} {
		_, err := y.Kinds.SaveKind(ctx, by(y.m), "duck", kinds.Kept{Figures: changes, Way: usual})
		assert.ErrorContains(t, err, says)
	}
	_, err = y.Kinds.SaveKind(
		ctx, by(y.m), "duck", kinds.Kept{Way: method.Method{School: method.Dry, HandTurns: 4, Washing: method.Unwashed}},
	)
	assert.ErrorContains(t, err, "4 turns a day is not possible; it may be 3, 5 or 7")
	done, err := y.Kinds.SaveKind(ctx, by(y.m), "duck", kinds.Kept{
		Figures: []species.Change{{Figure: "lockdown_day", At: 23}}, Way: usual, Running: true,
	})
	require.NoError(t, err)
	assert.Contains(t, done.Said, "Some values are unusual")
	kind, err := y.Kinds.Kind(ctx, y.m, "duck")
	require.NoError(t, err)
	lock := kind.Figures[slices.IndexFunc(kind.Figures, func(f kinds.FigureRow) bool {
		return f.Name == "lockdown_day"
	})]
	assert.Equal(
		t, []any{25.0, "common practice", 23.0, species.Figure{From: 25, To: 25}},
		[]any{lock.Shipped.At, lock.Shipped.Origin.String(), lock.Change.At, *lock.Usual},
		"the shipped value stays beside the own one",
	)

	b := y.batch(id)
	stop, _ := b.Milestone(calendar.Lockdown)
	assert.Equal(t, 23.0, stop.Day, "running batches follow")
	assert.Equal(t, snapshot.Air{TempC: 38.6, Where: "at the top of the eggs"}, b.Air(), "a still-air machine")
	assert.Equal(t, [2]float64{15, 35}, [2]float64{b.Humidity().From, b.Humidity().To}, "the dry school")

	rounds := func() string {
		s := ""
		for _, c := range y.chores(method.Turn, method.Cool, method.Mist) {
			s += fmt.Sprintf("%s %d of %d, ", c.Kind, c.Done, c.Times)
		}
		return s
	}
	assert.Empty(t, rounds(), "they settle first")
	_, err = y.Incubate.Care(ctx, by(y.m), id, method.Turn)
	assert.ErrorContains(t, err, "does not need this now")
	y.now = y.now.AddDate(0, 0, 2)
	assert.Equal(t, "turn 0 of 3, ", rounds())
	for range 2 {
		done, err = y.Incubate.Care(ctx, by(y.m), id, method.Turn)
		require.NoError(t, err)
	}
	assert.Equal(t, "turn 2 of 3, ", rounds())
	_, err = y.Undo(ctx, by(y.m), done.Entry)
	require.NoError(t, err)
	assert.Equal(t, "turn 1 of 3, ", rounds())
	y.now = y.now.AddDate(0, 0, 6)
	assert.Equal(t, "turn 0 of 3, cool 0 of 1, mist 0 of 2, ", rounds(), "from day 7 on, and each day anew")
	assert.Len(t, y.batch(id).Care, 1, "the log keeps what was done")
	y.now = y.now.AddDate(0, 0, 15)
	assert.Empty(t, rounds(), "left alone from lockdown on")
}

// Wet bulbs of 86 to 88 °F at 37.4 °C: geese's table is of a wetter school than common
// practice, and chukars' of a drier one (59 to 64, 46 to 50 %).
func TestExtensionTablesAreASchool(t *testing.T) {
	y := newYard(t)
	for id, want := range map[string][2]float64{"goose": {59, 64}, "chukar-partridge": {46, 50}} {
		page, err := y.Kinds.Kind(y.Context(), y.m, id)
		require.NoError(t, err)
		assert.InDelta(t, want[0], page.Extension.From, 1, id)
		assert.InDelta(t, want[1], page.Extension.To, 1, id)
	}
	page, err := y.Kinds.Kind(y.Context(), y.m, "finch")
	require.NoError(t, err)
	assert.False(t, page.Extension.Known())
}

// A kind that is not shipped is kept like the others: pens, machines, batches, its own figures with their source.
func TestAKindOfOnesOwn(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	done := must(y.Kinds.AddKind(ctx, by(y.m), "duck", "Cayuga"))
	assert.Equal(t, "Kept Cayuga as a kind of its own, like duck.", done.Said)
	y.m = must(y.People.Member(ctx, y.m.PersonID))
	_, err := y.Kinds.AddKind(ctx, by(y.m), "goose", "cayuga")
	assert.ErrorContains(t, err, "There is a kind called cayuga already.")
	_, err = y.Kinds.AddKind(ctx, by(y.m), "dodo", "Dodo")
	assert.ErrorContains(t, err, "Pick the shipped kind that it is most like.")
	const own = "duck~Cayuga"
	must(y.Kinds.SaveKind(ctx, by(y.m), own, kinds.Kept{
		Figures: []species.Change{{Figure: "hatch_days", At: 27, From: 26, To: 28, Source: "own records"}},
		Way:     method.Default(),
	}))
	page := must(y.Kinds.Kind(ctx, y.m, own))
	assert.Equal(t, "this farm’s own: own records", page.Own.HatchDays.Origin.String())
	pen, box := y.pen("Black", own), y.machine("Cabinet", "all-in-one", "duck", 40, 40)
	y.collect(pen, 0, 6, 0)
	id := y.set(incubate.Setting{
		Species: own, SetterID: box, Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 6}},
	})
	b := y.batch(id)
	assert.Equal(t, "Cayuga 27-01", b.Code, "it has the room of the kind that it is like")
	assert.InDelta(t, 27, b.HatchDay, 0.2)
	assert.Equal(t, "duck", must(y.Kinds.Kind(ctx, y.m, "duck")).Own.ID)
	assert.InDelta(t, 28, must(y.Kinds.Kind(ctx, y.m, "duck")).Own.HatchDays.At, 1e-9, "ducks stay ducks")
	y.now = y.now.AddDate(0, 0, 10)
	must(y.Candle.CandleRest(ctx, by(y.m), id, time.Time{}))
	assert.Len(t, must(y.Flock.Pens(ctx, y.m)), 1)
	other := y.settle("Elsewhere", "una@elsewhere.example")
	assert.NotContains(t, other.Offered()[len(other.Offered())-1].Name, "Cayuga", "another farm knows nothing of it")
}
