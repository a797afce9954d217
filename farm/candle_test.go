package farm_test

import (
	"fmt"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/farm"
	"metrogon/farm/candle"
	"metrogon/farm/chores"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/people"
	"metrogon/farm/snapshot"
)

// By hand: eggs 1 to 4 called clear and taken out, 5 to 10 live. On opening, 1 and
// 2 are infertile, 3 an early death, 4 dead in the middle; 5 to 8 hatch, 9 is late,
// 10 stays shut.
func TestOpenedClearsPutFertilityRight(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(10)
	y.now = y.now.AddDate(0, 0, 7)
	must := func(done farm.Done, err error) farm.Done { t.Helper(); require.NoError(t, err); return done }
	must(y.Candle.Candle(
		ctx, by(y.m), id, candle.Calling{Call: candling.Clear, Eggs: nos(y.batch(id), 1, 2, 3, 4), TakeOut: true},
	))
	must(y.Candle.CandleRest(ctx, by(y.m), id, time.Time{}))
	assert.Equal(t, []int{6, 10}, []int{y.batch(id).Fertile, y.batch(id).Examined}, "as it was called")
	_, err := y.Candle.RecordOpened(ctx, by(y.m), id, nos(y.batch(id), 5), candling.Early)
	assert.ErrorContains(t, err, "taken out and not opened yet")
	must(y.Candle.RecordOpened(ctx, by(y.m), id, nos(y.batch(id), 1, 2), candling.Infertile))
	must(y.Candle.RecordOpened(ctx, by(y.m), id, nos(y.batch(id), 3), candling.Early))
	last := must(y.Candle.RecordOpened(ctx, by(y.m), id, nos(y.batch(id), 4), candling.Middle))
	assert.Equal(t, []int{8, 10}, []int{y.batch(id).Fertile, y.batch(id).Examined}, "two of the clears were fertile")
	must(y.Undo(ctx, by(y.m), last.Entry))
	assert.Equal(t, 7, y.batch(id).Fertile)
	must(y.Candle.RecordOpened(ctx, by(y.m), id, nos(y.batch(id), 4), candling.Middle))

	y.now = y.now.AddDate(0, 0, 15)
	must(y.Hatch.End(
		ctx, by(y.m), id, hatch.Ending{Eggs: nos(y.batch(id), 5, 6, 7, 8), Fate: outcome.Hatched, Stage: ""},
	))
	must(y.Hatch.End(
		ctx, by(y.m), id, hatch.Ending{Eggs: nos(y.batch(id), 9), Fate: outcome.Unhatched, Stage: "late"},
	))
	must(y.Hatch.Close(ctx, by(y.m), id, time.Time{}))
	var said []string
	for _, p := range y.batch(id).Proofs {
		said = append(said, fmt.Sprintf("%s, late %t, %s: %d of %d", p.Who, p.Late, p.Call, p.K, p.N))
	}
	assert.Equal(t, []string{"Anna Wick, late false, clear: 3 of 4", "Anna Wick, late false, live: 5 of 5"}, said)
}

// A farm that leaves clears in until lockdown says so once.
func TestTheFarmsRuleForTakingOut(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(4)
	_, err := y.People.SaveFarm(ctx, by(y.m), people.Rules{
		Name: "Wickfold", Zone: "UTC", ChoreAt: "07:00", WarmHours: 24, RestHours: 24,
		Out: []candling.Call{candling.Bad, candling.Live},
	})
	require.NoError(t, err)
	y.m, err = y.People.Owner(ctx, "Wickfold")
	require.NoError(t, err)
	assert.Equal(t, []string{"bad"}, y.m.OutCalls, "a live one is never taken out by rule")
	_, err = y.Candle.Candle(
		ctx, by(y.m), id, candle.Calling{Call: candling.Clear, Eggs: nos(y.batch(id), 1), TakeOut: true},
	)
	require.NoError(t, err)
	_, err = y.Candle.Candle(
		ctx, by(y.m), id, candle.Calling{Call: candling.Bad, Eggs: nos(y.batch(id), 2), TakeOut: true},
	)
	require.NoError(t, err)
	assert.Equal(t, 3, y.batch(id).Alive)
}

