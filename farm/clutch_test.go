package farm_test

import (
	"context"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/climate"
	"metrogon/core/outcome"
	"metrogon/core/reptile"
	"metrogon/farm"
	"metrogon/farm/candle"
	"metrogon/farm/chores"
	"metrogon/farm/clutch"
	"metrogon/farm/flock"
	"metrogon/farm/gauges"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/journal"
	"metrogon/farm/lineage"
	"metrogon/farm/moving"
	"metrogon/farm/outage"
	"metrogon/farm/stock"
	"metrogon/store/breeders"
)

// terrarium is a farm with a pair of leopard geckos and an incubator with shelves.
type terrarium struct {
	*yard
	pair, dam, sire, shelf int64
}

func newTerrarium(t *testing.T) *terrarium {
	y := newYard(t)
	g := &terrarium{yard: y, pair: y.pen("Opal × Flint", "leopard-gecko")}
	g.shelf = y.machine("Gecko shelf", "reptile-box", "leopard-gecko", 40, 0)
	for sex, name := range map[string]string{lineage.Female: "Opal", lineage.Male: "Flint"} {
		_, err := y.Flock.PutIn(y.Context(), by(y.m), flock.PutIn{
			PenID: g.pair, How: flock.Already, On: y.m.Date(start).AddDate(0, -3, 0),
			Bird: breeders.Bird{Name: name, Species: "leopard-gecko", Sex: sex},
		})
		require.NoError(t, err)
	}
	n, err := y.Clutches.New(y.Context(), y.m, "", y.m.Date(y.now))
	require.NoError(t, err)
	require.Len(t, n.Dams, 1)
	_, dam, _ := strings.Cut(n.Dams[0].Value, "-")
	g.dam, g.sire = number(dam), number(n.Sires[0].Value)
	return g
}

func number(s string) (n int64) {
	for _, c := range s {
		n = 10*n + int64(c-'0')
	}
	return n
}

// find is a clutch of two, found at dusk and put into a new box.
func (g *terrarium) find() clutch.Found {
	return clutch.Found{
		PenID: g.pair, DamID: g.dam, Sired: clutch.SiredOne, SireID: g.sire, LaidFrom: g.now.Add(-6 * time.Hour),
		LaidTo: g.now, Good: 2, Slugs: 1, Marked: true, MassG: new(6.0), Temp: clutch.Temp{C: 28},
		Box: clutch.NewBox{
			MachineID: g.shelf, Name: "Box 1", Kind: "closed", Substrate: "vermiculite", DryG: new(150.), WaterG: new(150.),
			Cols: 4, Rows: 3,
		},
	}
}

func (g *terrarium) found(f clutch.Found) int64 {
	g.Helper()
	done, err := g.Clutches.Found(g.Context(), by(g.m), f)
	require.NoError(g, err)
	return done.Of(journal.Batch)
}

func (g *terrarium) clutch(id int64) clutch.Page {
	g.Helper()
	p, err := g.Clutches.Clutch(g.Context(), g.m, id)
	require.NoError(g, err)
	return p
}

func (p eggsOf) ids() (ids []int64) {
	for _, e := range p.Lying {
		ids = append(ids, e.ID)
	}
	return ids
}

type eggsOf struct{ clutch.Page }

