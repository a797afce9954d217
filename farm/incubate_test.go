package farm_test

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/choice"
	"metrogon/core/outcome"
	"metrogon/farm/candle"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/journal"
	"metrogon/farm/stock"
)

func TestTwoPeopleSetTheSameEggs(t *testing.T) {
	y := newYard(t)
	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 100, 100)
	y.collect(pen, 0, 12, 0)
	var won, told atomic.Int32
	var both sync.WaitGroup
	for range 6 {
		both.Go(func() {
			_, err := y.Incubate.Set(y.Context(), by(y.m), incubate.Setting{
				Species: "chicken", SetterID: box, SetAt: y.now,
				Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 8}},
			})
			if err == nil {
				won.Add(1)
			} else if strings.Contains(err.Error(), "only 4 are left") {
				told.Add(1)
			}
		})
	}
	both.Wait()
	assert.Equal(t, [2]int32{1, 5}, [2]int32{won.Load(), told.Load()}, "one wins, the others are told which eggs went")
	assert.Equal(t, 4, y.inStore())
}

func TestARecordNarrowsWhatIsExpected(t *testing.T) {
	y := newYard(t)
	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 500, 500)
	y.collect(pen, 0, 100, 0)
	id := y.set(incubate.Setting{
		Species: "chicken", SetterID: box, Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 90}},
	})
	expect := func() *incubate.Answer {
		page, err := y.Incubate.Plan(y.Context(), y.m, incubate.Setting{
			Species: "chicken", SetterID: box, SetAt: y.now,
			Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 10}},
		})
		require.NoError(t, err)
		return page.Answer
	}
	before := expect()
	y.now = start.AddDate(0, 0, 22)
	_, err := y.Hatch.Hatched(y.Context(), by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 72}})
	require.NoError(t, err)
	_, err = y.Hatch.Close(y.Context(), by(y.m), id, time.Time{})
	require.NoError(t, err)
	y.now = start
	after := expect()
	// 72 of 90 on a start of ten eggs at 68 %; ninety eggs of one batch are worth
	// 90 / (1 + 89 × 0.02) = 32.4.
	worth := 90 / (1 + 89*0.02)
	assert.InDelta(t, 10*(6.8+0.8*worth)/(10+worth), after.Young, 1e-3)
	assert.Less(t, after.YoungHigh-after.YoungLow, before.YoungHigh-before.YoungLow)
}

func TestEggsForAWish(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	cabinet := y.machine("Cabinet", "all-in-one", "chicken", 200, 200)
	barred, speckled := y.proven("Barred", cabinet), y.proven("Speckled", cabinet)
	y.now = y.now.AddDate(0, 0, 30)
	ago := func(days int) time.Time { return day(days - 30) }
	for back, n := range map[int]int{1: 30, 5: 30, 12: 9} {
		_, err := y.Stock.Collect(
			ctx, by(y.m), stock.Collected{PenID: barred, LaidOn: ago(back), Eggs: n},
			stock.Collected{PenID: speckled, LaidOn: ago(back), Eggs: n / 2},
		)
		require.NoError(t, err)
	}
	plan := func(w incubate.Wish) incubate.SetPage {
		page, err := y.Incubate.Plan(ctx, y.m, incubate.Setting{
			Species: "chicken", SetterID: cabinet, HatcherID: cabinet, SetAt: y.now, Propose: true, Wish: w,
		})
		require.NoError(t, err)
		require.NotNil(t, page.Answer)
		return page
	}
	eggs := func(p incubate.SetPage, pen int64, back int) (n int) {
		for _, x := range p.Setting.Picks {
			if x.PenID == pen && x.LaidOn.Equal(ago(back)) {
				n += x.Eggs
			}
		}
		return
	}
	one := plan(incubate.Wish{Young: 10, CertaintyPct: 90, Order: choice.Freshest, PenID: barred})
	assert.GreaterOrEqual(t, one.Answer.Prob, .9)
	assert.Zero(t, eggs(one, speckled, 1)+eggs(one, barred, 12)+eggs(one, barred, 5))
	fewer := plan(incubate.Wish{Young: 10, CertaintyPct: 50, Order: choice.Freshest, PenID: barred})
	assert.Less(t, fewer.Answer.Eggs, one.Answer.Eggs, "more certainty takes more eggs")
	old := plan(incubate.Wish{Young: 10, CertaintyPct: 90, Order: choice.Oldest, PenID: barred})
	assert.Equal(t, 0, eggs(old, barred, 12), "too old")
	assert.Positive(t, eggs(old, barred, 5))
	assert.GreaterOrEqual(t, old.Answer.Eggs, one.Answer.Eggs, "old eggs give fewer")
	every := plan(incubate.Wish{Young: 10, CertaintyPct: 90, Order: choice.Freshest, EveryPen: true})
	assert.InDelta(t, eggs(every, barred, 1), eggs(every, speckled, 1), 1, "every pen alike")
	short := plan(incubate.Wish{Young: 500, CertaintyPct: 90})
	assert.Contains(t, short.Short, "All eggs that fit give at least 500 young only 0 times in 100")

	var lefts []string
	for _, l := range one.Answer.Left {
		lefts = append(lefts, fmt.Sprintf("%s %d, %d too old, by %s", l.Name, l.Eggs, l.Stale, l.Until.Format("2 Jan")))
	}
	assert.Equal(
		t,
		[]string{fmt.Sprintf("Barred %d, 9 too old, by 5 Apr", 69-one.Answer.Eggs), "Speckled 34, 4 too old, by 5 Apr"},
		lefts,
	)

	l := plan(incubate.Wish{}).Later
	require.NotNil(t, l)
	assert.Equal(t, 90, l.Now.Eggs, "all that are not too old")
	assert.Equal(t, (60*2)/7+(30*2)/7, l.New, "both pens laid 60 and 30 in the last seven days")
	assert.Greater(t, l.Then.Eggs, l.Now.Eggs)
	assert.Positive(t, l.Lost)
	assert.Equal(t, l.Now.Hatch.Add(48*time.Hour), l.Then.Hatch)
}

