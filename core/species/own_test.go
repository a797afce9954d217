package species_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/species"
)

func TestAFarmsOwnFigures(t *testing.T) {
	hen, err := species.Find("chicken")
	require.NoError(t, err)
	own, err := hen.With([]species.Change{
		{Figure: "lockdown_day", At: 17}, {Figure: "humidity_set_pct", From: 30, To: 40},
		{Figure: "candle_days", Days: []int{10, 5, 5}},
	})
	require.NoError(t, err)
	assert.Equal(t, 17.0, own.LockdownDay.At)
	assert.Equal(
		t, species.Figure{At: 35, From: 30, To: 40, Origin: species.Origin{Mark: species.FarmsOwn}}, own.HumiditySetPct,
	)
	assert.Equal(t, []int{5, 10}, own.CandleDays.Days)
	assert.Equal(t, "this farm’s own", own.LockdownDay.Origin.String())
	assert.Equal(t, 18.0, hen.LockdownDay.At, "the shipped profile stays as it is")
	assert.Equal(t, []int{7, 14, 18}, hen.CandleDays.Days)
	assert.Equal(t, hen.HatchDays, own.HatchDays)
	early, err := hen.With([]species.Change{{Figure: "lockdown_day", At: 17}})
	require.NoError(t, err)
	assert.Equal(t, []int{7, 14, 17}, early.CandleDays.Days, "the last candling goes with lockdown")
}

func TestAbsurdFiguresAreRefusedUnusualOnesFlagged(t *testing.T) {
	hen, err := species.Find("chicken")
	require.NoError(t, err)
	for says, c := range map[string]species.Change{
		"Hatch is 60; it may be 16 to 27 days": {
			Figure: "hatch_days", At: 60,
		},
		"Temperature, forced air is 100.4; it may be 35 to 39.5 °C": {
			Figure: "temperature_c", At: 100.4,
		},
		"Humidity while turning is 0; it may be 10 to 85 %": {
			Figure: "humidity_set_pct", To: 50,
		},
		"Stop turning, lockdown is on day 17.3; it may be a whole day, or its evening like 25.5": {
			Figure: "lockdown_day", At: 17.3,
		},
		"lockdown on day 21 leaves no day before the hatch on day 21; it may be up to day 20": {
			Figure: "lockdown_day", At: 21,
		},
		"candling on day 20 lies behind lockdown on day 18; it may be up to that day": {
			Figure: "candle_days", Days: []int{7, 20},
		},
		"eggs keep best up to day 12, yet most stop at day 10; it may be the other way round": {
			Figure: "storage_best_days", At: 12,
		},
		"Candle on days: day 99 is given; it may be 1 to 22": {
			Figure: "candle_days", Days: []int{99},
		},
		"Candle on days: 0 are given; it may be 1 to 10 days": {Figure: "candle_days"},
		"colour is no figure of Chicken that can be changed": {
			Figure: "colour", At: 1,
		},
		"Humidity in lockdown is 80, from 65 to 70; it may lie within its own span only": {
			Figure: "humidity_lockdown_pct", At: 80, From: 65, To: 70,
		},
	} {
		_, err := hen.With([]species.Change{c})
		assert.EqualError(t, err, says)
	}
	_, odd := hen.Unusual(species.Change{Figure: "lockdown_day", At: 17})
	assert.False(t, odd)
	for usual, c := range map[[2]float64]species.Change{
		{17, 19}: {Figure: "lockdown_day", At: 16}, {37, 38}: {Figure: "temperature_c", At: 38.2},
		{40, 60}: {Figure: "humidity_set_pct", From: 20, To: 35},
	} {
		f, odd := hen.Unusual(c)
		assert.True(t, odd, "%v", c)
		assert.InDeltaSlice(t, usual[:], []float64{f.From, f.To}, 1e-9, "%v", c)
	}
	_, err = hen.With([]species.Change{{Figure: "lockdown_day", At: 21}})
	var clash species.DayError
	require.ErrorAs(t, err, &clash)
	assert.Equal(
		t, "lockdown on day 22 leaves no day before the hatch on day 22; it may be up to day 21", clash.Counted(1),
	)
}

// Every shipped figure lies within the range in which a farm may change it, so
// that a farm can always go back by hand.
func TestShippedFiguresMayBeTyped(t *testing.T) {
	for _, p := range species.All() {
		for _, o := range p.Changeable() {
			c := species.Change{Figure: o.Name, Days: p.CandleDays.Days}
			if f, ok := p.Figure(o.Name); ok {
				if !f.Known() {
					continue
				}
				c.At, c.From, c.To = f.At, f.From, f.To
			}
			_, err := p.With([]species.Change{c})
			assert.NoError(t, err, "%s %s", p.ID, o.Name)
			_, odd := p.Unusual(c)
			assert.False(t, odd, "%s %s", p.ID, o.Name)
		}
	}
}

func TestAKindOfTheFarmsOwn(t *testing.T) {
	id, err := species.OwnID("duck", "  Cayuga  Blue ")
	require.NoError(t, err)
	assert.Equal(t, "duck~Cayuga_Blue", id)
	p, err := species.Find(id)
	require.NoError(t, err)
	duck, err := species.Find("duck")
	require.NoError(t, err)
	assert.Equal(t, []string{"Cayuga Blue", "Cayuga Blue", "duck", ""}, []string{p.Name, p.Short, p.Like(), duck.Like()})
	assert.Equal(t, duck.HatchDays, p.HatchDays)
	own, err := p.With([]species.Change{{Figure: "hatch_days", At: 27.5, Source: "a neighbour’s notebook"}})
	require.NoError(t, err)
	assert.Equal(t, "this farm’s own: a neighbour’s notebook", own.HatchDays.Origin.String())
	assert.Equal(t, 28.0, duck.HatchDays.At, "the shipped one stays as it is")
	for name, like := range map[string]string{"X": "duck", "Sumo <b>": "duck", "Blue": "dodo", "Twice": id, "~~": "duck"} {
		_, err := species.OwnID(like, name)
		assert.Error(t, err, "%s like %s", name, like)
	}
	for _, id := range []string{"duck~", "dodo~Blue", "~Blue", "duck~Blue~Green~"} {
		if p, err := species.Find(id); err == nil {
			assert.NotContains(t, []string{"duck~", "dodo~Blue", "~Blue"}, id, "found %v", p.Name)
		}
	}
}
