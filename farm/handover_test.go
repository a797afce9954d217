package farm_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/calendar"
	"metrogon/core/method"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/handover"
	"metrogon/farm/incubate"
	"metrogon/farm/snapshot"
)

// A list for somebody who looks after the farm: what is due on its days, ticked without an account; what
// is missed rings; withdrawn it shows nothing.
func TestTheListForWhoeverIsThere(t *testing.T) {
	y := newYard(t)
	ctx := t.Context()
	pen, box := y.pen("Barred", "chicken"), y.machine("Still box", "still-air", "chicken", 40, 36)
	rooms := []snapshot.Room{{Species: "chicken", Setting: 40, Hatching: 36}}
	must(y.Machines.SaveMachine(ctx, by(y.m), snapshot.Machine{
		ID: box, Name: "Still box", Kind: "still-air", ByHand: true,
	}, rooms))
	y.collect(pen, 2, 12, 0)
	y.set(incubate.Setting{
		Species: "chicken", SetterID: box, HatcherID: box, SetAt: y.now,
		Picks: []incubate.Pick{{PenID: pen, LaidOn: day(2), Eggs: 12}},
	})
	y.now = y.now.AddDate(0, 0, 5)
	today := y.m.Date(y.now)
	make := func(h farm.Handover) (string, error) {
		link, _, err := y.Handover.Make(ctx, by(y.m), h)
		return link, err
	}
	_, err := make(farm.Handover{Name: "Una", FromOn: today, ToOn: today.AddDate(0, 0, 40)})
	assert.ErrorContains(t, err, "A list may span 31 days.")
	link, err := make(farm.Handover{Name: "Una", Call: "Anna, 0123", FromOn: today, ToOn: today.AddDate(0, 0, 14)})
	require.NoError(t, err)

	_, l, err := y.Handover.Linked(ctx, link)
	require.NoError(t, err)
	require.Len(t, l.Days, 15, "every day has its eggs to collect")
	turns := of(l.Days[0], method.Turn)
	require.Len(t, turns, 5, "turned by hand five times a day")
	assert.NotEmpty(t, turns[0].How)
	assert.Equal(t, "Still box", turns[0].Reason)
	assert.Len(t, of(l.Days[2], calendar.Candle), 1, "day 7")
	assert.Len(t, of(l.Days[13], calendar.Lockdown), 1, "day 18")
	assert.Empty(t, of(l.Days[13], method.Turn), "no turning on the day of lockdown")

	// ticked: it is turned; opened again: it is not
	turned := func() int { return must(y.Handover.Lists(ctx, y.m))[0].Done() }
	item := turns[0].ItemKey
	must(y.Handover.Tick(ctx, link, by(nil), item, true))
	must(y.Handover.Tick(ctx, link, by(nil), item, true))
	assert.Equal(t, 1, turned())
	assert.Equal(t, 1, y.chores(method.Turn)[0].Done, "it is on record")
	must(y.Handover.Tick(ctx, link, by(nil), item, false))
	assert.Zero(t, y.chores(method.Turn)[0].Done)
	assert.ErrorContains(t, second(y.Handover.Tick(ctx, link, by(nil), "turn-batch-99-0", true)), "not on the list")
	assert.ErrorIs(t, second(y.Handover.Tick(ctx, "guessed", by(nil), item, true)), farm.ErrNone)

	// a day later five turns and a collecting are missed, and told to the owner
	y.now = y.now.Add(24 * time.Hour)
	missed := y.chores(chores.Unticked)
	require.Len(t, missed, 1)
	assert.Equal(t, "Not ticked: 6 chores", missed[0].Title)
	helper := y.joined("Tobin", farm.HelperRole)
	y.m, helper = helper, y.m
	assert.Empty(t, y.chores(chores.Unticked))
	y.m = helper

	list := must(y.Handover.Lists(ctx, y.m))[0]
	must(y.Handover.Withdraw(ctx, by(y.m), list.ID))
	_, _, err = y.Handover.Linked(ctx, link)
	assert.ErrorIs(t, err, farm.ErrNone)
	assert.Empty(t, y.chores(chores.Unticked))
}

func of(d handover.Day, kind string) (all []handover.Entry) {
	for _, e := range d.Entries {
		if e.Kind == kind {
			all = append(all, e)
		}
	}
	return all
}
