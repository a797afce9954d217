package farm_test

import (
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/brooding"
	"metrogon/core/calendar"
	"metrogon/core/hatching"
	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/brood"
	"metrogon/farm/chores"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/supplies"
	seasonrows "metrogon/store/season"
	"metrogon/store/stock"
)

func (y *yard) brooder(name string, places int) int64 {
	must(y.Days.SaveBrooder(y.Context(), by(y.m), seasonrows.Brooder{Name: name, Places: places}))
	for _, p := range must(y.Brood.Broods(y.Context(), y.m)).Pens {
		if p.Name == name {
			return p.ID
		}
	}
	y.Fatalf("there is no brooder %s", name)
	return 0
}

func (y *yard) groups() (all []brood.Group) {
	p := must(y.Brood.Broods(y.Context(), y.m))
	for _, x := range p.Pens {
		all = append(all, x.Groups...)
	}
	return append(all, p.Outside...)
}

// From the pull to the last sale: every head is somewhere, the group knows its batch and pen, the room
// is what rule 9 counts, and all of it can be taken back.
func TestYoungFromPullToSale(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	lamp := y.brooder("Lamp pen", 30)
	id := y.incubating(20, 0)
	y.now = start.AddDate(0, 0, 18)
	must(y.Hatch.Lockdown(ctx, by(y.m), id, 0, time.Time{}))
	pen := y.batch(id).Pens[0].ID
	before := must(y.Brood.Broods(ctx, y.m))
	require.Len(t, before.Expected, 1)
	expected := before.Expected[0]
	assert.InDelta(t, y.batch(id).Prospect.Young, expected.Young, 0.01, "one number of young to expect")
	y.now = start.AddDate(0, 0, 21).Add(6 * time.Hour)
	require.Len(t, y.chores(chores.WarmBrooder), 1)
	must(y.Brood.Warm(ctx, by(y.m), lamp, 35))
	assert.Empty(t, y.chores(chores.WarmBrooder))
	must(y.Hatch.Hatched(ctx, by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 14}}))

	y.now = start.AddDate(0, 0, 22)
	page := must(y.Brood.Broods(ctx, y.m))
	require.Len(t, page.Waiting, 1)
	assert.Equal(t, 14, page.Waiting[0].Young)
	_, err := y.Brood.BringIn(ctx, by(y.m), brood.Pulled{BatchID: id, BrooderID: lamp, ByPen: map[int64]int{pen: 15}})
	assert.ErrorContains(t, err, "15 young, but of Barred 14 are out and in no brooder yet.")
	for _, on := range []time.Time{day(1), day(-23)} { // before the eggs were set, and not yet
		_, err = y.Brood.BringIn(ctx, by(y.m), brood.Pulled{
			BatchID: id, BrooderID: lamp, ByPen: map[int64]int{pen: 14}, On: on,
		})
		assert.ErrorContains(t, err, "is no day on which they can have come into the brooder.")
	}
	in := must(y.Brood.BringIn(ctx, by(y.m), brood.Pulled{BatchID: id, BrooderID: lamp, ByPen: map[int64]int{pen: 14}}))
	assert.Contains(t, in.Said, "14 young into Lamp pen.")
	page = must(y.Brood.Broods(ctx, y.m))
	assert.Empty(t, page.Waiting)
	g := y.groups()[0]
	for _, at := range []time.Time{start.AddDate(0, 0, 20), y.now.Add(time.Hour)} { // before they came, and not yet
		_, err = y.Brood.Leave(ctx, by(y.m), g.ID, brood.Leaving{Heads: 1, Why: "died", At: at})
		assert.ErrorContains(t, err, "They came in on 23 March, and it is")
	}
	assert.Equal(t, []any{14, "Lamp pen", pen}, []any{g.Alive, g.Where, *g.PenID})
	assert.Contains(t, g.Name, "Chicken 27-01, Barred")
	assert.Equal(t, 14., page.Pens[0].Taken)
	assert.Equal(t, 35., page.Pens[0].HeatC)

	// Rule 9, for the real and for what the same batch is still expected to give, day by day.
	kind := y.batch(id).Kind
	for i, d := range page.Days {
		sure := 0.
		if i < int(kind.BroodDays.At) {
			sure = 14 * kind.BroodPlaces.At
		}
		assert.InDelta(t, sure, d.Sure, 1e-9, "day %d", i)
	}
	board := must(y.Season.Board(ctx, y.m, time.Time{}, 8))
	require.NotNil(t, board.Brooders)
	full := 0.
	for _, l := range board.Brooders.Loads {
		full = max(full, l.Share)
	}
	most := 0.
	for _, d := range page.Days {
		most = max(most, d.Sure+d.Expected)
	}
	assert.InDelta(t, most/30, full, 1e-6, "the board counts as the page does")

	y.now = y.now.AddDate(0, 0, 8)
	require.Len(t, y.chores(chores.LowerHeat), 1)
	must(y.Brood.Warm(ctx, by(y.m), lamp, 32))
	assert.Empty(t, y.chores(chores.LowerHeat))
	lost := must(y.Brood.Leave(ctx, by(y.m), g.ID, brood.Leaving{Heads: 2, Why: "died", Cause: "chilled"}))
	assert.Contains(t, lost.Said, "2 died: chilled; 12 left.")
	price := 20.
	sold := must(y.Brood.Leave(ctx, by(y.m), g.ID, brood.Leaving{
		Heads: 5, Why: "sold", Buyer: "Perrin Oake", Cause: "as pets", Price: &price,
	}))
	assert.Contains(t, sold.Said, "5 sold to Perrin Oake: as pets for 20.00; 7 left.")
	_, err = y.Brood.Leave(ctx, by(y.m), g.ID, brood.Leaving{Heads: 1, Why: "died", Buyer: "Perrin Oake"})
	assert.ErrorContains(t, err, "only if they are sold or given away")
	must(y.Brood.Move(ctx, by(y.m), g.ID, 3, 0, "orchard run"))
	moved := y.groups()
	require.Len(t, moved, 2)
	assert.Equal(t, [2]int{4, 3}, [2]int{moved[0].Alive, moved[1].Alive})
	assert.Equal(t, moved[0].BatchID, moved[1].BatchID, "a part keeps its origin")
	_, err = y.Brood.Move(ctx, by(y.m), g.ID, 3, 0, "")
	assert.ErrorContains(t, err, "Where they go")
	_, err = y.Brood.Leave(ctx, by(y.m), g.ID, brood.Leaving{Heads: 5, Why: "sold"})
	assert.ErrorContains(t, err, "it may be 1 to 4")
	_, err = y.Brood.Leave(ctx, by(y.m), g.ID, brood.Leaving{Heads: 1, Why: "to a pen", PenID: 99})
	assert.ErrorContains(t, err, "Pick the pen")
	must(y.Brood.Leave(ctx, by(y.m), g.ID, brood.Leaving{Heads: 4, Why: "to a pen", PenID: pen}))
	page = must(y.Brood.Broods(ctx, y.m))
	assert.Zero(t, page.Pens[0].Taken, "those outside take no place")
	_, err = y.Undo(ctx, by(y.m), in.Entry)
	assert.Error(t, err, "others came after it")
	_, err = y.Brood.Leave(ctx, by(y.m), 999, brood.Leaving{Heads: 1, Why: "died"})
	assert.ErrorIs(t, err, farm.ErrNone)
}

