package calendar_test

import (
	"encoding/json"
	"slices"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"metrogon/core/calendar"
	"metrogon/core/species"
)

func zone(t require.TestingT, name string) *time.Location {
	z, err := time.LoadLocation(name)
	require.NoError(t, err)
	return z
}

func milestones(t require.TestingT, b calendar.Batch) map[string]calendar.Milestone {
	all, err := calendar.Schedule(b)
	require.NoError(t, err)
	by := map[string]calendar.Milestone{}
	for _, m := range all {
		by[m.Kind] = m // of several candlings the last
	}
	return by
}

// Cases computed with the IANA time zone data, outside this project.
var ianaCases = []struct {
	local, zone       string
	days              int
	set, exact        string
	sameWall, elseRun string
}{
	{
		"2027-03-20T09:00", "Europe/London", 21, "2027-03-20T09:00:00Z", "2027-04-10T10:00:00+01:00",
		"2027-04-10T09:00:00+01:00", "spring forward on 28 March",
	},
	{
		"2026-10-20T18:30", "America/Chicago", 21, "2026-10-20T18:30:00-05:00", "2026-11-10T17:30:00-06:00",
		"2026-11-10T18:30:00-06:00", "autumn back on 1 November",
	},
	{
		"2026-09-20T07:15", "Australia/Sydney", 21, "2026-09-20T07:15:00+10:00", "2026-10-11T08:15:00+11:00",
		"2026-10-11T07:15:00+11:00", "southern spring forward on 4 October",
	},
	{
		"2028-02-08T20:00", "Asia/Kolkata", 21, "2028-02-08T20:00:00+05:30", "2028-02-29T20:00:00+05:30",
		"2028-02-29T20:00:00+05:30", "lands on the leap day",
	},
	{
		"2027-03-21T01:30", "Europe/London", 7, "2027-03-21T01:30:00Z", "2027-03-28T02:30:00+01:00",
		"2027-03-28T02:30:00+01:00", "an hour that is skipped moves forward",
	},
	// Hand-worked: London shows 01:30 twice on 25 October 2026, first in summer time.
	{
		"2026-10-18T01:30", "Europe/London", 7, "2026-10-18T01:30:00+01:00", "2026-10-25T01:30:00+01:00",
		"2026-10-25T01:30:00+01:00", "an hour shown twice is the first",
	},
	// Hand-worked from Chicago's rules: back on 1 November 2026, forward on 14 March 2027, at two.
	{
		"2026-10-25T03:30", "America/Chicago", 7, "2026-10-25T03:30:00-05:00", "2026-11-01T02:30:00-06:00",
		"2026-11-01T03:30:00-06:00", "the hour after the change back",
	},
	{
		"2027-03-07T02:30", "America/Chicago", 7, "2027-03-07T02:30:00-06:00", "2027-03-14T03:30:00-05:00",
		"2027-03-14T03:30:00-05:00", "a western hour that is skipped moves forward",
	},
}

func TestElapsedTimeAndWallClockAgainstIANA(t *testing.T) {
	for _, c := range ianaCases {
		t.Run(c.elseRun, func(t *testing.T) {
			z := zone(t, c.zone)
			day, err := time.Parse("2006-01-02T15:04", c.local)
			require.NoError(t, err)
			wall := calendar.WallTime{Hour: day.Hour(), Minute: day.Minute()}
			set := wall.On(time.Date(day.Year(), day.Month(), day.Day(), 12, 0, 0, 0, z), 0, z)
			assert.Equal(t, utc(t, c.set), set.UTC(), "set")
			assert.Equal(t, utc(t, c.exact), calendar.After(set, float64(c.days)).UTC(), "exact")
			assert.Equal(t, utc(t, c.sameWall), wall.On(set, c.days, z).UTC(), "same wall")
		})
	}
}

func utc(t *testing.T, s string) time.Time {
	at, err := time.Parse(time.RFC3339, s)
	require.NoError(t, err)
	return at.UTC()
}

