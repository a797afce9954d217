package farm_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/calendar"
	"metrogon/core/climate"
	"metrogon/core/incubator"
	"metrogon/core/instrument"
	"metrogon/farm"
	"metrogon/farm/alarms"
	"metrogon/farm/chores"
	"metrogon/farm/gauges"
	"metrogon/farm/outage"
	"metrogon/farm/probes"
	"metrogon/farm/remind"
	"metrogon/farm/snapshot"
	"metrogon/farm/weigh"
	"metrogon/store"
	remindrows "metrogon/store/remind"
	"metrogon/store/stock"
)

func float(v float64) *float64 { return &v }

// probe is a checked instrument in a machine that sends under a key.
func (s *shed) probe(name string, machine int64) (id int64, key_ string) {
	id = s.gauge(name, &machine)
	must(s.Gauges.Check(s.Context(), by(s.m), gauges.Checking{ID: id, How: instrument.Clinical, Shown: 37, Truth: 37}))
	key_, _, err := s.Probes.Key(s.Context(), by(s.m), id)
	require.NoError(s, err)
	return id, key_
}

func (s *shed) tells(key string, at time.Time, temp float64) {
	rh := 50.
	require.NoError(s, s.Probes.Take(s.Context(), key, []probes.Told{{At: at, TempC: &temp, RHPct: &rh}}))
}

// simulated has a probe tell what a simulated machine shows, from a moment until now.
func (s *shed) simulated(key string, began time.Time, causes ...incubator.Cause) {
	run := incubator.Run{
		Box: incubator.Tabletop, SetC: 37.5, Seed: 4, Room: incubator.Weather{TempC: 18, RHPct: 50}, Causes: causes,
		Load: incubator.Load{Eggs: 12, EggG: 58, HatchDay: 21}, Fill: 24 * time.Hour,
	}
	var all []probes.Told
	run.Readings(s.now.Sub(began), time.Minute, func(x incubator.Reading) bool {
		all = append(all, probes.Told{At: began.Add(x.After), TempC: &x.TempC, RHPct: &x.RHPct})
		return true
	})
	require.NoError(s, s.Probes.Take(s.Context(), key, all))
}

// What a probe told is told of the machine in which it lay then, corrected, whoever sends it when.
func TestAProbeTellsOfWhereItLay(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	id, sender := s.probe("Probe", s.a)
	s.tells(sender, s.now.Add(-3*time.Hour), 37.2)
	must(s.Gauges.Save(ctx, by(s.m), gauges.Instrument{
		ID: id, Name: "Probe", Thermo: true, Hygro: true, MachineID: &s.b,
	}, s.now.Add(-2*time.Hour)))
	s.tells(sender, s.now.Add(-time.Hour), 36.2)
	s.tells(sender, s.now.Add(-4*time.Hour), 37.4) // late
	s.tells(sender, s.now.Add(-4*time.Hour), 37.4) // and again
	s.now = s.now.Add(time.Minute)
	must(s.Gauges.Check(ctx, by(s.m), gauges.Checking{ID: id, How: instrument.Clinical, Shown: 37, Truth: 37.5}))

	a := must(s.Probes.CourseOf(ctx, s.m, s.a, s.now.Add(-6*time.Hour), s.now))
	require.Len(t, a.Curves, 1)
	require.Len(t, a.Curves[0].Points, 2)
	assert.InDelta(t, 37.9, *a.Curves[0].Points[0].TempC, 1e-4, "late, first, and by the new check")
	b := must(s.Probes.CourseOf(ctx, s.m, s.b, s.now.Add(-6*time.Hour), s.now))
	require.Len(t, b.Curves[0].Points, 1)
	assert.InDelta(t, 36.7, *b.Curves[0].Points[0].TempC, 1e-4)

	for says, told := range map[string]probes.Told{
		"not yet": {At: s.now.Add(time.Hour), TempC: float(37)}, "is none": {At: s.now, TempC: float(2000)},
		"tells nothing": {At: s.now}, "ten years": {At: s.now.AddDate(-11, 0, 0), TempC: float(37)},
	} {
		assert.ErrorContains(t, s.Probes.Take(ctx, sender, []probes.Told{told}), says)
	}
	assert.ErrorIs(t, s.Probes.Take(ctx, "no key", []probes.Told{{At: s.now, TempC: float(37)}}), farm.ErrNone)
}