// Two people at the same moment: one wins, the other is told which eggs went,
// and no egg is lost or doubled. Ten rounds, by number and egg by egg.
func TestTheSameEggsAtTheSameMoment(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	cabinet := y.machine("Cabinet", "all-in-one", "chicken", 2000, 2000)
	for round := range 10 {
		pen := y.pen(fmt.Sprintf("Line %d", round), "chicken")
		y.collect(pen, 1, 30, 0)
		singles, err := y.Incubate.SingleEggs(ctx, y.m, pen, day(1), false)
		require.NoError(t, err)
		pick := incubate.Pick{PenID: pen, LaidOn: day(1), Eggs: 18}
		if round%2 == 1 {
			pick.Eggs = 2
			pick.Only = []int64{singles[4].ID, singles[9].ID}
		}
		var wait sync.WaitGroup
		var said [2]error
		begin := make(chan struct{})
		for who := range said {
			wait.Go(func() {
				<-begin
				_, said[who] = y.Incubate.Set(ctx, by(y.m), incubate.Setting{
					Species: "chicken", SetterID: cabinet, HatcherID: cabinet, SetAt: y.now,
					Picks: []incubate.Pick{pick},
				})
			})
		}
		close(begin)
		wait.Wait()
		lost := slices.IndexFunc(said[:], func(err error) bool { return err != nil })
		require.GreaterOrEqual(t, lost, 0, "both won")
		require.NoError(t, said[1-lost], "both lost")
		if pick.Only != nil {
			assert.ErrorContains(t, said[lost], fmt.Sprintf(
				"%s, %s of Line %d went meanwhile. Nothing was set", *singles[4].Mark, *singles[9].Mark, round,
			))
		} else {
			assert.ErrorContains(t, said[lost], fmt.Sprintf(
				"from Line %d only 12 are left in store, 18 were picked. Nothing was set", round,
			))
		}
		left, err := y.Incubate.SingleEggs(ctx, y.m, pen, day(1), false)
		require.NoError(t, err)
		assert.Len(t, left, 30-pick.Eggs)
	}
	open, _, err := y.Incubate.Batches(ctx, y.m, 0)
	require.NoError(t, err)
	assert.Len(t, open, 10)
	set := 0
	for _, b := range open {
		set += b.Eggs
	}
	assert.Equal(t, 5*18+5*2, set)
}