func TestScheduleOfAChickenBatch(t *testing.T) {
	hen, err := species.Find("chicken")
	require.NoError(t, err)
	z := zone(t, "Europe/London")
	set := time.Date(2027, 3, 1, 12, 0, 0, 0, z) // a Monday noon
	b := calendar.Batch{Species: hen, SetAt: set, Zone: z, ChoreAt: &calendar.WallTime{Hour: 18}}

	m := milestones(t, b)
	assert.Equal(t, time.Date(2027, 3, 22, 12, 0, 0, 0, z), m[calendar.Hatch].At, "due on the Monday three weeks later")
	assert.Equal(t, time.Date(2027, 3, 21, 12, 0, 0, 0, z), m[calendar.Hatch].From)
	assert.Equal(t, time.Date(2027, 3, 23, 12, 0, 0, 0, z), m[calendar.Hatch].To)
	assert.Equal(t, time.Date(2027, 3, 19, 18, 0, 0, 0, z), m[calendar.Lockdown].At, "day 18 at the farm's hour")
	assert.Equal(t, "Lockdown, day 18", m[calendar.Lockdown].Label)
	assert.Equal(t, 22.0, m[calendar.Pull].Day)

	b.Counting = calendar.FromOne
	assert.Equal(t, "Lockdown, day 19", milestones(t, b)[calendar.Lockdown].Label)

	b.StorageDays = 10.5 // six days beyond the first four and a half: six hours
	old := milestones(t, b)
	assert.Equal(t, m[calendar.Hatch].At.Add(6*time.Hour), old[calendar.Hatch].At)
	assert.Equal(t, m[calendar.Lockdown].At, old[calendar.Lockdown].At, "old eggs do not move the chore")

	b.StorageDays, b.Bantam = 0, true
	small := milestones(t, b)
	assert.Equal(t, m[calendar.Hatch].From.Add(-calendar.Day), small[calendar.Hatch].From, "bantams up to a day early")
	assert.Equal(t, m[calendar.Hatch].To, small[calendar.Hatch].To)

	b.Bantam = false
	require.NoError(t, json.Unmarshal([]byte(`{"lockdown": 17, "candle": [5], "hatch": 20.5}`), &b.Overrides))
	own := milestones(t, b)
	assert.Equal(t, 17.0, own[calendar.Lockdown].Day)
	assert.Equal(t, 5.0, own[calendar.Candle].Day)
	assert.Equal(t, m[calendar.Hatch].At.Add(-12*time.Hour), own[calendar.Hatch].At)
}

func TestAReptileClutchIsForecastFromItsTemperature(t *testing.T) {
	gecko, err := species.Find("leopard-gecko")
	require.NoError(t, err)
	set := time.Date(2027, 5, 1, 8, 0, 0, 0, time.UTC)
	m := milestones(t, calendar.Batch{Species: gecko, SetAt: set, Zone: time.UTC, TempC: 28})
	assert.InDelta(t, 57, m[calendar.Hatch].Day, 1e-9, "about 57 days at 28 °C")
	assert.NotContains(t, m, calendar.Lockdown)
	assert.NotContains(t, m, calendar.InternalPip)

	halfway := milestones(t, calendar.Batch{Species: gecko, SetAt: set, Zone: time.UTC, TempC: 29})
	assert.InDelta(t, 51.759, halfway[calendar.Hatch].Day, 0.001, "√(57 × 47): interpolated on the log of the duration")

	_, err = calendar.Schedule(calendar.Batch{Species: gecko, SetAt: set, Zone: time.UTC, TempC: 40})
	assert.ErrorContains(t, err, "temp_c: 40 is outside")
}

func TestScheduleProperties(t *testing.T) {
	zones := []string{
		"Europe/London", "America/Chicago", "Australia/Lord_Howe", "Asia/Kolkata", "Pacific/Apia", "America/Sao_Paulo",
	}
	rapid.Check(t, func(t *rapid.T) {
		p := rapid.SampledFrom(species.All()).Draw(t, "species")
		z := zone(t, rapid.SampledFrom(zones).Draw(t, "zone"))
		b := calendar.Batch{
			Species: p, Zone: z,
			SetAt:       time.Unix(rapid.Int64Range(946684800, 2208988800).Draw(t, "set"), 0),
			StorageDays: rapid.Float64Range(0, 20).Draw(t, "storage"),
			ChoreAt:     &calendar.WallTime{Hour: rapid.IntRange(0, 23).Draw(t, "hour"), Minute: 30},
		}
		if p.IsReptile() {
			b.TempC = rapid.Float64Range(p.TemperatureC.From, p.TemperatureC.To).Draw(t, "temp")
		}
		all, err := calendar.Schedule(b)
		require.NoError(t, err)
		for i, m := range all {
			assert.False(t, m.At.Before(m.From) || m.At.After(m.To), "%s: %s lies outside its span", m.Kind, m.At)
			assert.False(t, i > 0 && m.At.Before(all[i-1].At), "%s comes before %s", m.Kind, all[max(0, i-1)].Kind)
			if m.From.Equal(m.To) { // a chore
				assert.LessOrEqual(
					t, m.At.Sub(calendar.After(b.SetAt, m.Day)).Abs(), 26*time.Hour, "%s strays from its day", m.Kind,
				)
			} else {
				assert.Equal(
					t, calendar.After(b.SetAt, m.Day).UTC(), m.At.UTC(), "%s is not at its elapsed day", m.Kind,
				)
			}
		}
	})
}