// A power cut rings once, is told once to the people, is seen, and is over when it is warm again; a probe that falls
// silent rings too. An alarm of lockdown leaves turning eggs alone.
func TestAnAlarmRingsOnce(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	_, sender := s.probe("Probe", s.a)
	must(s.Alarms.StartWithUsual(ctx, by(s.m)))
	must(s.Alarms.Save(ctx, by(s.m), alarms.Alarm{What: "cool", Bound: 37, DelayMin: 5, Phase: alarms.Lockdown}))
	var told []string
	s.Alarms.Teller = func(context.Context, int64) (func(*farm.Tx, farm.Notice), error) {
		return func(_ *farm.Tx, n farm.Notice) {
			told = append(told, n.Title+": "+n.Body)
			assert.True(t, n.Wakes == (n.Title != "Wickfold: Ash rings" || n.Body[:5] != "Probe"), n.Body)
		}, nil
	}
	began := s.now
	cut := incubator.Cause{Kind: incubator.PowerCut, From: 3 * time.Hour, To: 5 * time.Hour}
	var rang time.Duration
	for range 4 * 60 / 10 {
		s.now = s.now.Add(10 * time.Minute)
		s.simulated(sender, began, cut)
		require.NoError(t, s.Alarms.LookNow(ctx))
		if len(told) > 0 && rang == 0 {
			rang = s.now.Sub(began)
		}
	}
	assert.Greater(t, rang, 3*time.Hour+30*time.Minute, "not before its delay")
	assert.LessOrEqual(t, rang, 3*time.Hour+50*time.Minute)
	require.Len(t, told, 1, "one message of the machine: %v", told)
	assert.Contains(t, told[0], "too cool for")
	assert.Contains(t, told[0], "fell and stays down for")
	require.Len(t, s.chores(chores.Alarm), 1, "one line a machine")
	page := must(s.Alarms.Page(ctx, s.m))
	require.Len(t, page.Rings, 2)
	for _, r := range page.Rings {
		must(s.Alarms.See(ctx, by(s.m), r.ID))
	}
	assert.Empty(t, s.chores(chores.Alarm), "seen")

	s.now = began.Add(7 * time.Hour)
	s.simulated(sender, began, cut)
	require.NoError(t, s.Alarms.LookNow(ctx))
	for _, r := range must(s.Alarms.Page(ctx, s.m)).Rings {
		assert.NotNil(t, r.EndedAt, "warm again")
		assert.Equal(t, "Anna Wick", r.SeenBy)
		assert.Less(t, r.Worst, 34.)
	}
	s.now = s.now.Add(50 * time.Minute)
	require.NoError(t, s.Alarms.LookNow(ctx))
	assert.Len(t, told, 1)
	s.now = s.now.Add(15 * time.Minute)
	require.NoError(t, s.Alarms.LookNow(ctx))
	require.NoError(t, s.Alarms.LookNow(ctx))
	require.Len(t, told, 2, "silent for an hour")
	s.now = s.now.Add(9 * time.Hour)
	require.NoError(t, s.Alarms.LookNow(ctx))
	assert.Nil(t, must(s.Alarms.Page(ctx, s.m)).Rings[0].EndedAt, "still silent")
	assert.Contains(t, told[1], "Probe has told nothing for")
}

