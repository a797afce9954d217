package farm_test

import (
	"fmt"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/farm"
	"metrogon/farm/candle"
	"metrogon/farm/chores"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/stock"
	"metrogon/farm/weigh"
)

// Twenty eggs of 60 g in air of 37.5 °C: the figures are R's, by the method of
// core/moisture's test.
func TestWeighingLeadsToAdvice(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(20)
	put := func(eggs int, mass, rh float64, sure bool) error {
		_, err := y.Weigh.Record(
			ctx, by(y.m), id, weigh.Weighing{Eggs: eggs, MassG: mass, RHPct: rh, TempC: 37.5, At: y.now, Sure: sure},
		)
		return err
	}
	series := func() weigh.WaterSeries {
		w, err := y.Weigh.Water(ctx, y.m, id)
		require.NoError(t, err)
		require.Len(t, w.Series, 1)
		return w.Series[0]
	}
	assert.ErrorContains(t, put(20, 42.33, 50, false), "was it 42.33 ounces?")
	assert.ErrorContains(t, put(0, 1200, 50, false), "it may be 1 to 20")
	require.NoError(t, put(20, 1200, 50, false))
	assert.False(t, series().Known)
	y.now = y.now.AddDate(0, 0, 9)
	assert.ErrorContains(t, put(20, 18*57.3, 60, false), "weighs like 18 eggs, not 20")
	_, err := y.Candle.Candle(
		ctx, by(y.m), id, candle.Calling{Call: candling.Clear, Eggs: nos(y.batch(id), 1, 2), TakeOut: true},
	)
	require.NoError(t, err)
	require.NoError(t, put(18, 18*57.3, 60, false), "two clears were taken out: they are no water")
	s := series()
	assert.InDelta(t, 4.5, s.LossPct, 1e-9, "2.7 of 60 g")
	assert.InDelta(t, 9, s.ProjectedPct, 1e-6, "as much again by day 18")
	// 2.7 g in nine days at 60 % is 300 mg a day; 4.5 g in nine is 500: (1 − .4 × 5/3) × 100 %.
	assert.InDelta(t, 100*(1-.4*5/3), s.RequiredRHPct, 1e-6)
	assert.Contains(
		t, s.Advice,
		"These eggs have lost 4.5 % and would reach 9.0 % by day 18; the goal is 12 %. The weighings do not carry "+
			"an advice yet", "the two that went unweighed may have been heavy ones",
	)
	assert.Regexp(t, `Weigh again on day 1\d: within ±\d points`, s.Advice)
	assert.ErrorContains(t, put(18, 18*58, 60, false), "later weighing of these eggs already")
	y.now = y.now.AddDate(0, 0, 5)
	assert.ErrorContains(t, put(18, 18*58, 60, false), "how many lay on the scale?")
	require.NoError(t, put(18, 18*53.8, 30, true), "the breeder is sure")
	assert.Contains(t, series().Advice, "far more than eggs of this weight lose: check the hygrometer first")
	_, err = y.Undo(ctx, by(y.m), y.batch(id).Last.ID)
	require.NoError(t, err)
	assert.Len(t, series().Weighings, 2)
}

// Of five eggs with weights of their own, 80 g and four of 55, the heavy one is
// taken out: 300 g, then 4 × 53.35 = 213.4 g. The four lost 3 % each; by the mean
// of all five it would look like 11 %.
func TestAHeavyEggTakenOutIsNoWater(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen, box := y.pen("Barred", "chicken"), y.machine("Cabinet", "all-in-one", "chicken", 40, 40)
	var picks []incubate.Pick
	for i, g := range []float64{80, 55, 55, 55, 55} {
		_, err := y.Stock.Collect(ctx, by(y.m), stock.Collected{PenID: pen, LaidOn: day(i), Eggs: 1, MassG: &g})
		require.NoError(t, err)
		picks = append(picks, incubate.Pick{PenID: pen, LaidOn: day(i), Eggs: 1})
	}
	id := y.set(incubate.Setting{Species: "chicken", SetterID: box, Picks: picks})
	heavy := int64(0)
	for _, e := range y.batch(id).Pens[0].Eggs {
		if *e.MassG == 80 {
			heavy = e.ID
		}
	}
	put := func(x weigh.Weighing) farm.Done {
		t.Helper()
		x.RHPct, x.TempC, x.At = 50, 37.5, y.now
		done, err := y.Weigh.Record(ctx, by(y.m), id, x)
		require.NoError(t, err)
		return done
	}
	put(weigh.Weighing{Eggs: 5, MassG: 300})
	y.now = y.now.AddDate(0, 0, 5)
	_, err := y.Hatch.End(
		ctx, by(y.m), id, hatch.Ending{Eggs: []int64{heavy}, Fate: outcome.Removed, Stage: "cracked"},
	)
	require.NoError(t, err)
	put(weigh.Weighing{Eggs: 4, MassG: 213.4, Sure: true})
	w, err := y.Weigh.Water(ctx, y.m, id)
	require.NoError(t, err)
	assert.InDelta(t, 3, w.Series[0].LossPct, .01)
}