func TestAClutchFromFindToYoung(t *testing.T) {
	g := newTerrarium(t)
	ctx := g.Context()
	id := g.found(g.find())
	p := g.clutch(id)
	assert.Equal(t, "2027-04-27", p.Hatch().At.Format("2006-01-02"), "57 days at 28 °C from the middle of the span")
	assert.Equal(t, [3]any{"Opal", "Flint", 1}, [3]any{p.Dam, p.Sire, p.Number})
	assert.InDelta(t, 92, p.Forecast.Sex.FemalePct, 1e-6)
	assert.InDelta(t, 0, p.Hatch().At.Sub(p.Forecast.HatchAt).Seconds(), 2, "one date, worked out in one place")
	assert.Equal(t, 1, p.Clutch.Slugs)
	ids := eggsOf{p}.ids()
	require.Len(t, ids, 2)

	assert.Empty(t, g.room().Gatherings, "the egg room knows nothing of it")

	// The box is weighed as it stands, and again after a week: what it lost is given back.
	box := p.Box.ID
	weigh := func(mass, gave float64) {
		t.Helper()
		_, err := g.Clutches.Weigh(ctx, by(g.m), box, clutch.Weighing{MassG: mass, GaveG: gave})
		require.NoError(t, err)
	}
	g.now = g.now.Add(14 * time.Hour)
	require.Len(t, g.chores(chores.WeighBox), 1)
	weigh(420, 0)
	assert.Empty(t, g.chores(chores.WeighBox))
	g.now = start.AddDate(0, 0, 8)
	require.Len(t, g.chores(chores.WeighBox), 1)
	weigh(408, 0)
	assert.InDelta(t, 12, g.clutch(id).Box.Water.GiveG, 1e-6)
	weigh(408, 12)
	assert.Zero(t, g.clutch(id).Box.Water.GiveG)

	// A cold week in between moves the date, and not the sex before its third has begun.
	before := g.clutch(id).Forecast
	done, err := g.Clutches.SetTemp(ctx, by(g.m), id, clutch.Warming{
		Temp: clutch.Temp{C: 26}, From: start.AddDate(0, 0, 1), Until: start.AddDate(0, 0, 8),
	})
	require.NoError(t, err)
	cold := g.clutch(id)
	late := cold.Forecast.HatchAt.Sub(before.HatchAt).Hours() / 24
	assert.InDelta(t, 7*(1-57./70), late, 0.02, "a week at 26 °C is 57/70 of one at 28")
	assert.InDelta(t, 0, cold.Hatch().At.Sub(cold.Forecast.HatchAt).Seconds(), 2)
	assert.InDelta(t, before.Sex.FemalePct, cold.Forecast.Sex.FemalePct, 1e-6)
	_, err = g.Undo(ctx, by(g.m), done.Entry)
	require.NoError(t, err)
	back := g.clutch(id).Forecast.HatchAt
	assert.InDelta(t, 0, back.Sub(before.HatchAt).Seconds(), 2, "taken back, it is as it was")

	// Looked at after ten days, with light from the side.
	g.now = start.AddDate(0, 0, 10)
	_, err = g.Clutches.Look(ctx, by(g.m), id, clutch.Look{Eggs: ids[:1], Signs: []reptile.Sign{reptile.Veins}})
	require.NoError(t, err)
	_, err = g.Clutches.Look(ctx, by(g.m), id, clutch.Look{Eggs: ids[1:], Signs: []reptile.Sign{reptile.Dented}})
	require.NoError(t, err)
	_, err = g.Clutches.Look(ctx, by(g.m), id, clutch.Look{
		Eggs: ids[1:], Signs: []reptile.Sign{reptile.Mouldy}, TakeOut: true,
	})
	assert.ErrorContains(t, err, "none is lost")
	assert.Equal(t, 1, g.clutch(id).Examined, "a dent tells nothing of life")

	// The eggs have taken water up.
	g.now = start.AddDate(0, 0, 30)
	_, err = g.Clutches.WeighEggs(ctx, by(g.m), id, 2, 7.8, time.Time{})
	require.NoError(t, err)
	masses := g.clutch(id).Masses
	require.Len(t, masses, 2)
	assert.InDelta(t, 1.3, masses[1].Share, 1e-9)
	assert.Equal(t, "As is usual.", masses[1].Says)

	// Nothing is opened, whatever they ask, and nobody hatches so early unasked.
	_, err = g.Clutches.Open(ctx, by(g.m), id, clutch.Opened{Eggs: ids[:1], Stage: candling.Late})
	assert.ErrorContains(t, err, "late ones keep weeks")
	_, err = g.Clutches.Pip(ctx, asked(g.m), id, ids[:1], time.Time{})
	assert.ErrorContains(t, err, "The first are expected from")

	// One pips, rests, is out; its sister days later.
	g.now = start.AddDate(0, 0, 56)
	_, err = g.Clutches.Pip(ctx, by(g.m), id, ids[:1], time.Time{})
	require.NoError(t, err)
	_, err = g.Clutches.Pip(ctx, by(g.m), id, ids[:1], time.Time{})
	assert.ErrorContains(t, err, "already")
	require.Len(t, g.chores(chores.ClutchHatch), 1)
	g.now = start.AddDate(0, 0, 58)
	_, err = g.Clutches.Out(ctx, by(g.m), id, ids[:1], false, time.Time{})
	require.NoError(t, err)
	young := g.clutch(id).Young
	require.Len(t, young, 1)
	h := young[0]
	left, shed := g.now.AddDate(0, 0, 1), g.m.Date(g.now.AddDate(0, 0, 2))
	g.now = g.now.AddDate(0, 0, 3)
	h.LeftAt, h.WeightG, h.Sex, h.ShedOn = &left, new(2.9), lineage.Female, &shed
	_, err = g.Clutches.Hatchling(ctx, by(g.m), id, h)
	require.NoError(t, err)
	p = g.clutch(id)
	assert.Equal(t, [3]int{1, 1, 0}, [3]int{p.Hatched, p.Alive, p.Unhatched})
	assert.InDelta(t, 2.9, *p.Young[0].WeightG, 1e-9)

	// The other never came. Two weeks after the span it is looked into.
	g.now = p.At(calendar.ClearOut).Add(time.Hour)
	require.Len(t, g.chores(chores.ClutchRest), 1)
	_, err = g.Clutches.Open(ctx, by(g.m), id, clutch.Opened{
		Eggs: ids[1:], Stage: candling.Middle, Cause: reptile.TooDry,
	})
	require.NoError(t, err)
	p = g.clutch(id)
	assert.Equal(t, string(reptile.TooDry), p.Lying[1].Cause)
	require.Len(t, g.chores(chores.CloseClutch), 1)
	_, err = g.Hatch.Close(ctx, by(g.m), id, time.Time{})
	require.NoError(t, err)
	assert.Empty(t, g.chores(chores.CloseClutch, chores.WeighBox, chores.ClutchHatch))
	list, err := g.Clutches.List(ctx, g.m, 0)
	require.NoError(t, err)
	require.Len(t, list.Closed, 1)
	assert.Equal(t, "Opal", list.Closed[0].Dam)
}