// Two probes in one machine, and two alarms at once: people are told once of it, and trying counts it once.
func TestOneFaultIsToldOnce(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	_, one := s.probe("Upper", s.a)
	_, two := s.probe("Lower", s.a)
	for _, bound := range []float64{36, 37} {
		must(s.Alarms.Save(ctx, by(s.m), alarms.Alarm{
			What: "cool", Bound: bound, DelayMin: 5, Phase: alarms.Any, Wakes: bound == 36,
		}))
	}
	var told []string
	s.Alarms.Teller = func(context.Context, int64) (func(*farm.Tx, farm.Notice), error) {
		return func(_ *farm.Tx, n farm.Notice) {
			told = append(told, n.Body)
			assert.True(t, n.Wakes, "as loud as the loudest")
		}, nil
	}
	for range 30 {
		s.now = s.now.Add(time.Minute)
		s.tells(one, s.now, 30)
		s.tells(two, s.now, 29)
	}
	require.NoError(t, s.Alarms.LookNow(ctx))
	require.NoError(t, s.Alarms.LookNow(ctx))
	require.Len(t, told, 1)
	assert.Equal(t, 2, strings.Count(told[0], "too cool for"), "a line an alarm, not a probe: %s", told[0])
	assert.Len(t, must(s.Alarms.Page(ctx, s.m)).Rings, 4, "what each told is kept")
	tried := must(s.Alarms.Try(ctx, s.m, alarms.Alarm{What: "cool", Bound: 36, DelayMin: 5, Phase: alarms.Any}))
	assert.Len(t, tried.Rings, 1)
}

// A probe that falls silent while its alarm rings does not say that it is over.
func TestSilenceEndsNoAlarm(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	_, sender := s.probe("Probe", s.a)
	must(s.Alarms.Save(ctx, by(s.m), alarms.Alarm{What: "cool", Bound: 37, DelayMin: 5, Phase: alarms.Any}))
	began := s.now
	for range 30 {
		s.now = s.now.Add(time.Minute)
		s.tells(sender, s.now, 30)
	}
	require.NoError(t, s.Alarms.LookNow(ctx))
	require.Len(t, must(s.Alarms.Page(ctx, s.m)).Rings, 1)
	s.now = began.Add(30 * time.Hour)
	require.NoError(t, s.Alarms.LookNow(ctx))
	assert.Nil(t, must(s.Alarms.Page(ctx, s.m)).Rings[0].EndedAt, "nobody knows")
	s.tells(sender, s.now, 37.5)
	require.NoError(t, s.Alarms.LookNow(ctx))
	assert.NotNil(t, must(s.Alarms.Page(ctx, s.m)).Rings[0].EndedAt, "warm again")
}

// What would have rung in the last month is what would have rung.
func TestAnAlarmIsTriedOnTheLastMonth(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	_, sender := s.probe("Probe", s.a)
	s.simulated(
		sender, s.now.AddDate(0, 0, -10),
		incubator.Cause{Kind: incubator.Opening, From: 30 * time.Hour, To: 30*time.Hour + 10*time.Minute},
		incubator.Cause{Kind: incubator.Ajar, From: 60 * time.Hour, To: 62 * time.Hour},
	)
	try := func(delay int) []alarms.Ring {
		return must(s.Alarms.Try(ctx, s.m, alarms.Alarm{What: "cool", Bound: 36.7, DelayMin: delay, Phase: alarms.Any})).Rings
	}
	require.Len(t, try(30), 1, "the lid that was ajar")
	assert.Len(t, try(5), 2, "and, with less patience, the one that was opened")
	assert.Empty(t, must(s.Alarms.Try(ctx, s.m, alarms.Alarm{
		What: "cool", Bound: 36.7, DelayMin: 5, Phase: alarms.Turning,
	})).Rings, "no eggs turned then")
	_, err := s.Alarms.Try(ctx, s.m, alarms.Alarm{What: "cool", Bound: 99, DelayMin: 0, Phase: "x"})
	assert.ErrorContains(t, err, "Pick when it holds")
}