func TestCountersAndClocks(t *testing.T) {
	start := time.Date(2027, 3, 1, 12, 0, 0, 0, time.UTC)
	assert.Equal(t, 0, calendar.FromZero.Number(start, start.Add(23*time.Hour)))
	assert.Equal(t, 1, calendar.FromZero.Number(start, start.Add(24*time.Hour)))
	assert.Equal(t, 2, calendar.FromOne.Number(start, start.Add(24*time.Hour)))
	assert.Equal(
		t, 25, calendar.FromZero.Number(start.AddDate(0, 0, -4), start.AddDate(0, 0, 21)),
		"a machine started four days before the eggs went in",
	)
	_, err := calendar.ParseWallTime("25:00")
	assert.ErrorContains(t, err, "00:00 to 23:59")
}

// Day 1 is complete a day after the eggs were set, not a quarter of an hour before.
func TestADayTurnsWhenItIsComplete(t *testing.T) {
	set := time.Date(2027, 3, 1, 12, 0, 0, 0, time.UTC)
	for after, want := range map[time.Duration]int{
		0: 0, 23*time.Hour + 46*time.Minute: 0, 24*time.Hour - time.Second: 0, 24 * time.Hour: 1, 47*time.Hour +
			59*time.Minute: 1, 504 * time.Hour: 21,
	} {
		assert.Equal(t, want, calendar.FromZero.Number(set, set.Add(after)), "%v", after)
		assert.Equal(t, want+1, calendar.FromOne.Number(set, set.Add(after)), "%v", after)
	}
	assert.Equal(t, 0, calendar.FromZero.Number(set, set.Add(-time.Hour)), "before the start it shows the first number")
	assert.Equal(t, 18, calendar.FromZero.Count(18-1e-10), "what only rounding keeps from it is complete")
	assert.Equal(t, 17, calendar.FromZero.Count(18-1e-8))
	assert.Equal(t, "7 of 21", calendar.FromZero.Position(7.9, 21))
	assert.Equal(t, "8 of 18.5", calendar.FromOne.Position(7.9, 17.5))
	assert.Equal(t, "07:05", calendar.WallTime{Hour: 7, Minute: 5}.String())
}

// A hen's egg hatches on day 21, 20 to 22; from the external pip to out and from the
// internal to the external pip it takes 12 to 24 hours each. Worked by hand.
func TestPipsLieBeforeTheHatch(t *testing.T) {
	hen, err := species.Find("chicken")
	require.NoError(t, err)
	set := time.Date(2027, 3, 1, 12, 0, 0, 0, time.UTC)
	b := calendar.Batch{Species: hen, SetAt: set, Zone: time.UTC}
	m := milestones(t, b)
	for kind, days := range map[string][3]float64{
		calendar.InternalPip: {19.5, 18.5, 21}, calendar.ExternalPip: {20.25, 19.25, 21.5}, calendar.Hatch: {
			21, 20, 22,
		},
	} {
		x := m[kind]
		assert.Equal(t, days[0], x.Day, kind)
		assert.Equal(
			t, days,
			[3]float64{calendar.Elapsed(set, x.At), calendar.Elapsed(set, x.From), calendar.Elapsed(set, x.To)}, kind,
		)
	}
	assert.Equal(t, [2]float64{22, 23}, [2]float64{m[calendar.Pull].Day, m[calendar.ClearOut].Day})
	assert.Equal(t, set.AddDate(0, 0, 22), m[calendar.Pull].At, "no hour of chores: that of setting")

	b.Bantam = true // the window opens a day earlier, its middle moves half a day
	assert.Equal(t, 20.5, milestones(t, b)[calendar.Hatch].Day)
	b.Bantam, b.StorageDays = false, 4.5
	assert.Equal(t, 21.0, milestones(t, b)[calendar.Hatch].Day, "not late yet")

	// A farm's own hatch takes its span along.
	b.StorageDays = 0
	require.NoError(
		t,
		json.Unmarshal(
			[]byte(`{"hatch": 20, "internal-pip": 18, "external-pip": 19, "pull": 21, "clear-out": 22}`), &b.Overrides,
		),
	)
	m = milestones(t, b)
	span := func(kind string) [2]float64 {
		return [2]float64{calendar.Elapsed(set, m[kind].From), calendar.Elapsed(set, m[kind].To)}
	}
	assert.Equal(t, [2]float64{19, 21}, span(calendar.Hatch))
	assert.Equal(t, [2]float64{18, 20.25}, span(calendar.ExternalPip))
	assert.Equal(t, [2]float64{17, 19.5}, span(calendar.InternalPip))
	assert.Equal(t, [2]float64{21, 22}, [2]float64{m[calendar.Pull].Day, m[calendar.ClearOut].Day})
}

