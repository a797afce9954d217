package farm_test

import (
	"encoding/json"
	"fmt"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/candling"
	"metrogon/farm"
	"metrogon/farm/candle"
	"metrogon/farm/incubate"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
)

// Lines of the first form have one object with a field for each kind of step.
// What was written so stays readable and can be taken back.
func TestLinesOfTheFirstFormAreTakenBack(t *testing.T) {
	y := newYard(t)
	ctx := t.Context()
	id := y.incubating(6)
	y.now = y.now.AddDate(0, 0, 7)
	called, err := y.Candle.Candle(ctx, by(y.m), id, candle.Calling{
		Call: candling.Clear, Eggs: nos(y.batch(id), 1, 2), TakeOut: true,
	})
	require.NoError(t, err)
	require.Equal(t, 4, y.batch(id).Alive)

	var now string
	row := y.owner.Pool.QueryRow(ctx, `select undo from journal where id = $1`, called.Entry)
	require.NoError(t, row.Scan(&now))
	first := map[string]json.RawMessage{}
	var steps []struct {
		Kind string
		Of   json.RawMessage
	}
	require.NoError(t, json.Unmarshal([]byte(now), &steps))
	for _, s := range steps {
		first[s.Kind] = s.Of
	}
	require.Contains(t, first, "calls")
	require.Contains(t, first, "revive")
	old, err := json.Marshal(first)
	require.NoError(t, err)
	y.rewrite(called.Entry, string(old))
	_, err = y.Undo(ctx, by(y.m), called.Entry)
	require.NoError(t, err)
	assert.Equal(t, 6, y.batch(id).Alive, "both eggs are in again")
	assert.Zero(t, y.batch(id).Examined, "and nobody has called them")

	closing, err := y.Candle.CandleRest(ctx, by(y.m), id, time.Time{})
	require.NoError(t, err)
	for _, strange := range []string{`{"levitate":[1]}`, `[{"kind":"levitate","of":1}]`, `7`} {
		y.rewrite(closing.Entry, strange)
		_, err = y.Undo(ctx, by(y.m), closing.Entry)
		assert.Error(t, err, "a step of no known kind is an error, not the user's mistake: %s", strange)
	}
}

// rewrite changes a line as an earlier version of the program would have written it.
func (y *yard) rewrite(entry int64, undo string) {
	_, err := y.owner.Pool.Exec(y.Context(), fmt.Sprintf(`update journal set undo = '%s' where id = $1`, undo), entry)
	require.NoError(y, err)
}

func TestUndoInOrderAndOnce(t *testing.T) {
	y := newYard(t)
	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 100, 100)
	basket := y.collect(pen, 0, 12, 0)
	id := y.set(incubate.Setting{
		Species: "chicken", SetterID: box, Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 8}},
	})
	_, err := y.Undo(y.Context(), by(y.m), basket.Entry)
	assert.ErrorContains(t, err, "set or taken out meanwhile")
	setting := y.batch(id).Last.ID
	y.now = y.now.AddDate(0, 0, 7)
	called, err := y.Candle.CandleRest(y.Context(), by(y.m), id, time.Time{})
	require.NoError(t, err)
	_, err = y.Undo(y.Context(), by(y.m), setting)
	assert.ErrorContains(t, err, "Take back first")
	for _, want := range []string{"", "taken back already"} {
		_, err = y.Undo(y.Context(), by(y.m), called.Entry)
		if want == "" {
			require.NoError(t, err)
		} else {
			assert.ErrorContains(t, err, want)
		}
	}
	assert.Zero(t, y.batch(id).Examined)
	_, err = y.Undo(y.Context(), by(y.m), setting)
	require.NoError(t, err)
	assert.Equal(t, 12, y.inStore())
}

func TestUndoGoesInReverseOrderForEverySubject(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	_, err := y.Flock.SavePen(ctx, by(y.m), snapshot.Pen{
		Name: "Hollin Ridge", Species: "chicken", FromOn: day(30), Supplier: true,
	})
	require.NoError(t, err)
	known, err := y.Stock.Parcels(ctx, y.m)
	require.NoError(t, err)
	ordered, err := y.Stock.Order(ctx, by(y.m), snapshot.Parcel{
		PenID: known.Suppliers[0].ID, Ordered: 24, OrderedOn: day(5),
	})
	require.NoError(t, err)
	newest, err := y.Stock.Parcels(ctx, y.m)
	require.NoError(t, err)
	parcels := newest.Parcels
	arrived, err := y.Stock.Arrived(
		ctx, by(y.m), parcels[0].ID, stock.Arrival{Sent: 24, At: y.now, LaidOn: day(4), RestHours: 24},
	)
	require.NoError(t, err)
	_, err = y.Undo(ctx, by(y.m), ordered.Entry)
	assert.ErrorContains(t, err, "Take back first what was done after it: 24 eggs from Hollin Ridge in store")
	assert.Equal(t, 24, y.inStore())
	for _, entry := range []int64{arrived.Entry, ordered.Entry} {
		_, err = y.Undo(ctx, by(y.m), entry)
		require.NoError(t, err)
	}
	newest, err = y.Stock.Parcels(ctx, y.m)
	require.NoError(t, err)
	parcels = newest.Parcels
	assert.Empty(t, parcels)

	// A machine's counter that two settings started, one after the other.
	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 60, 60)
	y.collect(pen, 0, 12, 0)
	var sets [2]farm.Done
	for i := range sets {
		sets[i], err = y.Incubate.Set(ctx, by(y.m), incubate.Setting{Species: "chicken", SetterID: box,
			HatcherID: box, SetAt: y.now, StartCounter: true,
			Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 6}}})
		require.NoError(t, err)
		y.now = y.now.Add(time.Hour)
	}
	_, err = y.Undo(ctx, by(y.m), sets[0].Entry)
	assert.ErrorContains(t, err, "Take back first", "else the counter would be put back over the second")

	// Ticks of a machine, tilts of a place.
	first, err := y.Machines.MadeReady(ctx, by(y.m), box, "clean")
	require.NoError(t, err)
	_, err = y.Machines.MadeReady(ctx, by(y.m), box, "place")
	require.NoError(t, err)
	_, err = y.Undo(ctx, by(y.m), first.Entry)
	assert.ErrorContains(t, err, "Take back first")
}