// Who had better not share a brooder is said; bought young count as well.
func TestWhoSharesABrooder(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	lamp := y.brooder("Lamp pen", 60)
	must(y.Brood.Buy(ctx, by(y.m), brood.Bought{Species: "chicken", Heads: 10, AgeDays: 2, BrooderID: lamp}))
	quail := must(y.Brood.Buy(ctx, by(y.m), brood.Bought{
		Species: "coturnix-quail", Heads: 20, AgeDays: 2, BrooderID: lamp,
	}))
	pen := must(y.Brood.Broods(ctx, y.m)).Pens[0]
	require.Len(t, pen.Apart, 1)
	assert.Contains(t, pen.Apart[0], "Quail are trodden on")
	assert.Equal(t, 36., pen.HeatC, "as warm as the one that needs most")
	_, err := y.Undo(ctx, by(y.m), quail.Entry)
	require.NoError(t, err)
	pen = must(y.Brood.Broods(ctx, y.m)).Pens[0]
	assert.Empty(t, pen.Apart)
	assert.Equal(t, brooding.Of(pen.Groups[0].Kind).HeatC(2), pen.HeatC)
	_, err = y.Brood.Buy(ctx, by(y.m), brood.Bought{Species: "leopard-gecko", Heads: 2, BrooderID: lamp})
	assert.ErrorContains(t, err, "Pick the kind")
	_, err = y.Brood.Buy(ctx, by(y.m), brood.Bought{Species: "chicken", Heads: 1_000_000_000, BrooderID: lamp})
	assert.Error(t, err)
}