func TestSeveralClutchesInABox(t *testing.T) {
	g := newTerrarium(t)
	first := g.found(g.find())
	g.now = g.now.AddDate(0, 0, 16)
	f := g.find()
	f.BoxID, f.Good, f.Stuck = g.clutch(first).Box.ID, 3, []int{2}
	second := g.found(f)
	p := g.clutch(second)
	assert.Equal(t, 2, p.Number, "her second of this season")
	require.Len(t, p.Beside, 1)
	assert.Len(t, p.Lying, 5, "in one box")
	stuck := 0
	for _, e := range p.Lying {
		stuck += farm.OneIf(e.Stuck > 0)
	}
	assert.Equal(t, 2, stuck)
	require.NotNil(t, p.Next)
	assert.Zero(t, p.Next.Own, "one interval tells no spread")
	assert.Equal(t, 14, int(p.Next.From.Sub(p.Clutch.LaidTo).Hours()/24), "as is usual for the kind")
	g.now = g.now.AddDate(0, 0, 18)
	f.BoxID, f.Good, f.Stuck = g.clutch(first).Box.ID, 2, nil
	f.LaidFrom, f.LaidTo = g.now, g.now
	third := g.clutch(g.found(f))
	assert.Equal(t, 3, third.Number)
	assert.Equal(t, 2, third.Next.Own, "by her own two")

	f.Good = 6
	_, err := g.Clutches.Found(g.Context(), by(g.m), f)
	assert.ErrorContains(t, err, "has no room for 6 eggs")
	f.BoxID, f.Box.Name = 0, "box 1"
	_, err = g.Clutches.Found(g.Context(), by(g.m), f)
	assert.ErrorContains(t, err, "There is a box of that name")
}

