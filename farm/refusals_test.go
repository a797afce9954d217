package farm_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/candling"
	"metrogon/core/method"
	"metrogon/core/reptile"
	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/alarms"
	advice "metrogon/farm/breeders"
	"metrogon/farm/brood"
	"metrogon/farm/candle"
	"metrogon/farm/clutch"
	"metrogon/farm/flock"
	"metrogon/farm/gauges"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/journal"
	"metrogon/farm/kinds"
	"metrogon/farm/lineage"
	"metrogon/farm/machines"
	"metrogon/farm/notes"
	"metrogon/farm/outage"
	"metrogon/farm/people"
	"metrogon/farm/remind"
	"metrogon/farm/season"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	"metrogon/farm/weigh"
	"metrogon/store"
	"metrogon/store/breeders"
	probesrows "metrogon/store/probes"
	seasonrows "metrogon/store/season"
	stockrows "metrogon/store/stock"
)

// err is of what an act came to.
func err[T any](_ T, err error) error { return err }

// refused are acts that a farm does not take, each with what it says; none says farm.ErrNone: it is nobody's.
type refused map[string]struct {
	err  error
	says string
}

func (all refused) on(t *testing.T) {
	t.Helper()
	for act, r := range all {
		if r.says == "" {
			assert.ErrorIs(t, r.err, farm.ErrNone, act)
			continue
		}
		assert.ErrorContains(t, r.err, r.says, act)
		_, typed := farm.AsProblems(r.err)
		assert.True(t, typed, "%s: what was typed is no failure of the machine", act)
	}
}

// nobody is an id that no farm has.
const nobody = 9999