// Egg by egg, by the air cell, and what the machine did when a sponge went in.
func TestSingleEggsCellsAndSponges(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(6)
	var code []string
	for _, e := range y.batch(id).Pens[0].Eggs {
		code = append(code, *e.Mark)
	}
	put := func(x weigh.Weighing) (string, error) {
		x.Eggs, x.RHPct, x.TempC, x.At = max(x.Eggs, 1), 50, 37.5, y.now
		done, err := y.Weigh.Record(ctx, by(y.m), id, x)
		return done.Said, err
	}
	water := func() weigh.Water {
		w, err := y.Weigh.Water(ctx, y.m, id)
		require.NoError(t, err)
		return w
	}
	for i, g := range []float64{60, 62, 58} {
		_, err := put(weigh.Weighing{Code: code[i], MassG: g})
		require.NoError(t, err)
	}
	_, err := put(weigh.Weighing{Code: "ZZZ9", MassG: 60})
	assert.ErrorContains(t, err, `has the code "ZZZ9"`)
	said, err := put(weigh.Weighing{Code: code[5], Cell: weigh.Cell{LossPct: 3, Drawn: true}})
	require.NoError(t, err)
	assert.Contains(t, said, "air cell of egg "+code[5]+" read, about 3 % lost")

	y.now = y.now.AddDate(0, 0, 9)
	for i, g := range []float64{60 * .94, 62 * .94, 58 * .89} { // the third loses twice as fast
		_, err := put(weigh.Weighing{Code: code[i], MassG: g, Sure: i == 2})
		require.NoError(t, err)
	}
	w := water()
	require.Len(t, w.Singles, 3)
	assert.Equal(t, code[2], w.Singles[0].Name, "the one that strays furthest stands first")
	assert.InDelta(t, 22, w.Singles[0].ProjectedPct, 1e-6)
	require.Len(t, w.Series, 1)
	assert.Equal(t, "3 eggs weighed one by one", w.Series[0].Name)
	assert.InDelta(t, 100*(60*.06+62*.06+58*.11)/180, w.Series[0].LossPct, 1e-6)
	assert.Contains(t, w.Series[0].Advice, "Raise from 50 to")

	said, err = put(weigh.Weighing{Code: code[5], Cell: weigh.Cell{LossPct: 9, Drawn: true}})
	require.NoError(t, err)
	assert.Contains(t, said, "by its air cell, egg "+code[5]+" loses water as it should")
	_, err = put(weigh.Weighing{Eggs: 6, Cell: weigh.Cell{DepthMM: 90}})
	assert.ErrorContains(t, err, "it may be 1 to 3")
	_, err = put(weigh.Weighing{Eggs: 6, Cell: weigh.Cell{DepthMM: 9}})
	require.NoError(t, err, "a ruler, held to one of them all")
	w = water()
	require.Len(t, w.Dark, 1)
	assert.Equal(t, candling.Loses, w.Dark[0].Water)
	assert.Equal(t, "Air cells by eye", w.Series[0].Name)
	assert.True(t, w.Series[0].Known, "one look is enough, since a fresh cell is known")
	y.now = y.now.AddDate(0, 0, 2)
	_, err = put(weigh.Weighing{Eggs: 6, Cell: weigh.Cell{DepthMM: 4}})
	assert.ErrorContains(t, err, "it only grows")

	box := must(y.Machines.List(ctx, y.m))[0].ID
	_, err = y.Weigh.LookedAgain(ctx, by(y.m), box, 50)
	assert.ErrorContains(t, err, "Nothing was changed in Cabinet lately")
	_, err = y.Weigh.Change(ctx, by(y.m), box, "a spell", 40)
	assert.ErrorContains(t, err, "Pick what you changed")
	for i, r := range []struct {
		what     string
		from, to float64
		minutes  int
	}{{"a sponge", 40, 60, 50}, {"opening the vents", 55, 50, 20}, {"a second sponge", 40, 49, 40}} {
		must(y.Weigh.Change(ctx, asked(y.m), box, r.what, r.from))
		assert.Empty(t, y.chores(chores.Humidity)[0].Late)
		y.now = y.now.Add(time.Duration(r.minutes) * time.Minute)
		if i == 1 {
			_, err = y.Weigh.Change(ctx, asked(y.m), box, "a sponge out", 50)
			assert.ErrorContains(t, err, "Opening the vents was 20 minutes ago, and nobody looked since: wait until 19:30, it "+
				"overshoots.")
		}
		read := must(y.Weigh.LookedAgain(ctx, by(y.m), box, r.to))
		assert.Equal(t, fmt.Sprintf("Cabinet: %s gave %+.0f points in %d min.", r.what, r.to-r.from, r.minutes), read.Said)
		must(y.Undo(ctx, by(y.m), read.Entry))
		assert.Len(t, y.chores(chores.Humidity), 1, "it is to be looked at again")
		must(y.Weigh.LookedAgain(ctx, by(y.m), box, r.to))
		assert.Empty(t, y.chores(chores.Humidity))
	}
	together := water().Series[1]
	assert.Equal(t, "3 eggs weighed one by one", together.Name)
	assert.Contains(t, together.How, "In Cabinet, a second sponge last time gave +9 points in 40 min")
	must(y.Incubate.ByWeight(ctx, by(y.m), id))
	assert.True(t, water().ByWeight())
}