// A power cut and a lid ajar are found in the readings and asked about once; what is written down already is not asked.
func TestWhatReadingsShowIsAsked(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	_, sender := s.probe("Probe", s.a)
	began := s.now
	s.now = s.now.Add(30 * time.Hour)
	ajar := incubator.Cause{Kind: incubator.Ajar, From: 10 * time.Hour, To: 11*time.Hour + 20*time.Minute}
	cut := incubator.Cause{Kind: incubator.PowerCut, From: 20 * time.Hour, To: 22 * time.Hour}
	s.simulated(sender, began, ajar, cut)
	require.NoError(t, s.Alarms.SearchNow(ctx))
	s.now = s.now.Add(6 * time.Minute)
	require.NoError(t, s.Alarms.SearchNow(ctx), "looked twice, it is one")
	lids, cuts := s.chores(chores.FoundLid), s.chores(chores.FoundPower)
	require.Len(t, lids, 1)
	require.Len(t, cuts, 1)

	done := must(s.Alarms.Say(ctx, by(s.m), int64(lids[0].Day), alarms.So))
	assert.Contains(t, done.Said, "the lid was ajar")
	course := must(s.Probes.CourseOf(ctx, s.m, s.a, began, s.now))
	kinds := map[string]time.Duration{}
	for _, x := range course.Marks {
		kinds[x.Kind] = x.To.Sub(x.At)
	}
	assert.InDelta(t, 80, kinds["lid"].Minutes(), 20, "it is in the machine’s log")
	assert.Empty(t, s.chores(chores.FoundLid))
	_, err := s.Alarms.Say(ctx, by(s.m), int64(lids[0].Day), alarms.Not)
	assert.ErrorContains(t, err, "said already")
	must(s.Undo(ctx, by(s.m), done.Entry))
	assert.Len(t, s.chores(chores.FoundLid), 1, "asked again")

	found := must(s.Alarms.FoundOne(ctx, s.m, int64(cuts[0].Day)))
	assert.WithinDuration(t, began.Add(cut.From), found.FromAt, 10*time.Minute)
	must(s.Outage.Begin(ctx, by(s.m), outage.Cut{
		From: found.FromAt, To: *found.ToAt, RoomC: 18, Boxes: map[int64]climate.Box{s.a: climate.Foam},
	}))
	must(s.Alarms.Say(ctx, by(s.m), found.ID, alarms.Not))
	s.now = s.now.Add(6 * time.Minute)
	require.NoError(t, s.Alarms.SearchNow(ctx))
	assert.Empty(t, s.chores(chores.FoundPower), "it is known, and not found again")
}

// A machine that runs half a degree warm brings the hatch forward, by as many days as it did; an instrument that nobody
// checked moves nothing.
func TestAWarmMachineMovesTheHatch(t *testing.T) {
	for name, checked := range map[string]bool{"checked": true, "not checked": false} {
		t.Run(name, func(t *testing.T) {
			s := newShed(t)
			ctx := t.Context()
			hatch := func() time.Time { return s.batch(s.batch1).At(calendar.Hatch) }
			before, set := hatch(), s.batch(s.batch1).SetAt
			probe := s.gauge("Probe", &s.a)
			if checked {
				must(s.Gauges.Check(ctx, by(s.m), gauges.Checking{ID: probe, How: instrument.Clinical, Shown: 37, Truth: 37}))
			}
			by, _, err := s.Probes.Key(ctx, by(s.m), probe)
			require.NoError(t, err)
			s.now = set.AddDate(0, 0, 10)
			var all []probes.Told
			for at := set; at.Before(s.now); at = at.Add(20 * time.Minute) {
				warm := 38.0
				if at.Sub(set) < 5*time.Hour { // a cold spell is one, and no fault of the machine
					warm = 30
				}
				all = append(all, probes.Told{At: at, TempC: &warm})
			}
			require.NoError(t, s.Probes.Take(ctx, by, all))
			require.NoError(t, s.Alarms.SearchNow(ctx))
			days := before.Sub(hatch()).Hours() / 24
			if checked { // 0.5 °C over 10 − 5/24 days of 21: 1.6 days a degree [common practice]
				assert.InDelta(t, 1.6*0.5*(10-5./24)/21, days, 0.02)
			} else {
				assert.Zero(t, days)
			}
		})
	}
}