// What cannot be is said at its field, and nothing comes of it.
func TestRefusedOfABirdFarm(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	batch := y.incubating(10)
	pen, box := y.batch(batch).Pens[0].ID, y.batch(batch).SetterID
	quail := y.pen("Dusk", "quail")
	bird := breeders.Bird{Name: "Brann", Species: "chicken", Sex: lineage.Male}
	must(y.Flock.PutIn(ctx, by(y.m), flock.PutIn{PenID: pen, Bird: bird, On: day(1), How: flock.Already}))
	brann := must(y.Flock.Birds(ctx, y.m))[0].ID
	lost := gauges.Instrument{Name: "Brass", Thermo: true, MachineID: new(int64(nobody))}
	shelf := gauges.Instrument{Name: "Shelf probe", Thermo: true}
	gauge := must(y.Gauges.Save(ctx, by(y.m), shelf, time.Time{})).Of(journal.Gauge)
	must(y.Days.SaveBrooder(ctx, by(y.m), seasonrows.Brooder{Name: "Loft", Places: 20}))
	mine := must(y.Days.Binds(ctx, y.m)).Brooders[0].ID
	alarm := func(a alarms.Alarm) error { return err(y.Alarms.Save(ctx, by(y.m), a)) }
	machine := func(x snapshot.Machine, rooms ...snapshot.Room) error {
		return err(y.Machines.SaveMachine(ctx, by(y.m), x, rooms))
	}
	setter := func(with *machines.Hatcher) error {
		x := snapshot.Machine{Name: "Box", Kind: "cabinet"}
		return err(y.Machines.NameMachine(ctx, by(y.m), x, []snapshot.Room{{Species: "duck", Setting: 9}}, with))
	}
	set := func(kind string, pen int64, at time.Time) error {
		return err(y.Incubate.Set(ctx, by(y.m), incubate.Setting{
			Species: kind, SetterID: box, SetAt: at, Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 1}},
		}))
	}
	must(y.Season.SaveOrder(ctx, by(y.m), seasonrows.Order{
		Who: "Wilma Aske", What: ahead.YoungOrder, Species: "chicken", Count: 5, SurePct: 80,
		FromOn: day(-40), ToOn: day(-50),
	}))
	_, _, whatIf := y.Season.Ask(ctx, by(y.m), 1, &season.WhatIf{Kind: season.IfAway, From: day(-9), To: day(-3)})
	promised := must(y.Season.Promises(ctx, y.m)).Open
	done := promised[0].ID
	must(y.Season.Deliver(ctx, by(y.m), done, 5, true))
	chicks := brood.Bought{Species: "chicken", Heads: 2, BrooderID: mine}
	empty := must(y.Brood.Buy(ctx, by(y.m), chicks)).Of(journal.Brood)
	must(y.Brood.Leave(ctx, by(y.m), empty, brood.Leaving{Heads: 2, Why: "died"}))
	lostTray := store.Tray{ID: nobody, MachineID: box, Name: "Top", TrayRows: 6, TrayColumns: 6}
	lostBird := breeders.Bird{ID: nobody, Name: "Elke", Species: "chicken", Sex: lineage.Female}
	hens := snapshot.Room{Species: "chicken", Setting: 10, Hatching: 10}
	order := func(o seasonrows.Order) error {
		if o.Species == "" {
			o.Species = "chicken"
		}
		o.Who, o.Count, o.SurePct, o.FromOn, o.ToOn = "Wilma Aske", 5, 80, day(-40), day(-50)
		return err(y.Season.SaveOrder(ctx, by(y.m), o))
	}
	feed := func(f remind.Feed) error {
		_, _, err := y.Remind.MakeFeed(ctx, by(y.m), f, true)
		return err
	}
	pens := func(all ...snapshot.Pen) error { return err(y.Flock.NamePens(ctx, by(y.m), all)) }
	cut := func(c outage.Cut) error { return err(y.Outage.Begin(ctx, by(y.m), c)) }
	reading := func(at time.Time) error {
		return err(y.Gauges.TakeReading(ctx, by(y.m), box, gauges.Reading{TempC: new(37.5), At: at}))
	}
	ended := day(20)
	taps := must(y.Hatch.Apply(ctx, by(y.m), box, []hatch.Tap{
		{Key: key(), Kind: "pip", Batch: batch, Ago: 3 * 24 * 60}, {Key: key(), Kind: "pip", Batch: batch, Ago: -1},
		{Key: key(), Kind: "tell", Batch: batch, Pen: quail, N: 1},
	}))
	assert.Contains(t, taps[0].Says, "0 to 48 hours ago")
	assert.Contains(t, taps[1].Says, "0 to 48 hours ago")
	assert.False(t, taps[2].Done, "no egg of that pen lies there")
	decided := func(pen int64) error {
		_, err := y.Breeders.Decide(ctx, y.m, pen, advice.Order{}, 0)
		return err
	}
	_, _, unplaced := y.Stock.StoragePlace(ctx, y.m, nobody)

	refused{
		"an alarm nobody has": {err(y.Alarms.End(ctx, by(y.m), nobody)), ""},
		"an alarm for nothing": {
			alarm(alarms.Alarm{What: "smoke", Phase: alarms.Any, DelayMin: 5}),
			"Pick what it rings for",
		},
		"an alarm of a fall too wide": {
			alarm(alarms.Alarm{What: "falls", Phase: alarms.Any, DelayMin: 5, Bound: 11}),
			"It falls by",
		},

		"a pen nobody has": {decided(nobody), ""},
		"selling below swapping": {
			err(y.Breeders.SetThresholds(ctx, by(y.m), breeders.Thresholds{SellPct: 60, SwapPct: 60})),
			"A male goes below",
		},
		"young into no brooder": {
			err(y.Brood.Buy(ctx, by(y.m), brood.Bought{Species: "chicken", Heads: 2, BrooderID: nobody})),
			"brooder",
		},
		"young of no kind": {
			err(y.Brood.Buy(ctx, by(y.m), brood.Bought{Species: "dragon", Heads: 2, BrooderID: mine})),
			"kind",
		},
		"a bird in two ways": {
			err(y.Flock.PutIn(ctx, by(y.m), flock.PutIn{PenID: pen, Bird: breeders.Bird{ID: brann}, On: day(0), How: "above"})),
			"instead of another",
		},
		"a bird that turns quail": {
			err(y.Flock.SaveBird(ctx, by(y.m), breeders.Bird{ID: brann, Name: "Brann", Species: "quail", Sex: lineage.Male})),
			"its kind stays",
		},
		"no pens at all": {pens(), "at least one pen"},
		"two pens, one of no kind": {
			pens(
				snapshot.Pen{Name: "Elm", Species: "quail", FromOn: day(9)},
				snapshot.Pen{Name: "Ash", Species: "dragon", FromOn: day(9)},
			),
			"Ash: ",
		},
		"hens that turn quail": {
			err(y.Flock.SavePen(ctx, by(y.m), snapshot.Pen{ID: pen, Name: "Barred", Species: "quail", FromOn: day(99)})),
			"has eggs on record",
		},
		"a pen that ended before": {
			pens(snapshot.Pen{Name: "Elm", Species: "quail", FromOn: day(9), UntilOn: &ended}),
			"comes before its first",
		},
		"an instrument nobody has": {
			err(y.Gauges.Lies(ctx, by(y.m), nobody, "spot", "attic", time.Time{})),
			"",
		},
		"an instrument of nothing": {
			err(y.Gauges.Save(ctx, by(y.m), gauges.Instrument{Name: "Brass"}, time.Time{})),
			"Tick what it shows",
		},
		"an instrument in no machine": {
			err(y.Gauges.Save(ctx, by(y.m), lost, time.Time{})),
			"Pick the machine",
		},
		"a reading to come":      {reading(y.now.Add(2 * time.Hour)), "last two months"},
		"a reading of last year": {reading(y.now.AddDate(-1, 0, 0)), "last two months"},
		"a topic of many": {
			err(y.Probes.Topic(ctx, by(y.m), gauge, "barn/#")),
			"One topic for one probe",
		},
		"a broker's long password": {
			err(y.Probes.SaveBroker(ctx, by(y.m), probesrows.Broker{
				URL: "mqtt://broker.example", Password: strings.Repeat("x", 201),
			}, true)),
			"200 characters",
		},
		"a machine's course nobody has": {y.Probes.Known(ctx, y.m, nobody), ""},
		"a watch nobody has":            {y.Hatch.Known(ctx, y.m, nobody), ""},
		"no young hatched": {
			err(y.Hatch.Hatched(ctx, by(y.m), batch, hatch.Young{})),
			"Say how many hatched",
		},
		"no step of a lockdown": {
			err(y.Hatch.Tick(ctx, by(y.m), batch, "dance", true)),
			"no step of a lockdown",
		},

		"a machine that takes none": {
			set("quail", quail, y.now),
			"Pick a machine that takes",
		},
		"eggs set long ago": {
			set("chicken", pen, y.now.AddDate(-2, 0, 0)),
			"lies too far off",
		},
		"a tray of another machine": {
			err(y.Incubate.MoveEggs(ctx, by(y.m), batch, incubate.Move{
				EggIDs: nos(y.batch(batch), 1), TrayID: nobody, Place: "A1",
			})),
			"Pick a tray",
		},
		"no egg for a tray": {
			err(y.Incubate.MoveEggs(ctx, by(y.m), batch, incubate.Move{})),
			"Name the egg",
		},
		"a line nobody wrote": {err(journal.TakeBackAll(ctx, y.Service, by(y.m), nobody, nil)), ""},
		"a key that is none": {
			err(journal.TakeBackOf(ctx, y.Service, by(y.m), "soup")),
			"nothing to take back",
		},
		"a machine of no school": {
			machine(snapshot.Machine{Name: "Box", Kind: "still-air", School: "damp"}, hens),
			"wet, dry or by weight",
		},
		"a machine nobody has": {
			machine(snapshot.Machine{ID: nobody, Name: "Box", Kind: "still-air"}, hens),
			"",
		},
		"a machine for nothing": {
			machine(snapshot.Machine{Name: "Box", Kind: "still-air"}),
			"at least one kind",
		},
		"ducks that hatch nowhere": {
			setter(nil),
			"could hatch nowhere",
		},
		"a hatcher without a name": {
			setter(&machines.Hatcher{}),
			"The hatcher: ",
		},
		"moving what nobody has": {err(y.Moving.Page(ctx, y.m, nobody)), ""},
		"a room of boiling water": {
			cut(outage.Cut{From: y.now.Add(-time.Hour), RoomC: 80}),
			"The room may have",
		},
		"a cut of two weeks": {
			cut(outage.Cut{From: y.now.AddDate(0, 0, -20), To: y.now.AddDate(0, 0, -2), RoomC: 10}),
			"more than ten days",
		},
		"a first run on a lived farm": {err(y.People.SetUp(ctx, people.NewFarm{Farm: "Elm"}, true)), ""},
		"a farm with dragons": {
			err(y.People.SetUp(ctx, people.NewFarm{
				Farm: "Elm", Zone: "UTC", Name: "Ivo", Email: "ivo@elm.example", Password: "a-long-password",
				Kinds: []string{"dragon"},
			}, false)),
			"dragon",
		},
		"somebody who is not there": {y.People.RemovePerson(ctx, y.m, nobody), "Nobody such"},
		"another role for nobody": {
			err(y.People.ChangeRole(ctx, y.m, nobody, farm.HelperRole)),
			"Nobody such",
		},
		"a wrong password before": {
			err(y.People.ChangePassword(ctx, y.m, "not-that-one", "another-long-one")),
			"not your password",
		},
		"degrees of nobody": {
			y.People.SaveUnits(ctx, y.m, people.Units{Temperature: "K", Mass: "g", Clock: 24}),
			"may be C or F",
		},
		"a device signed out before": {y.People.EndSignIn(ctx, y.m, "gone"), "signed out already"},
		"forgetting somebody else": {
			y.People.Forget(ctx, y.m, "other@wickfold.example"),
			"type its address",
		},
		"forgetting the last owner": {y.People.Forget(ctx, y.m, y.m.Email), "last owner"},
		"a calendar of dreams":      {feed(remind.Feed{Scope: "dreams"}), "Pick what the calendar holds"},
		"a calendar of no machine": {
			feed(remind.Feed{Scope: remind.Machine, MachineID: new(int64(nobody))}),
			"Pick the machine",
		},
		"a reminder of dreams": {err(y.Remind.SaveWish(ctx, by(y.m), remind.Wish{
			Kinds: []string{"dreams"}, QuietFrom: "22:00", QuietTo: "06:00",
		})), "nothing to be reminded of"},
		"away from nothing": {
			err(y.Days.AddAway(ctx, by(y.m), seasonrows.Away{FromOn: day(-3), ToOn: day(-4)})),
			"Tick what is not done",
		},
		"a brooder nobody has": {
			err(y.Days.SaveBrooder(ctx, by(y.m), seasonrows.Brooder{ID: nobody, Name: "Attic", Places: 9})),
			"",
		},
		"a promise of feathers": {order(seasonrows.Order{What: "feathers"}), "Pick what is promised"},
		"a promise of other pens": {
			order(seasonrows.Order{What: ahead.YoungOrder, Pens: []int64{quail}}),
			"Pick pens of that kind",
		},
		"setting what is planned":        {err(y.Season.Due(ctx, y.m, nobody)), ""},
		"away till before":               {whatIf, "comes before the first"},
		"more of a promise that is done": {err(y.Season.Deliver(ctx, by(y.m), done, 1, false)), "done already"},
		"a tray nobody has":              {err(y.Machines.SaveTray(ctx, by(y.m), lostTray, "", "")), ""},
		"a bird nobody has":              {err(y.Flock.SaveBird(ctx, by(y.m), lostBird)), ""},
		"a bird that flew to the moon": {
			err(y.Flock.Leave(ctx, by(y.m), flock.Leave{BirdID: brann, On: day(0), Gone: "moon"})),
			"Pick how it left",
		},
		"more young than are left": {
			err(y.Brood.Leave(ctx, by(y.m), empty, brood.Leaving{Heads: 1, Why: "died"})),
			"None of these are left",
		},
		"baskets nobody marked": {
			err(y.Stock.MoveBaskets(ctx, by(y.m), nil, 0)),
			"Mark what is to be moved",
		},
		"baskets to a place of nobody": {err(y.Stock.MoveBaskets(ctx, by(y.m), []int64{1}, nobody)), ""},
		"eggs of no kind":              {set("dragon", pen, y.now), "Pick what is to be set"},
		"weighed before it was set": {
			err(y.Weigh.Record(ctx, by(y.m), batch, weigh.Weighing{MassG: 500, Eggs: 10, At: y.now.AddDate(0, 0, -3)})),
			"outside the batch's time",
		},
		"no eggs collected":         {err(y.Stock.Collect(ctx, by(y.m))), "how many eggs"},
		"no rejected eggs on trial": {err(y.Stock.OnTrial(ctx, by(y.m), nobody, "crack", 2)), "none of these"},
		"a place nobody has":        {unplaced, ""},
		"a list for no day": {
			err(y.Supplies.There(ctx, by(y.m), batch, "breakfast")),
			"Pick lockdown or hatch",
		},
		"a tray on the scale": {
			err(y.Weigh.Record(ctx, by(y.m), batch, weigh.Weighing{TrayID: nobody, MassG: 500, Eggs: 10, At: y.now})),
			"Pick what lay on the scale",
		},
		"the air cell of no egg": {err(y.Weigh.ReadCell(ctx, by(y.m), batch, nobody, 5, y.now)), ""},
		"opening no egg of this": {
			err(y.Candle.RecordOpened(ctx, by(y.m), batch, []int64{nobody}, candling.Stages[0])),
			"",
		},
		"a turner where there is none": {
			err(y.Machines.Turns(ctx, by(y.m), byHand(y))),
			"it is turned by hand",
		},
	}.on(t)

	young := must(y.Alarms.Page(ctx, y.m))
	assert.Empty(t, young.Alarms, "nothing was kept")
	require.NotZero(t, young.Machines)
}