func TestOwnDaysHaveBounds(t *testing.T) {
	hen, err := species.Find("chicken")
	require.NoError(t, err)
	b := calendar.Batch{Species: hen, SetAt: time.Date(2027, 3, 1, 12, 0, 0, 0, time.UTC), Zone: time.UTC}
	for day, ok := range map[int]bool{-1: false, 0: true, calendar.MaxDays: true, calendar.MaxDays + 1: false} {
		b.Overrides = calendar.Overrides{Candle: []int{7, day}}
		_, err = calendar.Schedule(b)
		assert.Equal(t, ok, err == nil, "candling on day %d", day)
	}
	b.Overrides = calendar.Overrides{}
	for days, ok := range map[float64]bool{-.1: false, 0: true, 60: true, 60.1: false} {
		b.StorageDays = days
		_, err = calendar.Schedule(b)
		assert.Equal(t, ok, err == nil, "%g days of storage", days)
	}
}

// Nobody candles a bantam, or what a farm shuts down early, with the lid shut: the last look is at lockdown, once.
func TestNoCandlingIsAfterLockdown(t *testing.T) {
	hen, err := species.Find("chicken")
	require.NoError(t, err)
	days := func(b calendar.Batch) (candled []float64, lock float64) {
		b.Species, b.SetAt, b.Zone = hen, time.Date(2027, 2, 1, 7, 0, 0, 0, time.UTC), time.UTC
		all, err := calendar.Schedule(b)
		require.NoError(t, err)
		for _, m := range all {
			switch m.Kind {
			case calendar.Candle:
				candled = append(candled, m.Day)
			case calendar.Lockdown:
				lock = m.Day
			}
		}
		return candled, lock
	}
	candled, lock := days(calendar.Batch{Bantam: true})
	assert.Equal(t, []float64{7, 14, 17}, candled)
	assert.Equal(t, 17., lock)
	early := 16.5
	candled, lock = days(calendar.Batch{Overrides: calendar.Overrides{Candle: []int{18, 7, 19}, Lockdown: &early}})
	assert.Equal(t, []float64{7, 16}, candled)
	assert.Equal(t, 16.5, lock)
}

// Of every kind, set at any minute: the rest is never cleared out inside the usual span of
// the hatch, reptile eggs not for two weeks after it; nobody pulls young before the
// expected hatch and half a day; and the lid is shut before the first usual pip.
func TestNobodyIsInAHurry(t *testing.T) {
	london := zone(t, "Europe/London")
	for _, p := range species.All() {
		rapid.Check(t, func(t *rapid.T) {
			minute := rapid.IntRange(0, 24*60*365).Draw(t, "minute")
			hour := calendar.WallTime{rapid.IntRange(0, 23).Draw(t, "hour"), 0}
			b := calendar.Batch{
				Species: p, SetAt: time.Date(2027, 1, 1, 0, minute, 0, 0, time.UTC), Zone: london, ChoreAt: &hour,
				StorageDays: float64(rapid.IntRange(0, 14).Draw(t, "stored")), TempC: p.TemperatureC.At,
				Bantam: p.BantamEarlyDays.Known() && rapid.Bool().Draw(t, "bantam"),
			}
			all, err := calendar.Schedule(b)
			require.NoError(t, err)
			at := map[string]calendar.Milestone{}
			for _, m := range all {
				at[m.Kind] = m
			}
			hatch, pull, end := at[calendar.Hatch], at[calendar.Pull], at[calendar.ClearOut]
			if end.At.Before(hatch.To) {
				t.Fatalf("%s: cleared out %s, hatches to %s", p.ID, end.At, hatch.To)
			}
			if p.IsReptile() && end.At.Before(hatch.To.AddDate(0, 0, 13)) {
				t.Fatalf("%s: late ones keep weeks, not %s after %s", p.ID, end.At, hatch.To)
			}
			if pull.At.Before(hatch.At.Add(12 * time.Hour)) {
				t.Fatalf("%s: pulled %s, hatch %s", p.ID, pull.At, hatch.At)
			}
			if lock, ok := at[calendar.Lockdown]; ok {
				if lock.At.After(at[calendar.ExternalPip].From) {
					t.Fatalf("%s: lockdown %s, first pip %s", p.ID, lock.At, at[calendar.ExternalPip].From)
				}
				if last := at[calendar.Candle]; last.At.After(lock.At) {
					t.Fatalf("%s: candled %s, when the lid is shut since %s", p.ID, last.At, lock.At)
				}
			}
		})
	}
}