func TestAClutchIsTakenBack(t *testing.T) {
	g := newTerrarium(t)
	done, err := g.Clutches.Found(g.Context(), by(g.m), g.find())
	require.NoError(t, err)
	_, err = g.Undo(g.Context(), by(g.m), done.Entry)
	require.NoError(t, err)
	_, err = g.Clutches.Clutch(g.Context(), g.m, done.Of(journal.Batch))
	assert.ErrorIs(t, err, farm.ErrNone)
	assert.Zero(t, g.inStore(), "its eggs were never in store")
	list, err := g.Clutches.List(g.Context(), g.m, 0)
	require.NoError(t, err)
	assert.Empty(t, list.Shelves)
	g.found(g.find()) // and is told again
}

func TestReadingsTellHowWarmAClutchWas(t *testing.T) {
	g := newTerrarium(t)
	ctx := g.Context()
	_, err := g.Gauges.Save(ctx, by(g.m), gauges.Instrument{Name: "Slim", Thermo: true, MachineID: &g.shelf}, g.now)
	require.NoError(t, err)
	page, err := g.Gauges.All(ctx, g.m)
	require.NoError(t, err)
	slim := page.Gauges[0].ID
	id := g.found(g.find())
	for day := range 11 { // 26 °C is read, though it is set to 28
		g.now = start.AddDate(0, 0, day)
		_, err := g.Gauges.TakeReading(ctx, by(g.m), g.shelf, gauges.Reading{
			InstrumentID: slim, At: g.now, TempC: new(26.),
		})
		require.NoError(t, err)
	}
	p := g.clutch(id)
	assert.GreaterOrEqual(t, p.Warmth.Probed, 230)
	// 10 of 70 days, and six hours at 28 before the first reading, told or not.
	assert.InDelta(t, 10./70, p.Forecast.Grown, 0.005)
	assert.InDelta(t, 0, p.Hatch().At.Sub(p.Forecast.HatchAt).Hours(), 0.5, "it moved the date on all pages")
	assert.Equal(t, p.Warmth.Sure.ToldC, 1.0, "nobody checked it")
}

func TestTheBoxGoesToAnotherShelf(t *testing.T) {
	g := newTerrarium(t)
	ctx := g.Context()
	id := g.found(g.find())
	other := g.machine("Warm shelf", "reptile-box", "leopard-gecko", 40, 0)
	_, err := g.Moving.Move(ctx, by(g.m), id, moving.Moving{Which: moving.Which{All: true}, To: other})
	assert.ErrorContains(t, err, "the box may go")
	g.now = g.now.AddDate(0, 0, 3)
	done, err := g.Clutches.Move(ctx, by(g.m), g.clutch(id).Box.ID, other)
	require.NoError(t, err)
	assert.Equal(t, other, g.clutch(id).SetterID)
	_, err = g.Undo(ctx, by(g.m), done.Entry)
	require.NoError(t, err)
	assert.Equal(t, g.shelf, g.clutch(id).SetterID)
}

func TestAColdWeekOfAShelfIsOfThoseThatLayThere(t *testing.T) {
	g := newTerrarium(t)
	first := g.found(g.find())
	g.now = g.now.AddDate(0, 0, 10)
	f := g.find()
	f.Box.Name, f.LaidFrom = "Box 2", g.now
	second := g.found(f)
	due := func(id int64) time.Time { return g.clutch(id).Forecast.HatchAt }
	was := [2]time.Time{due(first), due(second)}
	_, err := g.Clutches.SetTemp(g.Context(), by(g.m), first, clutch.Warming{
		Temp: clutch.Temp{C: 26}, From: start.AddDate(0, 0, 1), Until: start.AddDate(0, 0, 8), All: true,
	})
	require.NoError(t, err)
	assert.InDelta(t, 1.3, due(first).Sub(was[0]).Hours()/24, 0.02)
	assert.InDelta(t, 0, due(second).Sub(was[1]).Seconds(), 2, "laid two days after it was over")
	_, err = g.Clutches.SetTemp(g.Context(), by(g.m), first, clutch.Warming{
		Temp: clutch.Temp{C: 26}, Until: start.AddDate(70, 0, 0),
	})
	assert.ErrorContains(t, err, "more than a year ahead")
}