// byHand is a machine that nobody turns but people.
func byHand(y *yard) int64 {
	done := must(y.Machines.SaveMachine(y.Context(), by(y.m), snapshot.Machine{
		Name: "Styrene", Kind: "still-air", CleanDays: 1, ByHand: true,
	}, []snapshot.Room{{Species: "chicken", Setting: 10, Hatching: 10}}))
	return done.Of(journal.Machine)
}

// And of a keeper of geckos.
func TestRefusedOfAClutch(t *testing.T) {
	g := newTerrarium(t)
	ctx := g.Context()
	id := g.found(g.find())
	eggs := eggsOf{g.clutch(id)}.ids()
	box := g.clutch(id).Box.ID
	hens := g.machine("Cabinet", "all-in-one", "chicken", 40, 40)
	found := func(change func(*clutch.Found)) error {
		f := g.find()
		f.Box = clutch.NewBox{}
		f.BoxID = box
		change(&f)
		return err(g.Clutches.Found(ctx, by(g.m), f))
	}
	g.now = g.now.Add(time.Hour)
	_, inBox := g.Clutches.InBox(ctx, g.m, nobody)
	refused{
		"a box nobody has":       {err(g.Clutches.Air(ctx, by(g.m), nobody, 0, time.Time{})), ""},
		"no clutch in the box":   {inBox, ""},
		"a box among hens' eggs": {err(g.Clutches.Move(ctx, by(g.m), box, hens)), "to whose shelf"},
		"a box where it stands":  {err(g.Clutches.Move(ctx, by(g.m), box, g.shelf)), "stands there already"},
		"sired by luck":          {found(func(f *clutch.Found) { f.Sired = "luck" }), "who sired them"},
		"an egg that sticks to itself": {
			found(func(f *clutch.Found) { f.Stuck = []int{1} }),
			"At least two stick together",
		},
		"a night of a whole day": {
			found(func(f *clutch.Found) { f.Temp.NightC, f.Temp.NightH = new(26.), 24 }),
			"1 to 23 hours",
		},
		"an egg seen to sing": {
			err(g.Clutches.Look(ctx, by(g.m), id, clutch.Look{Eggs: eggs, Signs: []reptile.Sign{"sings"}})),
			"nothing that is seen",
		},
		"an egg seen to do naught": {
			err(g.Clutches.Look(ctx, by(g.m), id, clutch.Look{Eggs: eggs})),
			"Say what you saw",
		},
		"no young left":         {err(g.Clutches.Left(ctx, by(g.m), id, nil, time.Time{})), "Mark the young"},
		"a dance of the clutch": {err(g.Clutches.TickOff(ctx, by(g.m), id, "dance", 3)), "no chore"},
		"opened, nothing seen": {
			err(g.Clutches.Open(ctx, by(g.m), id, clutch.Opened{Eggs: eggs})),
			"how far it had come",
		},
		"opened, killed by the moon": {
			err(g.Clutches.Open(ctx, by(g.m), id, clutch.Opened{Eggs: eggs, Stage: candling.Early, Cause: "moon"})),
			"Pick a cause",
		},
		"weighed like birds' eggs": {
			err(g.Weigh.Record(ctx, by(g.m), id, weigh.Weighing{MassG: 6, Eggs: 2, At: g.now})),
			"weigh the box instead",
		},
		"a school for a clutch": {err(g.Incubate.SetWay(ctx, by(g.m), id, method.Method{})), "no school"},
		"a promise of eggs": {err(g.Season.SaveOrder(ctx, by(g.m), seasonrows.Order{
			Who: "Wilma Aske", Species: "leopard-gecko", What: ahead.EggsOrder, Count: 2, SurePct: 80,
		})), "only young can be promised"},
	}.on(t)
	must(g.Clutches.Out(ctx, by(g.m), id, eggs[:1], false, time.Time{}))
	young := g.clutch(id).Young
	require.Len(t, young, 1)
	shed := g.m.Date(g.now).AddDate(0, 0, -9)
	before := clutch.Hatchling{ID: young[0].ID, ShedOn: &shed}
	_, early := g.Clutches.Hatchling(ctx, by(g.m), id, before)
	assert.ErrorContains(t, early, "between its hatch")
	left := err(g.Clutches.Left(ctx, by(g.m), id, []int64{young[0].ID}, g.now.Add(-30*time.Minute)))
	assert.ErrorContains(t, left, "was not out before")

	// A box that is filled anew is another: the old one is done with.
	must(g.Clutches.Out(ctx, by(g.m), id, eggsOf{g.clutch(id)}.ids()[1:], false, time.Time{}))
	must(g.Hatch.Close(ctx, by(g.m), id, time.Time{}))
	g.found(g.find())
	aired := err(g.Clutches.Air(ctx, by(g.m), box, 0, time.Time{}))
	assert.ErrorContains(t, aired, "is not in use any more")
}

