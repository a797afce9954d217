package farm_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/calendar"
	"metrogon/farm/chores"
	"metrogon/farm/hatch"
	"metrogon/farm/machines"
	"metrogon/farm/moving"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/farm/weigh"
)

func (s *shed) card(hen int64) *machines.Hen {
	for _, x := range must(s.Machines.List(s.Context(), s.m)) {
		if x.ID == hen {
			return x.Hen
		}
	}
	return nil
}

// Dummies under her, twice as many eggs into a machine, on day 7 the best of them under her: she is warmed by
// nobody, has no humidity and no "stop turning".
func TestAHenIsNoBox(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	hen := s.machine("Wren", "broody-hen", "chicken", 10, 10)
	assert.Nil(t, s.card(s.a), "a cabinet has no such card")
	must(s.Machines.GiveDummies(ctx, by(s.m), hen))
	card := s.card(hen)
	assert.Equal(t, start, card.Since.UTC())
	assert.Equal(t, start.AddDate(0, 0, 35), card.Tired.UTC())
	require.Len(t, card.Offers, 1)
	assert.Equal(t, 10, card.Offers[0].Best, "half of thirty, but she covers ten")
	_, err := s.Machines.PlanSwap(ctx, by(s.m), hen, s.batch1, 12)
	assert.ErrorContains(t, err, "Wren covers 1 to 10 of these eggs.")
	_, err = s.Machines.PlanSwap(ctx, by(s.m), s.b, s.batch1, 8)
	assert.ErrorContains(t, err, "Birch is no hen.")
	planned := must(s.Machines.PlanSwap(ctx, by(s.m), hen, s.batch1, 8))
	assert.Equal(t, "The best 8 eggs of Chicken 27-01 go under Wren on the evening of Mon 8 Mar.", planned.Said)
	assert.Len(t, s.card(hen).Swaps, 1)
	assert.Empty(t, s.card(hen).Offers)

	s.after(19)
	assert.Empty(t, s.chores(chores.Swap), "nobody brings eggs in lockdown under a hen: the chore dies with its reason")
	s.after(7)
	swap := s.chores(chores.Swap)
	require.Len(t, swap, 1)
	assert.Equal(t, "The best 8 under Wren", swap[0].Title)
	assert.Equal(t, "21:00", swap[0].At.In(s.m.Place).Format("15:04"))
	must(s.Moving.Move(ctx, by(s.m), s.batch1, moving.Moving{Which: moving.Which{N: 8}, To: hen}))
	under := s.byCode("Chicken 27-01b")
	assert.Equal(t, []string{"Wren", "Wren"}, []string{under.Setter.Name, under.Hatcher.Name})
	assert.Empty(t, s.chores(chores.Swap), "done")
	assert.Equal(t, 8, s.card(hen).Covers)
	assert.Empty(t, s.card(hen).Swaps)
	var air weigh.MachineAir
	require.NoError(t, snapshot.ReadParts(ctx, s.Service, s.m, weigh.AirOf(hen, &air)))
	assert.Empty(t, air.Batches, "a hen has no humidity")
	must(s.Candle.CandleRest(ctx, by(s.m), under.ID, time.Time{}))

	s.after(18)
	leave := s.chores(calendar.Lockdown)
	require.NotEmpty(t, leave)
	titles := map[string]string{}
	for _, c := range leave {
		titles[c.Code] = c.Title
	}
	assert.Equal(t, "Leave Wren alone from now on", titles["Chicken 27-01b"])
	lock := must(s.Hatch.Lock(ctx, s.m, under.ID, 0))
	assert.Equal(t, "feed", lock.Steps[0].ID)
	must(s.Hatch.Lockdown(ctx, asked(s.m), under.ID, 0, time.Time{}))
	s.after(22)
	must(s.Hatch.Hatched(ctx, by(s.m), under.ID, hatch.Young{ByPen: map[int64]int{s.pens[0]: 4}}))
}

// The day of a parcel is told beforehand, to whoever opens it, and its machine is warm in time.
func TestAParcelIsExpected(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	box := y.machine("Cabinet", "all-in-one", "chicken", 40, 40)
	from := must(y.Flock.SavePen(ctx, by(y.m), snapshot.Pen{
		Name: "Hollin Ridge", Species: "chicken", FromOn: day(30), Supplier: true,
	}))
	require.NotZero(t, from)
	supplier := must(y.Stock.Parcels(ctx, y.m)).Suppliers[0].ID
	on := day(0).AddDate(0, 0, 3)
	done := must(y.Stock.Order(ctx, by(y.m), snapshot.Parcel{
		PenID: supplier, Ordered: 24, OrderedOn: day(5), ExpectedOn: &on, SetterID: &box,
	}))
	assert.Equal(t, "24 eggs ordered from Hollin Ridge, expected Thu 4 Mar.", done.Said)
	assert.Empty(t, y.chores(chores.Parcel, chores.WarmUp))
	y.now = y.now.AddDate(0, 0, 3)
	come := y.chores(chores.Parcel)
	require.Len(t, come, 1)
	assert.Equal(t, "A parcel of 24 eggs from Hollin Ridge", come[0].Title)
	assert.Contains(t, come[0].Why, "blunt end up in a tray, at room temperature")
	assert.Contains(t, come[0].Why, "they rest until about Fri 5 Mar, 07:00")
	warm := y.chores(chores.WarmUp)
	require.Len(t, warm, 1, "warm by the time that they have rested")
	assert.Contains(t, warm[0].Reason, "for the parcel from Hollin Ridge, Fri 5 Mar")
	id := must(y.Stock.Parcels(ctx, y.m)).Parcels[0].ID
	must(y.Stock.Arrived(ctx, by(y.m), id, stock.Arrival{Sent: 24, At: y.now, LaidOn: day(1), RestHours: 24}))
	assert.Len(t, y.chores(chores.WarmUp), 1, "the parcel has come, and its machine is cold still")
}