func TestSteeringIsPlannedAndAskedFor(t *testing.T) {
	g := newTerrarium(t)
	ctx := g.Context()
	id := g.found(g.find())
	p := g.clutch(id)
	require.NotEmpty(t, p.Steering)
	steps := p.Steering[0]
	require.Equal(t, reptile.Females, steps.Goal)
	_, err := g.Clutches.Plan(
		ctx, by(g.m), id, clutch.Temp{C: steps.WindowC}, steps.Until, clutch.Temp{C: steps.LaterC},
	)
	require.NoError(t, err)
	after := g.clutch(id)
	assert.InDelta(t, steps.Forecast.Sex.FemalePct, after.Forecast.Sex.FemalePct, 0.5)
	assert.InDelta(t, 0, steps.Forecast.HatchAt.Sub(after.Forecast.HatchAt).Hours(), 1)
	g.now = steps.Until
	due := g.chores(chores.SetWarmth)
	require.Len(t, due, 1)
	_, err = g.Clutches.TickOff(ctx, by(g.m), id, chores.SetWarmth, due[0].Day)
	require.NoError(t, err)
	assert.Empty(t, g.chores(chores.SetWarmth))
}

func TestWhatCannotBeOfAClutch(t *testing.T) {
	g := newTerrarium(t)
	ctx := g.Context()
	hens := g.pen("Barred", "chicken")
	cabinet := g.machine("Cabinet", "cabinet", "chicken", 60, 60)
	for says, change := range map[string]func(f *clutch.Found){
		"Pick the female, or the pen":             func(f *clutch.Found) { f.PenID = hens },
		"Pick the female that laid":               func(f *clutch.Found) { f.DamID = g.sire },
		"Pick a male":                             func(f *clutch.Found) { f.SireID = g.dam },
		"unknown is an answer":                    func(f *clutch.Found) { f.Sired = "" },
		"has not come yet":                        func(f *clutch.Found) { f.LaidTo = g.now.Add(time.Hour) },
		"more than two weeks":                     func(f *clutch.Found) { f.LaidFrom = g.now.AddDate(0, 0, -20) },
		"earliest comes after":                    func(f *clutch.Found) { f.LaidFrom = g.now.Add(time.Minute) },
		"The number of good eggs is 0":            func(f *clutch.Found) { f.Good, f.Slugs = 0, 0 },
		"More eggs stick together":                func(f *clutch.Found) { f.Stuck = []int{3} },
		"The temperature is 400":                  func(f *clutch.Found) { f.Temp.C = 400 },
		"Pick the incubator":                      func(f *clutch.Found) { f.Box.MachineID = cabinet },
		"Pick what they lie in":                   func(f *clutch.Found) { f.Box.Substrate = "porridge" },
		"The number of places across is 0":        func(f *clutch.Found) { f.Box.Cols = 0 },
		"1 × 1 places are too few":                func(f *clutch.Found) { f.Box.Cols, f.Box.Rows = 1, 1 },
		"33.9 °C? Leopard gecko eggs are kept at": func(f *clutch.Found) { f.Temp.C = 33.9 },
		"embryos of leopard gecko are deformed":   func(f *clutch.Found) { f.Temp.C = 35 },
		"30 eggs? Leopard gecko clutches are of": func(f *clutch.Found) {
			f.Good, f.Box.Cols, f.Box.Rows, f.Slugs = 30, 8, 8, 0
		},
	} {
		f := g.find()
		change(&f)
		_, err := g.Clutches.Found(ctx, asked(g.m), f)
		assert.ErrorContains(t, err, says)
	}
	_, err := g.Incubate.Set(ctx, by(g.m), incubate.Setting{Species: "leopard-gecko", SetterID: g.shelf, SetAt: g.now})
	assert.ErrorContains(t, err, "under Clutches")
	_, err = g.Stock.Collect(ctx, by(g.m), stock.Collected{PenID: g.pair, LaidOn: day(0), Eggs: 2})
	assert.ErrorContains(t, err, "under Clutches")
	id := g.found(g.find())
	_, err = g.Clutches.Clutch(ctx, g.settle("Elsewhere", "eve@elsewhere.example"), id)
	assert.ErrorIs(t, err, farm.ErrNone)
}

