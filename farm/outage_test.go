package farm_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/calendar"
	"metrogon/core/climate"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/moving"
	"metrogon/farm/outage"
)

func (s *shed) cut(hours float64, room float64, machines ...int64) outage.Cut {
	c := outage.Cut{
		From: s.now.Add(-time.Duration(hours * float64(time.Hour))), To: s.now, RoomC: room, Boxes: map[int64]climate.Box{},
	}
	for _, id := range machines {
		c.Boxes[id] = climate.CabinetBox
	}
	return c
}

// A power cut sets its batches back by what climate.Outage reckons; their dates, in every part of
// the program, move by that, and come back when it is taken back.
func TestAPowerCutMovesTheDates(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	s.after(5)
	before := s.batch(s.batch1)
	done := must(s.Outage.Begin(ctx, by(s.m), s.cut(12, 15, s.a)))
	assert.Contains(t, done.Said, "12 hours: Ash. Chicken 27-0")
	after := s.batch(s.batch1)
	list := must(s.Outage.All(ctx, s.m))
	one := must(s.Outage.One(ctx, s.m, list.Cuts[0].ID))
	require.NotEmpty(t, one.Batches)
	kept := one.Kept[s.batch1]
	assert.Greater(t, kept.LateH, 5.)
	assert.InDelta(t, kept.LateH, one.Batches[0].DelayH, 0.01, "reckoned anew it is the same")
	late := after.Hatch().At.Sub(before.Hatch().At).Hours()
	assert.InDelta(t, kept.LateH, late, 0.02)
	assert.InDelta(t, late, after.At(calendar.ExternalPip).Sub(before.At(calendar.ExternalPip)).Hours(), 0.02)
	assert.Equal(t, after.Hatch().At, must(s.Incubate.Batch(ctx, s.m, s.batch1)).Hatch().At, "one date everywhere")

	_, err := s.Outage.Begin(ctx, by(s.m), s.cut(3, 15, s.a))
	assert.ErrorContains(t, err, "A power cut of Ash from")
	must(s.Moving.Move(ctx, by(s.m), s.batch1, moving.Moving{Which: moving.Which{N: 4}, To: s.b}))
	part := s.byCode("Chicken 27-01b")
	assert.Equal(t, after.Hatch().At, part.Hatch().At, "a part was as cold")
	_, err = s.Undo(ctx, by(s.m), done.Entry)
	assert.ErrorContains(t, err, "Take back first")
}

func TestAPowerCutIsTakenBack(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	s.after(5)
	before := s.batch(s.batch1)
	done := must(s.Outage.Begin(ctx, by(s.m), s.cut(12, 15, s.a)))
	_, err := s.Undo(ctx, by(s.m), done.Entry)
	require.NoError(t, err)
	assert.Equal(t, before.Hatch().At, s.batch(s.batch1).Hatch().At)
	assert.Empty(t, must(s.Outage.All(ctx, s.m)).Cuts)
}

// While the power is away Today says so; what the eggs were read at counts; some days after it is
// back there is a look by the lamp, until somebody has looked.
func TestACutThatLastsIsOnToday(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	s.after(12)
	began := s.now
	c := s.cut(0, 12, s.a)
	c.To = time.Time{}
	must(s.Outage.Begin(ctx, by(s.m), c))
	id := must(s.Outage.All(ctx, s.m)).Cuts[0].ID
	s.now = began.Add(10 * time.Hour)
	require.Len(t, s.chores(chores.PowerAway), 1)
	reckoned := must(s.Outage.One(ctx, s.m, id)).Batches[0]
	_, err := s.Outage.Read(ctx, by(s.m), id, s.b, time.Time{}, 18)
	assert.ErrorIs(t, err, farm.ErrNone, "that machine has power")
	_, err = s.Outage.Read(ctx, by(s.m), id, s.a, began.Add(-time.Hour), 18)
	assert.ErrorContains(t, err, "A reading lies between")
	must(s.Outage.Read(ctx, by(s.m), id, s.a, time.Time{}, 17))
	read := must(s.Outage.One(ctx, s.m, id)).Batches[0]
	assert.InDelta(t, 17, read.LowestC, 0.01)
	assert.NotEqual(t, reckoned.DelayH, read.DelayH)
	s.now = began.Add(14 * time.Hour)
	_, err = s.Outage.Back(ctx, by(s.m), id, s.now.Add(2*time.Hour))
	assert.ErrorContains(t, err, "has not come yet")
	must(s.Outage.Back(ctx, by(s.m), id, time.Time{}))
	_, err = s.Outage.Back(ctx, by(s.m), id, time.Time{})
	assert.ErrorContains(t, err, "already")
	assert.Empty(t, s.chores(chores.PowerAway))
	kept := must(s.Outage.One(ctx, s.m, id)).Kept[s.batch1]
	require.Equal(t, string(climate.SomeRisk), kept.Risk)
	s.now = kept.LookOn.Add(20 * time.Hour)
	if s.now.Before(s.batch(s.batch1).At(calendar.Lockdown)) {
		require.NotEmpty(t, s.chores(chores.LookAfterCut))
		must(s.Candle.CandleRest(ctx, by(s.m), s.batch1, time.Time{}))
		for _, x := range s.chores(chores.LookAfterCut) {
			assert.NotEqual(t, s.batch1, x.About.ID, "somebody has looked")
		}
	}
}

// What cannot be is said in a sentence, in the reader's units.
func TestAbsurdPowerCuts(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	s.after(5)
	hen := s.machine("Wren", "broody-hen", "chicken", 10, 10)
	for says, c := range map[string]outage.Cut{
		"Tick the machines":          s.cut(3, 15),
		"The room may have":          s.cut(3, 70, s.a),
		"more than ten days is none": s.cut(24*11, 15, s.a),
		"when did the power go":      s.cut(-3, 15, s.a),
	} {
		_, err := s.Outage.Begin(ctx, by(s.m), c)
		assert.ErrorContains(t, err, says)
	}
	_, err := s.Outage.Begin(ctx, by(s.m), s.cut(3, 15, hen))
	assert.ErrorIs(t, err, farm.ErrNone, "a hen needs no power")
}

// Eggs that were carried to a machine with power were cold only until then; those that stayed, for the whole of it.
func TestEggsThatWereRescuedAreLessLate(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	s.after(12)
	began := s.now
	s.now = began.Add(3 * time.Hour)
	must(s.Moving.Move(ctx, by(s.m), s.batch1, moving.Moving{Which: moving.Which{N: 12}, To: s.b}))
	part := s.byCode("Chicken 27-01b").ID
	s.now = began.Add(14 * time.Hour)
	c := s.cut(14, 12, s.a)
	must(s.Outage.Begin(ctx, by(s.m), c))
	stayed, rescued := s.batch(s.batch1).LateH, s.batch(part).LateH
	assert.Greater(t, stayed, 6.)
	assert.Less(t, rescued, stayed/2, "it was moved after three hours")
	assert.Greater(t, rescued, 0.3, "and was cold until then, in the batch that it left")
	one := must(s.Outage.One(ctx, s.m, must(s.Outage.All(ctx, s.m)).Cuts[0].ID))
	for _, b := range one.Batches {
		if b.Batch.ID == s.batch1 {
			assert.InDelta(t, 14, b.Outage.Hours, 0.01)
		}
	}
}