// By hand, for a pen without a record: 85 % fertile, of these 80 % hatch, so ten
// eggs promise 6.8. Two clears go out, one clear stays in, seven are seen alive on day 7,
// of which 86 in 100 usually hatch: 7 × .86 = 6.02. A week later, seen alive again
// on day 14, but for a quit that stays in; the clear was called live with the rest:
// 7 × .91.
func TestYoungToExpect(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(10)
	assert.InDelta(t, 6.8, y.batch(id).Prospect.Young, 1e-3)
	assert.InDelta(t, 6.8, y.batch(id).Prospect.AtSet, 1e-3, "as Set says it")
	y.now = y.now.AddDate(0, 0, 7)
	_, err := y.Candle.Candle(
		ctx, by(y.m), id, candle.Calling{Call: candling.Clear, Eggs: nos(y.batch(id), 1, 2), TakeOut: true},
	)
	require.NoError(t, err)
	_, err = y.Candle.Candle(
		ctx, by(y.m), id, candle.Calling{Call: candling.Clear, Eggs: nos(y.batch(id), 3), TakeOut: false},
	)
	require.NoError(t, err)
	_, err = y.Candle.CandleRest(ctx, by(y.m), id, time.Time{})
	require.NoError(t, err)
	p := y.batch(id).Prospect
	assert.InDelta(t, 6.02, p.Young, 1e-3)
	assert.Equal(t, 2, p.Out)
	y.now = y.now.AddDate(0, 0, 7)
	_, err = y.Candle.Candle(
		ctx, by(y.m), id, candle.Calling{Call: candling.Quit, Eggs: nos(y.batch(id), 4), TakeOut: false},
	)
	require.NoError(t, err)
	_, err = y.Candle.CandleRest(ctx, by(y.m), id, time.Time{})
	require.NoError(t, err)
	assert.InDelta(t, 7*.91, y.batch(id).Prospect.Young, 1e-3)
}

// A setting that does not fit names what would make it fit, and each of these does.
func TestWhatMakesASettingFit(t *testing.T) {
	y := newYard(t)
	pen := y.pen("Barred", "chicken")
	cabinet, box := y.machine("Cabinet", "cabinet", "chicken", 40, 0), y.machine("Box", "hatcher", "chicken", 0, 15)
	y.collect(pen, 0, 8, 0)
	y.collect(pen, 4, 12, 0)
	plan := incubate.Setting{Species: "chicken", SetterID: cabinet, HatcherID: box, SetAt: y.now,
		Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 8}, {PenID: pen, LaidOn: day(4), Eggs: 12}}}
	says := func() (all []string) {
		page, err := y.Incubate.Plan(t.Context(), y.m, plan)
		require.NoError(t, err)
		for _, c := range page.Answer.Cures {
			all = append(all, c.Says)
			cured, err := y.Incubate.Plan(t.Context(), y.m, c.On(plan))
			require.NoError(t, err)
			assert.Empty(t, cured.Answer.Clashes, c.Says)
		}
		return all
	}
	// 85 % are expected in lockdown: 15 places take 17 eggs, 17 × 0.85 = 14.45.
	assert.Equal(t, []string{"17 eggs only"}, says())
	page, err := y.Incubate.Plan(t.Context(), y.m, plan)
	require.NoError(t, err)
	left := page.Answer.Cures[0].On(plan)
	require.Len(t, left.Picks, 2)
	assert.Equal(t, []int{12, 5}, []int{left.Picks[0].Eggs, left.Picks[1].Eggs}, "the freshest stay in store")

	y.machine("Second box", "hatcher", "chicken", 0, 30)
	assert.Equal(t, []string{"they hatch in Second box", "17 eggs only"}, says())
	plan.HatcherID, plan.Picks = box, plan.Picks[:1]
	assert.Empty(t, says(), "eight eggs fit: nothing to cure")
}

// Of forty eggs seen alive on day 14 twenty hatched, egg by egg. By hand, of ten more that
// are seen alive then: 91 % of live ones is usual, worth 40 eggs, (36.4 + 20) / 80 = 70.5 %;
// the farm's fertile eggs hatch at (32 + 20) / 80 = 65 %, the pen's at (8 + 20/40 × 22.5) /
// (10 + 22.5) = 59.2 %, forty of one batch being worth 40 / (1 + 39 × 0.02) = 22.5. So
// 70.5 × 59.2 / 65 = 64.3 %.
func TestLiveEggsHatchAsTheyDidHere(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen, box := y.pen("Barred", "chicken"), y.machine("Box", "all-in-one", "chicken", 60, 60)
	y.collect(pen, 0, 50, 0)
	set := func(eggs int) int64 {
		return y.set(incubate.Setting{
			Species: "chicken", SetterID: box, HatcherID: box,
			Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: eggs}},
		})
	}
	first := set(40)
	y.now = start.AddDate(0, 0, 14)
	_, err := y.Candle.CandleRest(ctx, by(y.m), first, time.Time{})
	require.NoError(t, err)
	y.now = start.AddDate(0, 0, 22)
	var half []int
	for no := range 20 {
		half = append(half, no+1)
	}
	_, err = y.Hatch.End(ctx, by(y.m), first, hatch.Ending{Eggs: nos(y.batch(first), half...), Fate: outcome.Hatched})
	require.NoError(t, err)
	_, err = y.Hatch.Close(ctx, by(y.m), first, time.Time{})
	require.NoError(t, err)
	y.now = start
	second := set(10)
	y.now = start.AddDate(0, 0, 14)
	_, err = y.Candle.CandleRest(ctx, by(y.m), second, time.Time{})
	require.NoError(t, err)
	assert.InDelta(t, 6.43, y.batch(second).Prospect.Young, 0.02)
}