// A logger's file is looked at first, comes in once, and what it told can be forgotten.
func TestALoggersFileComesInOnce(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	id := s.gauge("Logger", &s.a)
	var all []probes.Told
	for i := range 48 {
		all = append(all, probes.Told{At: s.now.Add(-time.Duration(48-i) * time.Hour), TempC: float(37 + float64(i%5)/10)})
	}
	looked := must(s.Probes.LookAt(ctx, s.m, id, all))
	assert.Equal(t, [2]int{48, 0}, [2]int{looked.N, looked.There})
	must(s.Probes.Bring(ctx, by(s.m), id, all))
	must(s.Probes.Bring(ctx, by(s.m), id, all))
	assert.Equal(t, 48, must(s.Probes.LookAt(ctx, s.m, id, all)).There)
	n := func() int { return len(must(s.Probes.CourseOf(ctx, s.m, s.a, s.now.Add(-50*time.Hour), s.now)).Curves) }
	assert.Equal(t, 1, n())
	must(s.Probes.Forget(ctx, by(s.m), id, all[0].At, s.now))
	assert.Zero(t, n())
	helper := s.joined("Ben", farm.HelperRole)
	_, err := s.Probes.Bring(ctx, by(helper), id, all)
	assert.Error(t, err, "a helper brings nothing in")
}

// The humidity that a checked probe told is what is held, and tells what a second dish did; an unchecked one says
// nothing.
func TestTheHumidityIsTheProbes(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	id, sender := s.probe("Probe", s.a)
	asked := s.batch(s.batch1).HeldPct()
	began := s.now
	tell := func(hours int, rh float64) {
		var all []probes.Told
		for i := range hours * 60 {
			all = append(all, probes.Told{At: s.now.Add(time.Duration(i) * time.Minute), TempC: float(37.5), RHPct: float(rh)})
		}
		s.now = s.now.Add(time.Duration(hours) * time.Hour)
		require.NoError(t, s.Probes.Take(ctx, sender, all))
		require.NoError(t, s.Alarms.SearchNow(ctx))
	}
	tell(12, 40)
	assert.Equal(t, asked, s.batch(s.batch1).HeldPct(), "nobody checked it over salt")
	must(s.Gauges.Check(ctx, by(s.m), gauges.Checking{ID: id, How: instrument.Salt, Shown: 71.5, Truth: 20}))
	must(s.Weigh.Change(ctx, by(s.m), s.a, "a second dish", 44))
	tell(3, 50)
	assert.InDelta(t, 46, s.batch(s.batch1).HeldPct(), 0.6, "twelve hours of 40, three of 50, and 4 points")
	var air weigh.MachineAir
	require.NoError(t, snapshot.ReadParts(ctx, s.Service, s.m, weigh.AirOf(s.a, &air)))
	require.Len(t, air.Changes.Past, 1, "it was read by itself")
	assert.InDelta(t, 54, *air.Changes.Past[0].ToPct, 0.6)
	assert.Empty(t, s.chores(chores.Humidity), "nobody has to look")
	s.now = began.AddDate(0, 0, 5)
	assert.Equal(t, asked, s.batch(s.batch1).HeldPct(), "days ago is not now")
}

// Where eggs wait a probe tells when it is too warm; silent for two days, it does so no more. The same form twice
// makes one key, and only the first answer has it.
func TestAWarmEggStoreIsTold(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	must(s.Stock.SaveStoragePlace(ctx, by(s.m), stock.StoragePlace{Name: "Larder"}))
	larder := s.room().Places[0].ID
	id := s.gauge("Probe", nil)
	must(s.Gauges.Check(ctx, by(s.m), gauges.Checking{ID: id, How: instrument.Clinical, Shown: 37, Truth: 37}))
	must(s.Gauges.Lies(ctx, by(s.m), id, fmt.Sprintf("p%d", larder), "door", time.Time{}))
	form := key()
	by, _, err := s.Probes.Key(ctx, farm.Request{Member: s.m, Key: form, Sure: true}, id)
	require.NoError(t, err)
	again, _, err := s.Probes.Key(ctx, farm.Request{Member: s.m, Key: form, Sure: true}, id)
	require.NoError(t, err)
	assert.NotEmpty(t, by)
	assert.Empty(t, again)
	for h := range 30 {
		warm := 15.
		if h >= 20 {
			warm = 22.4
		}
		s.tells(by, s.now.Add(time.Duration(h-30)*time.Hour), warm)
	}
	require.NoError(t, s.Alarms.SearchNow(ctx))
	place := s.room().Places[0]
	assert.InDelta(t, 10*22.4/24+14*15./24, *place.TempC, 0.4, "the last day")
	assert.Contains(t, place.Warnings[0], "for 10 of the last 48 hours")
	s.now = s.now.AddDate(0, 0, 4)
	require.NoError(t, s.Alarms.SearchNow(ctx))
	for _, says := range s.room().Places[0].Warnings {
		assert.NotContains(t, says, "48 hours")
	}
}