func TestTheCoolRestIsPlanned(t *testing.T) {
	g := newTerrarium(t)
	pen := g.pen("Vivid", "panther-chameleon")
	f := g.find()
	f.PenID, f.DamID, f.Sired, f.SireID, f.Good, f.MassG = pen, 0, clutch.SiredStored, 0, 12, nil
	f.Temp.C, f.Rest = 25, true
	id := g.found(f)
	p := g.clutch(id)
	assert.Equal(t, "stored sperm", p.Sire)
	assert.InDelta(t, 45, p.Forecast.Rested, 0.1)
	// 45 of 224.5 days at 25 °C, 45 of rest, the rest at 26.
	days := calendar.Elapsed(p.SetAt, p.Forecast.HatchAt)
	assert.InDelta(t, 45+45+210*(1-45/224.5), days, 0.5)
	g.now = p.SetAt.AddDate(0, 0, 45)
	due := g.chores(chores.SetWarmth)
	require.Len(t, due, 1)
	assert.Equal(t, "Gecko shelf to 18 °C", due[0].Title)
	_, err := g.Clutches.SetTemp(g.Context(), by(g.m), id, clutch.Warming{Temp: clutch.Temp{C: 18}})
	assert.ErrorContains(t, err, "nothing develops")
}

// What is never to be said of a reptile's eggs while they are in their box.
var never = regexp.MustCompile(
	`(?i)\bturn(s|ed|ing)?\b|lockdown|rotat|\bstor(e|age)\b|\bopen (it|them|the egg)|break.?out|\bhen\b`)

func TestNoChoreOfAClutchSpeaksOfBirds(t *testing.T) {
	g := newTerrarium(t)
	ctx := context.WithoutCancel(g.Context())
	f := g.find()
	f.Rest = true
	id := g.found(f)
	kinds := map[string]bool{}
	for day := range 90 {
		g.now = start.AddDate(0, 0, day)
		today, err := g.Today.Page(ctx, g.m)
		require.NoError(t, err)
		for _, c := range append(today.Due, today.Soon...) {
			kinds[c.Kind] = true
			for _, text := range []string{c.Title, c.Reason, c.Why, c.How()} {
				assert.NotRegexp(t, never, text, "%s on day %d", c.Kind, day)
			}
		}
		if day == 56 {
			p := g.clutch(id)
			_, err := g.Clutches.Pip(ctx, by(g.m), id, []int64{p.Lying[0].ID}, time.Time{})
			require.NoError(t, err)
		}
	}
	for _, kind := range []string{chores.LookAtClutch, chores.WeighBox, chores.ClutchHatch, chores.ClutchRest} {
		assert.True(t, kinds[kind], "%s was never due", kind)
	}
}

