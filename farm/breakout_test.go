package farm_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/farm"
	"metrogon/farm/hatch"
)

// Eggs are opened one by one: those that were taken out, those left while it is open and those left
// when it was closed. What opening shows counts before what the lamp said.
func TestEggsAreOpenedOneByOne(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(12, 0)
	ids := nos(y.batch(id), 1, 2, 3, 4)
	y.now = start.AddDate(0, 0, 7)
	must(y.Hatch.End(ctx, by(y.m), id, hatch.Ending{Eggs: ids[:1], Fate: outcome.Removed, Stage: "other"}))
	_, err := y.Hatch.BreakOut(ctx, by(y.m), id, hatch.Opened{EggID: ids[1], Stage: candling.Late})
	assert.ErrorContains(t, err, "Egg 2 is still growing")
	must(y.Hatch.BreakOut(ctx, by(y.m), id, hatch.Opened{
		EggID: ids[0], Stage: candling.Infertile, Findings: []candling.Finding{candling.WhiteSpot},
	}))
	assert.Equal(t, false, *y.batch(id).Pens[0].Eggs[0].Fertile)

	y.now = start.AddDate(0, 0, 22)
	_, err = y.Hatch.BreakOut(ctx, by(y.m), id, hatch.Opened{
		EggID: ids[1], Stage: candling.Early, Findings: []candling.Finding{candling.LeftWing},
	})
	assert.ErrorContains(t, err, `An egg that is an early death does not show "head: left wing".`)
	opened := must(y.Hatch.BreakOut(ctx, by(y.m), id, hatch.Opened{
		EggID: ids[1], Stage: candling.PippedDead, Findings: []candling.Finding{candling.Inside, candling.SmallEnd},
	}))
	assert.Contains(t, opened.Said, "egg 2 opened, pipped, inside and head: small end.")
	_, err = y.Hatch.BreakOut(ctx, by(y.m), id, hatch.Opened{EggID: ids[1], Stage: candling.Late})
	assert.ErrorContains(t, err, "Egg 2 was opened already")
	page := must(y.Hatch.BreakOutOf(ctx, y.m, id))
	require.Len(t, page.Seen, 1)
	assert.Equal(t, [7]int{1, 0, 0, 0, 1, 0, 0}, page.Seen[0].All, "infertile, and pipped inside")
	assert.Len(t, page.Waiting, 10)

	must(y.Hatch.End(ctx, by(y.m), id, hatch.Ending{
		Eggs: nos(y.batch(id), 5, 6, 7, 8, 9, 10), Fate: outcome.Hatched,
	}))
	must(y.Hatch.Close(ctx, by(y.m), id, time.Time{}))
	late := must(y.Hatch.BreakOut(ctx, by(y.m), id, hatch.Opened{EggID: ids[2], Stage: candling.Late}))
	egg := y.batch(id).Pens[0].Eggs[2]
	assert.Equal(t, []any{"late", true}, []any{*egg.Stage, *egg.Fertile}, "opened after the batch was closed")
	_, err = y.Undo(ctx, by(y.m), late.Entry)
	require.NoError(t, err)
	assert.Equal(t, "not-opened", *y.batch(id).Pens[0].Eggs[2].Stage)
	_, err = y.Undo(ctx, by(y.m), late.Entry)
	assert.Error(t, err, "once")
	_, err = y.Hatch.BreakOut(ctx, by(y.m), id, hatch.Opened{EggID: 999, Stage: candling.Late})
	assert.ErrorIs(t, err, farm.ErrNone)
}

// Of eggs that ended with others, counted only, nobody knows which hatched: none is opened as dead.
func TestCountedEggsAreNotOpenedSingly(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(3, 12, 0)
	y.now = start.AddDate(0, 0, 22)
	pen := y.batch(id).Pens[0].ID
	must(y.Hatch.Hatched(ctx, by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 4}}))
	must(y.Hatch.Close(ctx, by(y.m), id, time.Time{}))
	_, err := y.Hatch.BreakOut(ctx, by(y.m), id, hatch.Opened{EggID: nos(y.batch(id), 1)[0], Stage: candling.Late})
	assert.ErrorContains(t, err, "nobody knows which of them hatched")
	page := must(y.Hatch.BreakOutOf(ctx, y.m, id))
	assert.Equal(t, [2]int{0, 6}, [2]int{len(page.Waiting), page.Counted})
}

// The days at which an opened egg died, in thirds of its kind's time.
func TestDaysOfTheStages(t *testing.T) {
	y := newYard(t)
	kind := y.batch(y.incubating(12, 0)).Kind
	days := func(s candling.Stage) [2]int {
		from, to := s.DaysOf(kind)
		return [2]int{from, to}
	}
	assert.Equal(t, [][2]int{{1, 7}, {8, 14}, {15, 21}, {19, 22}, {0, 0}}, [][2]int{
		days(candling.Early), days(candling.Middle), days(candling.Late), days(candling.PippedDead),
		days(candling.Infertile),
	})
}