// The planner knows that the brooder is taken by young that hatched, whatever became of their batch: ten are
// in it for four weeks, so that of eight promised within that time only two find a place.
func TestThePlannerSeesTheBrooder(t *testing.T) {
	s := newSpring(t)
	ctx := s.Context()
	lamp := s.brooder("Lamp pen", 12)
	s.promise(ahead.YoungOrder, 8, 23, 27)
	must(s.Brood.Buy(ctx, by(s.m), brood.Bought{Species: "chicken", Heads: 10, AgeDays: 1, BrooderID: lamp}))
	board := must(s.Season.Board(ctx, s.m, time.Time{}, 8))
	assert.InDelta(t, 10./12, board.Brooders.Loads[0].Share, 1e-9)
	v := s.plan(2, nil)
	p := s.problem(v.ID)
	require.Len(t, p.Fixed, 1)
	assert.Equal(t, []any{10., -22}, []any{*p.Fixed[0].Young, p.Fixed[0].SetDay}, "as if they were pulled today")
	require.Len(t, v.Results, 1)
	assert.LessOrEqual(t, v.Results[0].Planned, 2.01)
	must(s.Brood.Move(ctx, by(s.m), s.groups()[0].ID, 10, 0, "orchard run"))
	assert.Greater(t, s.plan(2, nil).Results[0].Planned, 7.5, "outside they take no place")
}

// A young that died where it hatched is offered to no brooder; a place that is only named is none.
func TestTheDeadAreBroughtInNowhere(t *testing.T) {
	y, batch, barred, _, box := loadOf(t)
	ctx := y.Context()
	y.brooder("Lamp pen", 30)
	require.Empty(t, y.tap(box, hatch.Tap{Kind: hatching.Out, Batch: batch, Pen: barred, N: 3}))
	young := func() int { return must(y.Brood.Broods(ctx, y.m)).Waiting[0].Young }
	assert.Equal(t, 3, young())
	require.Empty(t, y.tap(box, hatch.Tap{
		Kind: hatch.Tell, Batch: batch, Pen: barred, N: 1, Told: hatch.Told{Signs: []string{"assisted"}, Died: true},
	}))
	assert.Equal(t, 2, young())
	said := must(y.Hatch.Apply(ctx, by(y.m), box, []hatch.Tap{{
		Key: key(), Kind: "take-out", Batch: batch, N: 2, Place: "brooder box",
	}}))
	assert.Contains(t, said[0].Says, "bring them in under Brooders")
	assert.Equal(t, 2, young())
}