// Alarms of a reptiles' box go by what its eggs bear, never by what hens' want; they speak of no turning and no
// lockdown.
func TestAReptilesAlarmsAreItsKinds(t *testing.T) {
	g := newTerrarium(t)
	ctx := g.Context()
	must(g.Alarms.StartWithUsual(ctx, by(g.m)))
	page := must(g.Alarms.Page(ctx, g.m))
	for _, a := range page.Alarms {
		assert.Contains(t, []string{"kind", "falls", "silent"}, a.What)
	}
	assert.False(t, page.Birds)
	id := g.found(g.find())
	s := &shed{yard: g.yard}
	_, sender := s.probe("Shelf", g.shelf)
	ringing := func() (all []string) {
		for _, r := range must(g.Alarms.Page(ctx, g.m)).Rings {
			if r.EndedAt == nil && r.Alarm.What == "kind" {
				all = append(all, r.Level)
			}
		}
		return all
	}
	warm := func(hours float64, temp float64) {
		for range int(hours * 12) {
			g.now = g.now.Add(5 * time.Minute)
			s.tells(sender, g.now, temp)
		}
		require.NoError(t, g.Alarms.SearchNow(ctx))
	}
	warm(30, 31)
	assert.Empty(t, ringing(), "31 °C is what they like")
	warm(1.5, 35)
	assert.Equal(t, []string{reptile.HotLevel}, ringing(), "35 is no cool")
	warm(0.5, 37)
	assert.ElementsMatch(t, []string{reptile.HotLevel, reptile.AtOnceLevel}, ringing())
	warm(2, 28)
	assert.Empty(t, ringing())
	warm(25, 22)
	require.Equal(t, []string{reptile.SlowLevel}, ringing())
	ring := must(g.Alarms.Page(ctx, g.m)).Rings[0]
	assert.Contains(t, ring.Tells(g.m, g.now), "growth is slow, nothing dies")
	require.NoError(t, g.Alarms.LookNow(ctx))
	assert.Equal(t, []string{reptile.SlowLevel}, ringing(), "a quick look does not end what it does not look at")
	assert.NotZero(t, id)
}

// An alarm for each machine that was meant for hens' eggs leaves a reptiles' box alone.
func TestAHensAlarmLeavesGeckosAlone(t *testing.T) {
	g := newTerrarium(t)
	ctx := g.Context()
	g.machine("Cabinet", "all-in-one", "chicken", 40, 40)
	must(g.Alarms.StartWithUsual(ctx, by(g.m)))
	g.found(g.find())
	s := &shed{yard: g.yard}
	_, sender := s.probe("Shelf", g.shelf)
	for range 24 {
		g.now = g.now.Add(5 * time.Minute)
		s.tells(sender, g.now, 28)
	}
	require.NoError(t, g.Alarms.SearchNow(ctx))
	assert.Empty(t, must(g.Alarms.Page(ctx, g.m)).Rings, "28 °C is too cool for a hen's egg")
}

// The power is away from a reptiles' shelf: it is written down as any, and the clutch comes later by what did not grow.
func TestAPowerCutOfAReptilesShelf(t *testing.T) {
	g := newTerrarium(t)
	ctx := g.Context()
	id := g.found(g.find())
	g.now = g.now.AddDate(0, 0, 20)
	before := g.clutch(id).Forecast
	list := must(g.Outage.All(ctx, g.m))
	require.Len(t, list.Machines, 1)
	done := must(g.Outage.Begin(ctx, by(g.m), outage.Cut{
		From: g.now.Add(-18 * time.Hour), To: g.now, RoomC: 17, Boxes: map[int64]climate.Box{g.shelf: climate.Foam},
	}))
	one := must(g.Outage.One(ctx, g.m, must(g.Outage.All(ctx, g.m)).Cuts[0].ID))
	require.Len(t, one.Batches, 1)
	c := one.Batches[0]
	assert.InDelta(t, 17, c.LowestC, 0.1)
	assert.Equal(t, climate.LowRisk, c.Risk)
	assert.Greater(t, c.DelayH, 12.)
	for _, do := range c.Do() {
		assert.NotContains(t, do, "candle")
	}
	_, looked := c.Look()
	assert.False(t, looked)
	after := g.clutch(id).Forecast
	late := after.HatchAt.Sub(before.HatchAt).Hours()
	assert.Greater(t, late, 2., "its forecast knows of it")
	assert.Less(t, late, 20.)
	assert.InDelta(t, 0, g.clutch(id).Hatch().At.Sub(after.HatchAt).Minutes(), 1, "one date")
	must(g.Undo(ctx, by(g.m), done.Entry))
	assert.InDelta(t, 0, g.clutch(id).Forecast.HatchAt.Sub(before.HatchAt).Minutes(), 1)
}