// Two trays on a scale that sends its weights: each counts once, an odd one is
// asked about and taken when it comes again.
func TestHandsFree(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(10)
	_, err := y.Weigh.RenewScaleKey(ctx, by(y.m))
	require.NoError(t, err)
	p, err := y.Weigh.HandsFree(ctx, y.m, id, weigh.Run{OneByOne: true, TareG: 5, RHPct: 50, TempC: 37.5}, false)
	require.NoError(t, err)
	require.Len(t, p.Targets, 10)
	hear := func(h weigh.Run) weigh.ScalePage {
		t.Helper()
		p, err := y.Weigh.HandsFree(ctx, y.m, id, h, true)
		require.NoError(t, err)
		return p
	}
	assert.False(t, hear(p.Run).Heard, "nothing was sent yet")
	assert.ErrorIs(t, y.Weigh.RecordReading(ctx, "no key", 60, ""), farm.ErrNone)
	assert.ErrorContains(t, y.Weigh.RecordReading(ctx, p.Key, -3, ""), "it may be 0.1 to 200000")
	y.now = y.now.Add(time.Minute)
	require.NoError(t, y.Weigh.RecordReading(ctx, p.Key, 65, ""))
	first, again := hear(p.Run), hear(p.Run)
	assert.Equal(t, 1, first.Next)
	assert.Equal(t, first.Run, again.Run, "asked twice, the reading counts once")
	w, err := y.Weigh.Water(ctx, y.m, id)
	require.NoError(t, err)
	require.Len(t, w.Singles, 1)
	assert.InDelta(t, 60, w.Singles[0].Weighings[0].MassG, 1e-9, "without the tray")

	require.NoError(t, y.Weigh.RecordReading(ctx, p.Key, 7.1, ""))
	odd := hear(first.Run)
	assert.Contains(t, odd.Asks, "ounces?")
	assert.Equal(t, 1, odd.Next, "it is asked about, not kept")
	require.NoError(t, y.Weigh.RecordReading(ctx, p.Key, 7.1, ""))
	assert.Equal(t, 2, hear(odd.Run).Next, "put down again, so it is meant")
	h := p.Run
	h.Next = 99
	assert.Nil(t, hear(h).OnScale())
}