func TestUnsureEggsAreLookedAtAgain(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(6)
	y.now = y.now.AddDate(0, 0, 8)
	_, err := y.Candle.Candle(
		ctx, by(y.m), id, candle.Calling{Call: candling.Unsure, Eggs: nos(y.batch(id), 1, 2), TakeOut: false},
	)
	require.NoError(t, err)
	again := func() (titles []string) {
		for _, c := range y.chores(chores.LookAgain) {
			titles = append(titles, c.Title)
		}
		return
	}
	assert.Empty(t, again(), "not on the same day")
	y.now = y.now.AddDate(0, 0, 3)
	assert.Equal(t, []string{"Look again at 2 doubtful eggs"}, again())
	_, err = y.Candle.Candle(
		ctx, by(y.m), id, candle.Calling{Call: candling.Live, Eggs: nos(y.batch(id), 1), TakeOut: false},
	)
	require.NoError(t, err)
	assert.Equal(t, []string{"Look again at 1 doubtful egg"}, again())
	_, err = y.Candle.Candle(
		ctx, by(y.m), id, candle.Calling{Call: candling.Quit, Eggs: nos(y.batch(id), 2), TakeOut: true},
	)
	require.NoError(t, err)
	assert.Empty(t, again())
}

// Twenty dark shells, of which twelve hatch: at least 12 of 20, reckoned 15 at the usual 80 %
// of fertile eggs, and never 12 of 12. And ten that nobody looked at, of which nine hatch and
// one was clear on opening: 9 of 10, and of the nine fertile all.
func TestFertilityOfEggsThatNobodySaw(t *testing.T) {
	for _, c := range []struct {
		eggs, hatch        int
		opened             string // what the rest showed
		k, n, ofFertile, f int
		why                string
	}{
		{20, 12, "", 15, 20, 0, 0, "at least 12 of 20"},
		{10, 9, "infertile", 9, 10, 9, 9, ""},
	} {
		t.Run(fmt.Sprint(c.eggs), func(t *testing.T) {
			y := newYard(t)
			ctx := y.Context()
			id := y.incubating(c.eggs)
			var hatched, rest []int
			for no := range c.eggs {
				if no < c.hatch {
					hatched = append(hatched, no+1)
				} else {
					rest = append(rest, no+1)
				}
			}
			y.now = y.now.AddDate(0, 0, 10)
			if c.opened == "" {
				_, err := y.Candle.Candle(ctx, by(y.m), id, candle.Calling{
					Call: candling.Unseen, Eggs: nos(y.batch(id), append(hatched, rest...)...),
				})
				require.NoError(t, err)
			}
			y.now = y.now.AddDate(0, 0, 12)
			b := y.batch(id)
			_, err := y.Hatch.End(ctx, by(y.m), id, hatch.Ending{Eggs: nos(b, hatched...), Fate: outcome.Hatched})
			require.NoError(t, err)
			if c.opened != "" {
				_, err = y.Hatch.End(
					ctx, by(y.m), id,
					hatch.Ending{Eggs: nos(b, rest...), Fate: outcome.Unhatched, Stage: c.opened},
				)
				require.NoError(t, err)
			}
			_, err = y.Hatch.Close(ctx, by(y.m), id, time.Time{})
			require.NoError(t, err)
			pens, err := y.Flock.Pens(ctx, y.m)
			require.NoError(t, err)
			p := pens[0]
			assert.Equal(
				t, [4]int{c.k, c.n, c.ofFertile, c.f},
				[4]int{p.Fertility.K, p.Fertility.N, p.HatchOfFertile.K, p.HatchOfFertile.N},
			)
			assert.Contains(t, p.Fertility.Why, c.why)
			assert.Equal(t, p.Fertility.K, y.batch(id).Pens[0].Fertility.K, "the batch's page says the same")
		})
	}
}

// After some eggs were looked at the candling stays for the rest, until somebody says that they live, or that
// nobody looked at them.
func TestTheRestOfACandlingStays(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(6)
	y.now = y.now.AddDate(0, 0, 7)
	look := func(which ...int) farm.Done {
		eggs := nos(y.batch(id), which...)
		return must(y.Candle.Candle(ctx, by(y.m), id, candle.Calling{Call: candling.Live, Eggs: eggs}))
	}
	must(y.Candle.Candle(ctx, by(y.m), id, candle.Calling{
		Call: candling.Clear, Eggs: nos(y.batch(id), 6), TakeOut: true,
	}))
	assert.Len(t, y.chores(calendar.Candle), 1, "only a bad one was pulled: of the rest nobody said anything")
	look(1, 2)
	rest := y.chores(chores.CandleRest)
	require.Len(t, rest, 1)
	assert.Equal(t, "Candle the other 3 eggs", rest[0].Title)
	assert.Equal(t, "Candle the other 3 eggs", y.batch(id).Next.Title)
	said := must(y.Incubate.TickOff(ctx, by(y.m), id, calendar.Candle, rest[0].Day))
	assert.Empty(t, y.chores(calendar.Candle, chores.CandleRest), "nobody looked at them")
	must(y.Undo(ctx, by(y.m), said.Entry))
	must(y.Candle.CandleRest(ctx, by(y.m), id, time.Time{}))
	assert.Empty(t, y.chores(calendar.Candle, chores.CandleRest))
	y.now = y.now.AddDate(0, 0, 7)
	assert.Len(t, y.chores(calendar.Candle), 1, "the next one comes")
}