// Of males only those of her kind are offered that were with her on the day, and no other is taken.
func TestASireIsOfHerKindAndDay(t *testing.T) {
	g := newTerrarium(t)
	snakes := g.pen("Umber × Slate", "corn-snake")
	for sex, name := range map[string]string{lineage.Female: "Umber", lineage.Male: "Slate"} {
		must(g.Flock.PutIn(g.Context(), by(g.m), flock.PutIn{
			PenID: snakes, How: flock.Already, On: g.m.Date(start).AddDate(0, -1, 0),
			Bird: breeders.Bird{Name: name, Species: "corn-snake", Sex: sex},
		}))
	}
	names := func(dam string, on time.Time) (all []string) {
		for _, p := range must(g.Clutches.New(g.Context(), g.m, dam, on)).Sires {
			all = append(all, p.Label)
		}
		return all
	}
	snake := must(g.Clutches.New(g.Context(), g.m, "", g.m.Date(start))).Dams[1].Value
	assert.Equal(t, []string{"Flint"}, names("", g.m.Date(start)))
	assert.Equal(t, []string{"Slate"}, names(snake, g.m.Date(start)))
	assert.Empty(t, names(snake, g.m.Date(start).AddDate(0, -2, 0)), "he came later")
	f := g.find()
	pen, dam, _ := strings.Cut(snake, "-")
	f.PenID, f.DamID = number(pen), number(dam)
	_, err := g.Clutches.Found(g.Context(), by(g.m), f)
	assert.ErrorContains(t, err, "Pick a male of her kind, or say that nobody knows.")
}

// A clutch of slugs alone goes into no box, is over at once, and counts in her record.
func TestAClutchOfSlugsIsEntered(t *testing.T) {
	g := newTerrarium(t)
	f := g.find()
	f.Good, f.Slugs, f.MassG = 0, 0, nil
	_, err := g.Clutches.Found(g.Context(), by(g.m), f)
	assert.ErrorContains(t, err, "The number of good eggs")
	f.Slugs = 2
	done := must(g.Clutches.Found(g.Context(), by(g.m), f))
	assert.Equal(t, "2 slugs of Opal: none was good.", done.Said)
	rates := must(g.Clutches.Rates(g.Context(), g.m))
	require.Len(t, rates.Kinds, 1)
	assert.Equal(t, 2, rates.Kinds[0].Groups[0].Rows[0].Laid)
	list := must(g.Clutches.List(g.Context(), g.m, 0))
	require.Len(t, list.Closed, 1)
	page := must(g.Clutches.Clutch(g.Context(), g.m, list.Closed[0].ID))
	assert.Equal(t, "Opal", page.Dam)
	must(g.Undo(g.Context(), by(g.m), done.Entry))
	assert.Empty(t, must(g.Clutches.Rates(g.Context(), g.m)).Kinds)
}

// An egg to which others stick is not taken out without a question.
func TestStuckEggsAreAskedAbout(t *testing.T) {
	g := newTerrarium(t)
	f := g.find()
	f.Good, f.Stuck, f.MassG = 4, []int{3}, nil
	id := g.found(f)
	g.now = g.now.AddDate(0, 0, 20)
	eggs := must(g.Clutches.Clutch(g.Context(), g.m, id)).Lying
	out := hatch.Ending{Eggs: []int64{eggs[0].Egg.ID}, Fate: outcome.Removed, Stage: "bad"}
	_, err := g.Hatch.End(g.Context(), asked(g.m), id, out)
	assert.ErrorContains(t, err, "2 eggs stick to what you take out")
	call := candle.Calling{Call: candling.Bad, Eggs: out.Eggs, TakeOut: true}
	_, err = g.Candle.Candle(g.Context(), asked(g.m), id, call)
	assert.ErrorContains(t, err, "2 eggs stick to what you take out")
	out.Eggs = []int64{eggs[3].Egg.ID}
	_, err = g.Hatch.End(g.Context(), asked(g.m), id, out)
	assert.NoError(t, err, "it lies by itself")
	out.Eggs = []int64{eggs[0].Egg.ID}
	must(g.Hatch.End(g.Context(), by(g.m), id, out))
}