// And of what is known, seen and told of birds' eggs and young.
func TestRefusedOnTheWay(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	batch := y.incubating(10)
	pen, box := y.batch(batch).Pens[0].ID, y.batch(batch).SetterID
	dusk := y.pen("Dusk", "quail")
	una := y.joined("Una", farm.HelperRole)
	y.collect(pen, 0, 6, 0)
	setting := func(m *farm.Member, setter, hatcher int64) error {
		return err(y.Incubate.Set(ctx, by(m), incubate.Setting{
			Species: "chicken", SetterID: setter, HatcherID: hatcher, SetAt: y.now,
			Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 1}},
		}))
	}
	glass := gauges.Instrument{Name: "Glass", Thermo: true}
	eyes := must(y.Gauges.Save(ctx, by(y.m), glass, time.Time{})).Of(journal.Gauge)
	check := func(c gauges.Checking) error { return err(y.Gauges.Check(ctx, by(y.m), c)) }
	must(y.Season.SaveOrder(ctx, by(y.m), seasonrows.Order{
		Who: "Wilma Aske", What: ahead.YoungOrder, Species: "chicken", Count: 5, SurePct: 80,
		FromOn: day(-22), ToOn: day(-30),
	}))
	must(y.Days.SaveBrooder(ctx, by(y.m), seasonrows.Brooder{Name: "Loft", Places: 20}))
	loft := must(y.Days.Binds(ctx, y.m)).Brooders[0].ID
	bought := brood.Bought{Species: "chicken", Heads: 4, BrooderID: loft}
	chicks := must(y.Brood.Buy(ctx, by(y.m), bought)).Of(journal.Brood)
	must(y.Alarms.StartWithUsual(ctx, by(y.m)))
	must(y.Breeders.AskTest(ctx, by(y.m), breeders.FertilityTest{PenID: dusk, Why: "check", Eggs: 6}))
	asked := must(y.Breeders.Tests(ctx, y.m)).Tests
	require.Len(t, asked, 1)
	must(y.Flock.PutIn(ctx, by(y.m), flock.PutIn{
		PenID: pen, Bird: breeders.Bird{Name: "Brann", Species: "chicken", Sex: lineage.Male}, On: day(1), How: flock.Already,
	}))
	brann := must(y.Flock.Birds(ctx, y.m))[0].ID
	_, unknown := y.Probes.CourseOf(ctx, y.m, nobody, time.Time{}, time.Time{})
	_, doubtful := y.Candle.Doubtful(ctx, y.m, nobody)

	refused{
		"a helper sets from the store":  {setting(una, box, box), "A helper sets what is planned"},
		"eggs that could hatch nowhere": {setting(y.m, box, nobody), "in which chicken eggs can hatch"},
		"ticking off a dance": {
			err(y.Incubate.TickOff(ctx, by(y.m), batch, "dance", 7)),
			"no chore",
		},
		"ticking off a day before": {
			err(y.Incubate.TickOff(ctx, by(y.m), batch, "candle", -1)),
			"no chore",
		},
		"a note of nothing known": {
			err(y.Notes.Add(ctx, by(y.m), notes.Note{BatchID: &batch, Kind: "comet", Says: "seen"})),
			"Pick what it was",
		},
		"a course nobody has":      {unknown, ""},
		"doubtful eggs nobody has": {doubtful, ""},
		"water of no kind": {
			err(y.Machines.Watered(ctx, by(y.m), box, "boiled", 0)),
			"filled, topped up or found dry",
		},
		"alarms where there are some": {err(y.Alarms.StartWithUsual(ctx, by(y.m))), "alarms already"},
		"the air of no machine":       {err(y.Weigh.SetAir(ctx, by(y.m), nobody, new(37.5), nil)), ""},
		"a bird into no pen": {
			err(y.Flock.PutIn(ctx, by(y.m), flock.PutIn{
				PenID: nobody, Bird: breeders.Bird{ID: brann}, On: day(0), How: flock.Beside,
			})),
			"",
		},
		"a bird of no kind": {
			err(y.Flock.SaveBird(ctx, by(y.m), breeders.Bird{Name: "Elke", Species: "dragon", Sex: lineage.Male})),
			"what kind of bird",
		},
		"a bird gone by its page": {
			err(y.Flock.SaveBird(ctx, by(y.m), breeders.Bird{
				ID: brann, Name: "Brann", Species: "chicken", Sex: lineage.Male, Gone: "sold",
			})),
			"on the bird's page",
		},
		"a check of no instrument": {
			check(gauges.Checking{ID: nobody, Of: "temperature", How: "ice"}),
			"",
		},
		"a check beside itself": {
			check(gauges.Checking{ID: eyes, Of: "temperature", How: "beside", Other: eyes, Shown: 37, By: 37}),
			"Pick another instrument",
		},
		"salt on a thermometer": {
			check(gauges.Checking{ID: eyes, Of: "humidity", How: "salt", Shown: 74, Truth: 20}),
			"shows only",
		},
		"a test of others' eggs": {
			err(y.Breeders.MarkTest(ctx, by(y.m), asked[0].ID, batch)),
			"holds no eggs of",
		},
		"young where they are": {err(y.Brood.Move(ctx, by(y.m), chicks, 2, loft, "")), "already"},
		"young that left by magic": {
			err(y.Brood.Leave(ctx, by(y.m), chicks, brood.Leaving{Heads: 1, Why: "magic"})),
			"Pick why",
		},
		"warmth under no brooder": {err(y.Brood.Warm(ctx, by(y.m), nobody, 33)), ""},
		"young of nobody": {
			err(y.Brood.BringIn(ctx, by(y.m), brood.Pulled{BatchID: batch, BrooderID: loft, On: day(0)})),
			"how many",
		},
		"shells treated by magic": {
			err(y.Stock.Collect(ctx, by(y.m), stock.Collected{PenID: pen, LaidOn: day(0), Eggs: 2, Washing: "sung to"})),
			"done to the shells",
		},
		"nothing to be tried next time": {
			err(y.Report.TryNext(ctx, by(y.m), batch, []string{" "})),
			"Tick what you mean",
		},
		"figures of no kind": {err(y.Kinds.SaveKind(ctx, by(y.m), "dragon", kinds.Kept{})), ""},
		"taking back what never came": {
			err(journal.TakeBackOf(ctx, y.Service, by(y.m), key())),
			"never arrived",
		},
		"nests of reptiles": {err(y.Incubate.TakeOver(ctx, by(y.m), incubate.Nest{
			PenID: y.pen("Opal", "leopard-gecko"), Eggs: 2, SetterID: box, FromDays: 3, ToDays: 5,
		})), "set on the day that it is found"},
		"the last owner leaves": {y.People.RemovePerson(ctx, y.m, y.m.PersonID), "needs an owner"},
		"a reminder without quiet": {err(y.Remind.SaveWish(ctx, by(y.m), remind.Wish{
			QuietFrom: "late", QuietTo: "06:00",
		})), "late"},
		"a reminder whose quiet never ends": {err(y.Remind.SaveWish(ctx, by(y.m), remind.Wish{
			QuietFrom: "22:00", QuietTo: "dawn",
		})), "dawn"},
		"eggs out by a code that is none": {
			err(y.Stock.TakeOut(ctx, by(y.m), stock.Out{Marks: []string{"!?"}, Why: "eaten"})),
			"is no pencil code",
		},
		"a ring of nobody's":      {err(y.Alarms.See(ctx, by(y.m), nobody)), ""},
		"an incident of nobody's": {err(y.Alarms.Say(ctx, by(y.m), nobody, alarms.So)), ""},
	}.on(t)

	for range 6 { // wrong passwords are slowed down
		_, wrong := y.People.ChangePassword(ctx, y.m, "not-that-one", "another-long-one")
		assert.Error(t, wrong)
	}
	_, slowed := y.People.ChangePassword(ctx, y.m, "a-long-password", "another-long-one")
	assert.ErrorContains(t, slowed, "Too many wrong tries", "the right one is not even looked at")
}