// A machine is opened once: all dates that turn in it are candled in the order of its trays.
func TestAMachineInOneSitting(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	must(
		s.Machines.SaveTray(ctx, by(s.m), snapshot.Tray{MachineID: s.a, Name: "Top", TrayRows: 6, TrayColumns: 6}, "", ""),
	)
	s.after(4)
	s.collect(s.pens[0], 0, 5, 0)
	second := s.set(incubate.Setting{
		Species: "chicken", SetterID: s.a, HatcherID: s.hatcher,
		Picks: []incubate.Pick{{PenID: s.pens[0], LaidOn: day(0), Eggs: 5}},
	})
	must(s.Incubate.ArrangeByPen(ctx, by(s.m), second))
	must(s.Incubate.ArrangeByPen(ctx, by(s.m), s.batch1))
	s.after(6)
	sitting := must(s.Candle.Machine(ctx, s.m, s.a))
	assert.Len(t, sitting.Sessions, 1, "on day 2 nothing is to be seen")
	s.after(11)
	sitting = must(s.Candle.Machine(ctx, s.m, s.a))
	require.Len(t, sitting.Eggs, 35)
	var order []int64
	for _, e := range sitting.Eggs {
		if n := len(order); n == 0 || order[n-1] != e.BatchID {
			order = append(order, e.BatchID)
		}
	}
	assert.Equal(t, []int64{second, s.batch1}, order, "the younger ones lie on the first places")
	assert.Equal(t, "Top A1", sitting.Eggs[0].Spot)
	_, err := s.Candle.Machine(ctx, s.m, 999)
	assert.ErrorIs(t, err, farm.ErrNone)
	empty := must(s.Candle.Machine(ctx, s.m, s.b))
	assert.Empty(t, empty.Eggs)
}

// Looking again at doubtful eggs is about those, and a live egg that is called clear or taken out is asked about.
func TestDoubtfulEggsAreLookedAtAlone(t *testing.T) {
	y := newYard(t)
	ctx, id := y.Context(), y.incubating(6)
	y.now = y.now.AddDate(0, 0, 7)
	eggs := nos(y.batch(id), 1, 2, 3, 4, 5, 6)
	call := func(req farm.Request, c candling.Call, ids ...int64) error {
		return second(y.Candle.Candle(ctx, req, id, candle.Calling{Call: c, Eggs: ids}))
	}
	require.NoError(t, call(by(y.m), candling.Live, eggs[0], eggs[1], eggs[3]))
	require.NoError(t, call(by(y.m), candling.Unsure, eggs[2]))
	require.NoError(t, call(by(y.m), candling.Unseen, eggs[4]))

	y.now = y.now.AddDate(0, 0, 3)
	of := func() (ids []int64) {
		for _, e := range must(y.Candle.Doubtful(ctx, y.m, id)).Eggs {
			ids = append(ids, e.ID)
		}
		return ids
	}
	assert.ElementsMatch(t, []int64{eggs[2], eggs[4]}, of(), "not those that are alive, nor the one not looked at")
	require.NoError(t, call(by(y.m), candling.Live, eggs[2]))
	assert.ElementsMatch(t, []int64{eggs[2], eggs[4]}, of(), "in the same sitting nothing goes from under the thumb")
	for _, e := range must(y.Candle.Session(ctx, y.m, id)).Eggs {
		assert.Equal(t, e.ID == eggs[0] || e.ID == eggs[1] || e.ID == eggs[3], e.Lived == "day 7", e.Lived)
	}

	p, ok := farm.AsProblems(call(asked(y.m), candling.Clear, eggs[0], eggs[5]))
	require.True(t, ok && p.Doubtful(), "%v", p)
	assert.Equal(t, "1 egg was called live on day 7: really clear?", p.Error())
	assert.NoError(t, call(asked(y.m), candling.Clear, eggs[5]), "one that nobody called")
	assert.NoError(t, call(by(y.m), candling.Clear, eggs[0]))
	_, err := y.Hatch.End(ctx, asked(y.m), id, hatch.Ending{
		Eggs: []int64{eggs[1]}, Fate: outcome.Removed, Stage: "other",
	})
	p, ok = farm.AsProblems(err)
	require.True(t, ok && p.Doubtful(), "%v", err)
	assert.Contains(t, p.Error(), "called live on day 7: really take out?")

	op := candle.Op{Key: key(), Kind: "call", Egg: eggs[3], Call: candling.Clear, At: y.now}
	said := must(y.Candle.Apply(ctx, by(y.m), id, []candle.Op{op}))
	assert.False(t, said[0].Done, "at the lamp too")
	op.Key, op.Sure = key(), true
	assert.True(t, must(y.Candle.Apply(ctx, by(y.m), id, []candle.Op{op}))[0].Done)
}