// The first young moves the pull to a day later; half a day of lockdown is an evening.
func TestThePullFollowsTheHatch(t *testing.T) {
	hen, err := species.Find("chicken")
	require.NoError(t, err)
	seven := calendar.WallTime{Hour: 7}
	b := calendar.Batch{
		Species: hen, SetAt: time.Date(2027, 2, 1, 23, 50, 0, 0, time.UTC), Zone: time.UTC, ChoreAt: &seven,
	}
	find := func(kind string) calendar.Milestone {
		all, err := calendar.Schedule(b)
		require.NoError(t, err)
		return all[slices.IndexFunc(all, func(m calendar.Milestone) bool { return m.Kind == kind })]
	}
	assert.Equal(t, "22 23:50", find(calendar.Hatch).At.Format("2 15:04"))
	assert.Equal(t, "24 07:00", find(calendar.Pull).At.Format("2 15:04"), "not six hours before they hatch")
	b.FirstOut = time.Date(2027, 2, 23, 4, 20, 0, 0, time.UTC)
	assert.Equal(t, "24 07:00", find(calendar.Pull).At.Format("2 15:04"), "a day later, at the chores nearest to it")
	b.FirstOut = time.Date(2027, 2, 23, 18, 0, 0, 0, time.UTC)
	assert.Equal(t, "24 07:00", find(calendar.Pull).At.Format("2 15:04"), "13 hours, rather than 37")
	b.FirstOut = time.Date(2027, 2, 23, 20, 0, 0, 0, time.UTC)
	assert.Equal(t, "25 07:00", find(calendar.Pull).At.Format("2 15:04"))
	b.FirstOut = time.Date(2027, 2, 21, 8, 0, 0, 0, time.UTC)
	assert.Equal(t, "24 07:00", find(calendar.Pull).At.Format("2 15:04"), "not before the hatch and half a day")
	own, err := hen.With([]species.Change{{Figure: "pull_after_h", At: 36}})
	require.NoError(t, err)
	b.Species, b.FirstOut = own, time.Date(2027, 2, 23, 18, 0, 0, 0, time.UTC)
	assert.Equal(t, "25 07:00", find(calendar.Pull).At.Format("2 15:04"), "as the farm does it")
	b.Species = hen
	evening := 17.5
	b.Overrides.Lockdown = &evening
	assert.Equal(t, "18 19:00", find(calendar.Lockdown).At.Format("2 15:04"))
	assert.Equal(t, "Lockdown, day 17.5", find(calendar.Lockdown).Label)
}

// A cold spell moves pips, hatch and what follows of them by its hours, the last turn by whole days.
func TestAColdSpellMakesThemLate(t *testing.T) {
	hens, err := species.Find("chicken")
	require.NoError(t, err)
	b := calendar.Batch{
		Species: hens, SetAt: utc(t, "2027-03-01T07:00:00Z"), Zone: zone(t, "Europe/London"),
	}
	fresh := milestones(t, b)
	b.LateH = 9
	late := milestones(t, b)
	for _, kind := range []string{calendar.InternalPip, calendar.ExternalPip, calendar.Hatch} {
		assert.Equal(t, 9*time.Hour, late[kind].At.Sub(fresh[kind].At), kind)
		assert.Equal(t, 9*time.Hour, late[kind].To.Sub(fresh[kind].To), kind)
	}
	assert.Equal(t, fresh[calendar.Lockdown].At, late[calendar.Lockdown].At, "less than half a day")
	b.LateH = 20
	assert.Equal(t, fresh[calendar.Lockdown].Day+1, milestones(t, b)[calendar.Lockdown].Day)
	b.LateH = -1
	_, err = calendar.Schedule(b)
	assert.ErrorContains(t, err, "late_h: -1 is not possible")
}