// What rings is told with the ring that is kept, whether anybody works on the queue yet or not; a night's message waits
// for the morning, and one that wakes does not.
func TestWhatRingsIsToldWithIt(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	_, sender := s.probe("Probe", s.a)
	must(s.Remind.SaveWish(ctx, by(s.m), remind.Wish{
		Late: true, ByMail: true, ByPush: true, QuietFrom: "00:00", QuietTo: "20:00",
	}))
	for _, phone := range []string{"one", "two"} {
		must(s.Remind.TakePush(ctx, s.m, remind.PushPlace{Endpoint: "https://push.example/" + phone, P256dh: "a", Auth: "b"}))
	}
	must(s.Alarms.Save(ctx, by(s.m), alarms.Alarm{What: "cool", Bound: 37, DelayMin: 5, Phase: alarms.Any}))
	for range 30 {
		s.now = s.now.Add(time.Minute)
		s.tells(sender, s.now, 30)
	}
	type job struct {
		Kind, Tag string
		Waits     bool
	}
	jobs := func() (all []job) {
		rows, err := s.owner.Pool.Query(ctx, `
			select kind, args -> 'message' ->> 'Tag' as tag, scheduled_at > now() + interval '1 minute' as waits
			from river_job order by id`)
		require.NoError(t, err)
		all, err = pgx.CollectRows(rows, pgx.RowToStructByPos[job])
		require.NoError(t, err)
		return all
	}
	require.NoError(t, s.Alarms.LookNow(ctx))
	all := jobs()
	require.Len(t, all, 3, "a letter, and a message to each phone")
	for _, j := range all {
		assert.Equal(t, all[0].Tag, j.Tag)
		assert.NotEmpty(t, j.Tag, "sent again a phone shows it once")
		assert.True(t, j.Waits, "until the morning")
	}
	require.NoError(t, s.Alarms.LookNow(ctx))
	assert.Len(t, jobs(), 3, "looked at again it is told already")

	must(s.Alarms.Save(ctx, by(s.m), alarms.Alarm{
		What: "cool", Bound: 36, DelayMin: 5, Phase: alarms.Any, Wakes: true,
	}))
	require.NoError(t, s.Alarms.LookNow(ctx))
	all = jobs()
	require.Len(t, all, 6)
	assert.False(t, all[5].Waits)
}

// What is not kept is not told.
func TestWhatIsNotKeptIsNotTold(t *testing.T) {
	s := newShed(t)
	err := s.Write(t.Context(), s.m, func(tx *farm.Tx) error {
		tx.Later(store.Job{What: remind.Look{FarmID: 1}, Queue: remind.LookQueue})
		return errBroken
	})
	require.ErrorIs(t, err, errBroken)
	var n int
	require.NoError(t, s.owner.Pool.QueryRow(t.Context(), `select count(*) from river_job`).Scan(&n))
	assert.Zero(t, n)
}

// Of more browsers than anybody uses the oldest are forgotten: nobody has messages sent to thousands of addresses.
func TestAPersonHasSoManyPushPlaces(t *testing.T) {
	s := newShed(t)
	for i := range 25 {
		s.now = s.now.Add(time.Minute)
		must(s.Remind.TakePush(t.Context(), s.m, remind.PushPlace{
			Endpoint: fmt.Sprintf("https://push.example/%02d", i), P256dh: "a", Auth: "b",
		}))
	}
	places := must(remindrows.Of(s.DB).PushPlaces(t.Context(), s.m.PersonID))
	require.Len(t, places, 20)
	assert.Equal(t, "https://push.example/24", places[0].Endpoint)
	assert.Equal(t, "https://push.example/05", places[19].Endpoint)
}
