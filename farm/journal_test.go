package farm_test

import (
	"encoding/json"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/candling"
	"metrogon/farm/candle"
)

// Lines of the first form have one object with a field for each kind of step.
// What was written so stays readable and can be taken back.
func TestLinesOfTheFirstFormAreTakenBack(t *testing.T) {
	y := newYard(t)
	ctx := t.Context()
	id := y.incubating(6)
	y.now = y.now.AddDate(0, 0, 7)
	called, err := y.Candle.Candle(ctx, y.m, key(), id, candle.Calling{
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
	_, err = y.Undo(ctx, y.m, key(), called.Entry)
	require.NoError(t, err)
	assert.Equal(t, 6, y.batch(id).Alive, "both eggs are in again")
	assert.Zero(t, y.batch(id).Examined, "and nobody has called them")

	closing, err := y.Candle.CandleRest(ctx, y.m, key(), id, time.Time{})
	require.NoError(t, err)
	for _, strange := range []string{`{"levitate":[1]}`, `[{"kind":"levitate","of":1}]`, `7`} {
		y.rewrite(closing.Entry, strange)
		_, err = y.Undo(ctx, y.m, key(), closing.Entry)
		assert.Error(t, err, "a step of no known kind is an error, not the user's mistake: %s", strange)
	}
}

// rewrite changes a line as an earlier version of the program would have written it.
func (y *yard) rewrite(entry int64, undo string) {
	_, err := y.owner.Pool.Exec(y.Context(), fmt.Sprintf(`update journal set undo = '%s' where id = $1`, undo), entry)
	require.NoError(y, err)
}