// And of looks, ends, parcels and a hen.
func TestRefusedAtTheEnd(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	batch := y.incubating(4)
	v := y.batch(batch)
	pen, box, eggs := v.Pens[0].ID, v.SetterID, nos(v, 1, 2, 3, 4)
	hen := y.machine("Broody Wren", "broody-hen", "chicken", 12, 12)
	far := must(y.Flock.SavePen(ctx, by(y.m), snapshot.Pen{
		Name: "Hollin Ridge", Species: "chicken", Supplier: true, FromOn: day(300),
	})).Of(journal.Pen)
	parcel := func(o stockrows.Parcel) error { return err(y.Stock.Order(ctx, by(y.m), o)) }
	called := func(c candle.Calling) error { return err(y.Candle.Candle(ctx, by(y.m), batch, c)) }
	_, behind := y.Breeders.Behind(ctx, y.m, advice.Query{}, "nobody")
	_, kind := y.Kinds.Kind(ctx, y.m, "dragon")
	dear := 2e5
	refused{
		"closed while they grow": {
			err(y.Hatch.Close(ctx, by(y.m), batch, time.Time{})),
			"are still growing",
		},
		"a call that is none": {called(candle.Calling{Call: "sleepy", Eggs: eggs}), "is no call"},
		"opened without an egg": {
			err(y.Hatch.BreakOut(ctx, by(y.m), batch, hatch.Opened{Stage: candling.Early})),
			"Pick the egg first",
		},
		"next time of nobody": {err(y.Report.NextDone(ctx, by(y.m), batch, nobody)), ""},
		"reminders at no time": {
			err(y.Remind.SaveWish(ctx, by(y.m), remind.Wish{
				ByMail: true, QuietFrom: "22:00", QuietTo: "06:00",
			})),
			"when you want to be reminded",
		},
		"a bird that nobody has": {
			err(y.Flock.Leave(ctx, by(y.m), flock.Leave{BirdID: nobody, On: day(0)})),
			"",
		},
		"a parcel from one's own": {
			parcel(stockrows.Parcel{PenID: pen, Ordered: 6, OrderedOn: day(1)}),
			"whom the eggs come from",
		},
		"a parcel into no machine": {
			parcel(stockrows.Parcel{PenID: far, Ordered: 6, OrderedOn: day(1), SetterID: new(int64(nobody))}),
			"Pick a machine that takes",
		},
		"a swap with the hen's own": {err(y.Machines.PlanSwap(ctx, by(y.m), hen, batch, 40)), "covers 1 to"},
		"rates of nobody":           {behind, ""},
		"a kind that is none":       {kind, ""},
		"a tray in no machine": {
			err(y.Machines.SaveTray(ctx, by(y.m), store.Tray{MachineID: nobody, Name: "Top"}, "", "")),
			"",
		},
		"a price beyond reason": {
			err(y.Season.SaveOrder(ctx, by(y.m), seasonrows.Order{
				Who: "Wilma Aske", What: ahead.YoungOrder, Species: "chicken", Count: 1, SurePct: 80, FromOn: day(-30),
				ToOn: day(-31), Price: &dear,
			})),
			"price",
		},
		"a clutch that is birds'": {
			err(y.Clutches.Look(ctx, by(y.m), batch, clutch.Look{Eggs: eggs, Signs: []reptile.Sign{"dented"}})),
			"",
		},
		"eggs of a hen in her swap": {
			err(y.Machines.PlanSwap(ctx, by(y.m), hen, setUnder(y, pen, hen), 2)),
			"that turn in a machine",
		},
	}.on(t)

	y.now = y.now.AddDate(0, 0, 7)
	must(y.Candle.Candle(ctx, by(y.m), batch, candle.Calling{Call: candling.Live, Eggs: eggs}))
	rest := err(y.Candle.CandleRest(ctx, by(y.m), batch, time.Time{}))
	assert.ErrorContains(t, rest, "Every egg was called already")
	assert.NotZero(t, box)
}

