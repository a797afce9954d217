package farm_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/hatch"
	"metrogon/farm/supplies"
)

// Three days before lockdown, and before the hatch, the farm's own list comes up, once a batch, with what is for
// its kind; who says that all is there is not asked again.
func TestTheFarmsListComesUpInTime(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(12, 0)
	assert.Empty(t, must(y.Supplies.All(ctx, y.m)), "nothing that nobody put there")
	y.now = start.AddDate(0, 0, 17)
	assert.Empty(t, y.chores(chores.AtHand))
	must(y.Supplies.Add(ctx, by(y.m), append([]supplies.Supply{}, supplies.Usual...)))
	must(y.Supplies.Add(ctx, by(y.m), []supplies.Supply{
		{Says: " Chick starter ", Before: supplies.Hatch, Species: "chicken"},
		{Says: "Turkey starter", Before: supplies.Hatch, Species: "turkey"},
	}))
	y.now = start.AddDate(0, 0, 10)
	for _, c := range y.chores(chores.AtHand) {
		assert.True(t, c.At.IsZero() || c.At.After(y.now.AddDate(0, 0, 3)), "not a week ahead: %s", c.Title)
	}
	y.now = start.AddDate(0, 0, 16)
	due := y.chores(chores.AtHand)
	require.NotEmpty(t, due)
	assert.Equal(t, "Have at hand for the lockdown", due[0].Title)
	assert.Contains(t, due[0].Reason, "Paper towels")
	assert.NotContains(t, due[0].Reason, "starter", "that is for the hatch")
	done := must(y.Supplies.There(ctx, by(y.m), id, supplies.Lockdown))
	_, err := y.Supplies.There(ctx, by(y.m), id, supplies.Lockdown)
	assert.ErrorContains(t, err, "done already")
	for _, c := range y.chores(chores.AtHand) {
		assert.NotContains(t, c.Title, "lockdown")
	}
	_, err = y.Undo(ctx, by(y.m), done.Entry)
	require.NoError(t, err)
	assert.Contains(t, y.chores(chores.AtHand)[0].Title, "lockdown", "taken back, it is asked again")

	must(y.Hatch.Lockdown(ctx, by(y.m), id, 0, time.Time{}))
	y.now = start.AddDate(0, 0, 19)
	due = y.chores(chores.AtHand)
	require.Len(t, due, 1)
	assert.Contains(t, due[0].Reason, "Chick starter")
	assert.NotContains(t, due[0].Reason, "Turkey")
	y.now = start.AddDate(0, 0, 21)
	pen := y.batch(id).Pens[0].ID
	must(y.Hatch.Hatched(ctx, by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 3}}))
	assert.Empty(t, y.chores(chores.AtHand), "the first are out")
}

// The list is the farm's: lines come off and back, and what cannot be is said.
func TestTheListIsTheFarmsOwn(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	one := func(says, before, species string) error {
		_, err := y.Supplies.Add(ctx, by(y.m), []supplies.Supply{{Says: says, Before: before, Species: species}})
		return err
	}
	require.NoError(t, one("Bulbs", supplies.Hatch, ""))
	for says, err := range map[string]error{
		"on the list already":    one("Bulbs", supplies.Hatch, ""),
		"What to have at hand":   one("", supplies.Hatch, ""),
		"it may have 100":        one(strings.Repeat("x", 101), supplies.Hatch, ""),
		"Pick lockdown or hatch": one("Bulbs", "supper", ""),
		"Pick the kind, or any":  one("Bulbs", supplies.Hatch, "leopard-gecko"),
	} {
		assert.ErrorContains(t, err, says)
	}
	line := must(y.Supplies.All(ctx, y.m))[0]
	gone := must(y.Supplies.Drop(ctx, by(y.m), line.ID))
	assert.Empty(t, must(y.Supplies.All(ctx, y.m)))
	_, err := y.Supplies.Drop(ctx, by(y.m), line.ID)
	assert.ErrorIs(t, err, farm.ErrNone)
	_, err = y.Undo(ctx, by(y.m), gone.Entry)
	require.NoError(t, err)
	assert.Equal(t, "Bulbs", must(y.Supplies.All(ctx, y.m))[0].Says)
}