// Half a degree too warm over 21 days brings the hatch 0.8 days forward, over half of the
// time half as much; a duck's 28 days in proportion [common practice: half a day to a day].
func TestAWarmMachineHatchesEarly(t *testing.T) {
	for _, c := range []struct {
		kind         string
		offset, days float64
		early        float64
	}{{"chicken", .5, 21, .8}, {"chicken", .5, 10.5, .4}, {"chicken", -.5, 21, -.8}, {"duck", .5, 28, .8 * 28 / 21}} {
		p, err := species.Find(c.kind)
		require.NoError(t, err)
		b := calendar.Batch{Species: p, SetAt: time.Date(2027, 2, 1, 9, 0, 0, 0, time.UTC), Zone: time.UTC}
		usual, err := calendar.Schedule(b)
		require.NoError(t, err)
		b.OffsetC, b.OffsetDays = c.offset, c.days
		moved, err := calendar.Schedule(b)
		require.NoError(t, err)
		day := func(all []calendar.Milestone) float64 {
			return all[slices.IndexFunc(all, func(m calendar.Milestone) bool { return m.Kind == calendar.Hatch })].Day
		}
		assert.InDelta(t, c.early, day(usual)-day(moved), 1e-9, "%v", c)
		assert.Empty(t, b.Warnings())
	}
	hen, err := species.Find("chicken")
	require.NoError(t, err)
	assert.NotEmpty(t, calendar.Batch{Species: hen, OffsetC: 1.2, OffsetDays: 3}.Warnings())
	gecko, err := species.Find("leopard-gecko")
	require.NoError(t, err)
	assert.True(t, calendar.Batch{Species: gecko, TempC: 33}.Extrapolated(), "its table ends at 32 °C")
	assert.False(t, calendar.Batch{Species: gecko, TempC: 30}.Extrapolated())
}

// The rest of a batch is never cleared out in the hour of the pull: quail's span ends on the day on which they are
// pulled. By hand: set on 1 March at 9, hatch 17.5 (16–18), pull on day 19, cleared out on day 20.
func TestTheRestIsLeftADayAfterThePull(t *testing.T) {
	set := time.Date(2027, 3, 1, 9, 0, 0, 0, time.UTC)
	left := func(b calendar.Batch) map[string]time.Time {
		all, err := calendar.Schedule(b)
		require.NoError(t, err)
		b.Leave(all)
		by := map[string]time.Time{}
		for _, m := range all {
			by[m.Kind] = m.At
		}
		return by
	}
	quail, err := species.Find("coturnix-quail")
	require.NoError(t, err)
	at := left(calendar.Batch{Species: quail, SetAt: set, Zone: time.UTC})
	assert.Equal(t, set.AddDate(0, 0, 19), at[calendar.Pull])
	assert.Equal(t, set.AddDate(0, 0, 20), at[calendar.ClearOut])
	hour := calendar.WallTime{Hour: 7}
	for _, p := range species.All() {
		if p.IsReptile() {
			continue
		}
		b := calendar.Batch{Species: p, SetAt: set, Zone: time.UTC, ChoreAt: &hour}
		early := left(b)
		assert.GreaterOrEqual(t, early[calendar.ClearOut].Sub(early[calendar.Pull]), calendar.Day, p.ID)
		b.FirstOut = early[calendar.Hatch].Add(30 * time.Hour) // late ones move both
		late := left(b)
		assert.GreaterOrEqual(t, late[calendar.ClearOut].Sub(late[calendar.Pull]), calendar.Day, p.ID)
		b.LastPip = late[calendar.ClearOut].Add(-time.Hour)
		piped := left(b)[calendar.ClearOut]
		assert.GreaterOrEqual(t, piped.Sub(b.LastPip).Hours(), 1.5*p.PipToOutH.To, "%s: a pip is worth its own time", p.ID)
		assert.Equal(t, 7, piped.Hour(), "at the farm's hour")
	}
}