// Eggs of an abandoned nest: how far they are is a span, so are all dates, until the lamp narrows it.
func TestPartIncubatedEggsHaveAnUnsureClock(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen, box := y.pen("Found", "chicken"), y.machine("Cabinet", "all-in-one", "chicken", 40, 40)
	n := incubate.Nest{PenID: pen, Eggs: 8, FromDays: 4, ToDays: 10, SetterID: box}
	took := must(y.Incubate.TakeOver(ctx, by(y.m), n))
	assert.Equal(t, "Took over 8 eggs of Found as Chicken 27-01 in Cabinet, 4–10 days along.", took.Said)
	b := y.batch(took.Of(journal.Batch))
	assert.Equal(t, "4–10", incubate.Along(b.BatchView, y.m))
	assert.InDelta(t, 7, b.Day, 1e-6)
	assert.Equal(t, 8, b.Alive)
	assert.True(t, b.Pens[0].Trial, "what died before is not among them: they say nothing of the pen")
	// By hand: 21 (20–22) days, three days either way: from day 17 to 25 since the middle; the first pips may come
	// on day 16, so turning stops then and not on day 18.
	assert.Equal(t, []string{"11 Mar", "19 Mar"}, []string{
		b.Hatch().From.Format("2 Jan"), b.Hatch().To.Format("2 Jan"),
	})
	lock, _ := b.Milestone(calendar.Lockdown)
	assert.InDelta(t, 16, lock.Day, 1)
	_, err := y.Incubate.Narrow(ctx, by(y.m), took.Of(journal.Batch), 9, 8)
	assert.ErrorContains(t, err, "The span ends before it begins.")
	_, err = y.Incubate.Narrow(ctx, asked(y.m), took.Of(journal.Batch), 14, 16)
	assert.ErrorContains(t, err, "14–16 days along? By what was said before they would be 4–10. Is it so?")
	near := must(y.Incubate.Narrow(ctx, by(y.m), took.Of(journal.Batch), 8, 9))
	b = y.batch(took.Of(journal.Batch))
	assert.InDelta(t, 8.5, b.Day, 1e-6)
	assert.InDelta(t, .5, b.UnsureDays, 1e-9)
	must(y.Undo(ctx, by(y.m), near.Entry))
	assert.InDelta(t, 7, y.batch(took.Of(journal.Batch)).Day, 1e-6)
	must(y.Undo(ctx, by(y.m), took.Entry))
	assert.Zero(t, y.inStore(), "eggs of a nest that was never there are in no store")
	for want, bad := range map[string]incubate.Nest{
		"Say from which pen they are":  {Eggs: 3, SetterID: box},
		"it may be 1 to":               {PenID: pen, SetterID: box},
		"Pick a machine that takes":    {PenID: pen, Eggs: 3},
		"The greatest number of days":  {PenID: pen, Eggs: 3, SetterID: box, ToDays: 90},
		"The span ends before it begi": {PenID: pen, Eggs: 3, SetterID: box, FromDays: 8, ToDays: 3},
	} {
		_, err := y.Incubate.TakeOver(ctx, by(y.m), bad)
		assert.ErrorContains(t, err, want)
	}
}

// In the morning of the seventh day eggs that were set at noon are six days old, as their machine's counter says: the
// chore names the hour at which it will say seven.
func TestAChoreNamesTheHourOfItsDay(t *testing.T) {
	y := newYard(t)
	pen, box := y.pen("Barred", "chicken"), y.machine("Cabinet", "all-in-one", "chicken", 60, 60)
	y.collect(pen, 1, 10, 0)
	y.set(incubate.Setting{Species: "chicken", SetterID: box, Picks: []incubate.Pick{
		{PenID: pen, LaidOn: day(1), Eggs: 10},
	}})
	set := y.now
	y.now = set.AddDate(0, 0, 7).Add(-2 * time.Hour)
	assert.Equal(t, "Cabinet · day 7 of 21 from "+set.In(y.m.Place).Format("15:04"), y.chores(calendar.Candle)[0].Reason)
	y.now = set.AddDate(0, 0, 7)
	assert.Equal(t, "Cabinet · day 7 of 21", y.chores(calendar.Candle)[0].Reason)
}