// A brooder is warmed the day before, and not once the young are out, or in it.
func TestWarmingABrooderEnds(t *testing.T) {
	y, batch, barred, _, box := loadOf(t)
	ctx := y.Context()
	lamp := y.brooder("Lamp pen", 30)
	warm := func() int { return len(y.chores(chores.WarmBrooder)) }
	v := y.batch(batch)
	y.now = v.At(calendar.Pull).AddDate(0, 0, -1)
	require.Equal(t, 1, warm())
	require.Empty(t, y.tap(box, hatch.Tap{Kind: hatching.Out, Batch: batch, Pen: barred, N: 3}))
	in := must(y.Brood.BringIn(ctx, by(y.m), brood.Pulled{
		BatchID: batch, BrooderID: lamp, ByPen: map[int64]int{barred: 3},
	}))
	assert.Zero(t, warm(), "they are in it")
	must(y.Undo(ctx, by(y.m), in.Entry))
	require.Equal(t, 1, warm())
	y.now = y.batch(batch).At(calendar.Pull).AddDate(0, 0, 2)
	assert.Zero(t, warm(), "nobody warms it for those that are out")
}

// Nestlings are fed within hours, by foster parents or by hand: nobody is told to keep them as chicks.
func TestNestlingsAreNoChicks(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	lamp := y.brooder("Lamp pen", 30)
	pen, box := y.pen("Aviary", "finch"), y.machine("Cabinet", "all-in-one", "finch", 40, 40)
	must(y.Supplies.Add(ctx, by(y.m), []stock.Supply{{Says: "Starter feed, fresh", Before: supplies.Hatch}}))
	y.collect(pen, 0, 6, 0)
	id := y.set(incubate.Setting{Species: "finch", SetterID: box, Picks: []incubate.Pick{
		{PenID: pen, LaidOn: day(0), Eggs: 6},
	}})
	chick := regexp.MustCompile(
		`(?i)fluffy|crumb|starter|\blive on\b|yolk|warm the brooder|drinker|drink and eat|they are dry|a day since`,
	)
	said := func() {
		t.Helper()
		today := must(y.Today.Page(ctx, y.m))
		for _, c := range append(today.Due, today.Soon...) {
			text := c.Title + " " + c.Reason + " " + c.Why + " " + c.How()
			text = strings.ReplaceAll(text, "No chick brooder, no crumb.", "")
			assert.NotRegexp(t, chick, text, "%s on %s", c.Kind, y.now)
		}
		if b := y.batch(id); b.LockedAt != nil && b.Open() {
			for _, l := range must(y.Hatch.Watch(ctx, y.m, box)).Loads {
				for _, a := range l.Advice {
					assert.NotRegexp(t, chick, a.Why)
				}
			}
		}
	}
	for range 11 {
		said()
		y.now = y.now.AddDate(0, 0, 1)
	}
	must(y.Hatch.Lockdown(ctx, by(y.m), id, 0, time.Time{}))
	for range 6 {
		said()
		y.now = y.now.Add(6 * time.Hour)
	}
	require.Empty(t, y.tap(box, hatch.Tap{Kind: hatching.Out, Batch: id, Pen: pen, N: 2}))
	fed := y.chores(calendar.Pull)
	require.Len(t, fed, 1)
	assert.Equal(t, "Feed the nestlings, or foster them", fed[0].Title)
	assert.Contains(t, fed[0].Why, "food within hours")
	assert.Zero(t, fed[0].Late, "at once, and not a day after the first")
	for range 8 {
		said()
		y.now = y.now.Add(6 * time.Hour)
	}
	page := must(y.Brood.Broods(ctx, y.m))
	assert.Empty(t, page.Waiting)
	assert.Empty(t, page.Expected)
	_, err := y.Brood.BringIn(ctx, by(y.m), brood.Pulled{BatchID: id, BrooderID: lamp, ByPen: map[int64]int{pen: 2}})
	assert.ErrorContains(t, err, "A chick brooder does not keep them")
	_, err = y.Brood.Buy(ctx, by(y.m), brood.Bought{Species: "finch", Heads: 3, BrooderID: lamp})
	assert.ErrorContains(t, err, "feed themselves")
}