// setUnder sets two fresh eggs of a pen under a hen.
func setUnder(y *yard, pen, hen int64) int64 {
	y.collect(pen, 0, 2, 0)
	return y.set(incubate.Setting{
		Species: "chicken", SetterID: hen, HatcherID: hen, Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 2}},
	})
}

// A list by a link holds as long as whoever made it may make one.
func TestAHandoverListEndsWithItsKeeper(t *testing.T) {
	y := newYard(t)
	y.incubating(10)
	runa := y.joined("Runa", farm.KeeperRole)
	link, _, err := y.Handover.Make(y.Context(), by(runa), farm.Handover{
		Name: "Ferris", FromOn: day(-1), ToOn: day(-3),
	})
	require.NoError(t, err)
	_, _, err = y.Handover.Linked(y.Context(), link)
	require.NoError(t, err)
	must(y.People.ChangeRole(y.Context(), y.m, runa.PersonID, farm.HelperRole))
	_, _, err = y.Handover.Linked(y.Context(), link)
	assert.ErrorIs(t, err, farm.ErrNone)
}

// A calendar's address holds as long as whoever it was made for is on the farm.
func TestACalendarEndsWithItsReader(t *testing.T) {
	y := newYard(t)
	runa := y.joined("Runa", farm.KeeperRole)
	link, _, err := y.Remind.MakeFeed(y.Context(), by(runa), remind.Feed{Scope: remind.All}, true)
	require.NoError(t, err)
	_, err = y.Remind.Linked(y.Context(), link)
	require.NoError(t, err)
	require.NoError(t, y.People.RemovePerson(y.Context(), y.m, runa.PersonID))
	_, err = y.Remind.Linked(y.Context(), link)
	assert.ErrorIs(t, err, farm.ErrNone)
}
