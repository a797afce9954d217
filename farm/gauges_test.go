package farm_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/instrument"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/gauges"
	"metrogon/farm/snapshot"
)

func (s *shed) gauge(name string, in *int64) int64 {
	must(s.Gauges.Save(s.Context(), by(s.m), gauges.Instrument{
		Name: name, Thermo: true, Hygro: true, MachineID: in,
	}, time.Time{}))
	for _, g := range must(s.Gauges.All(s.Context(), s.m)).Gauges {
		if g.Name == name {
			return g.ID
		}
	}
	s.Fatalf("there is no instrument %s", name)
	return 0
}

func (s *shed) through(machine int64) (x gauges.Machine) {
	require.NoError(s, snapshot.ReadParts(s.Context(), s.Service, s.m, gauges.MachineOf(machine, &x)))
	return x
}

// Checked in ice and beside a clinical thermometer, a machine is read through its instrument: the display of this
// one has to show 38.2 so that the eggs have 37.5.
func TestAMachineIsReadThroughItsInstrument(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	red := s.gauge("Red stick", &s.a)
	check := func(c gauges.Checking) (farm.Done, error) { return s.Gauges.Check(ctx, by(s.m), c) }
	assert.Contains(t, must(check(gauges.Checking{ID: red, How: instrument.Ice, Shown: 0.4})).Said, "0.4 °C too much")
	must(check(gauges.Checking{ID: red, How: instrument.Salt, Shown: 68, Truth: 20}))
	clinical := must(check(gauges.Checking{ID: red, How: instrument.Clinical, Shown: 37.5, Truth: 36.9}))
	shown, moist, display := 37.4, 47., 37.5
	must(s.Gauges.TakeReading(ctx, by(s.m), s.a, gauges.Reading{
		InstrumentID: red, TempC: &shown, RHPct: &moist, DisplayC: &display,
	}))
	x := s.through(s.a)
	require.NotNil(t, x.Now)
	assert.InDelta(t, 36.8, *x.Now.TempC, 0.01)
	assert.InDelta(t, 54, *x.Now.RHPct, 0.5, "47 and 7.47 points")
	assert.InDelta(t, 38.2, *x.DisplayC, 0.01)
	assert.InDelta(t, -0.7, *x.Beside(), 0.01)
	assert.True(t, x.Matters())

	_, err := s.Undo(ctx, by(s.m), clinical.Entry)
	require.NoError(t, err)
	x = s.through(s.a)
	assert.InDelta(t, 37.0, *x.Now.TempC, 0.01, "what was read stays; the correction is that of ice")
	assert.False(t, x.Matters(), "far from ice it is not known well enough to shout")

	s.after(370)
	assert.Len(t, s.chores(chores.CheckGauge), 1, "a year on")
}

// One that was checked itself serves to check another, and passes on how sure it is; what cannot be is said.
func TestOneInstrumentChecksAnother(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	red, blue := s.gauge("Red stick", nil), s.gauge("Blue dial", &s.a)
	must(s.Gauges.Check(ctx, by(s.m), gauges.Checking{ID: red, How: instrument.Salt, Shown: 70, Truth: 20}))
	_, err := s.Gauges.Check(ctx, by(s.m), gauges.Checking{
		ID: blue, How: instrument.Beside, Of: instrument.Temperature, Shown: 37, Other: red, By: 37.4,
	})
	assert.ErrorContains(t, err, "another instrument that was checked itself", "its humidity was, no more")
	must(s.Gauges.Check(ctx, by(s.m), gauges.Checking{ID: red, How: instrument.Clinical, Shown: 37.4, Truth: 37.0}))
	must(s.Gauges.Check(ctx, by(s.m), gauges.Checking{
		ID: blue, How: instrument.Beside, Of: instrument.Temperature, Shown: 38, Other: red, By: 37.9,
	}))
	for _, g := range must(s.Gauges.All(ctx, s.m)).Gauges {
		if g.ID == blue {
			assert.InDelta(t, -0.5, g.Temp.Off(37.5), 1e-9, "38 where 37.9 − 0.4 was true")
			assert.Greater(t, g.Temp.Sure(38), 0.19)
		}
	}
	for says, c := range map[string]gauges.Checking{
		"look whether it is broken": {ID: red, How: instrument.Ice, Shown: 25},
		"another instrument that": {
			ID: red, How: instrument.Beside, Of: instrument.Temperature, Shown: 37, Other: red, By: 37,
		},
		"no way to check": {ID: red, How: "guess", Shown: 37},
	} {
		_, err := s.Gauges.Check(ctx, by(s.m), c)
		assert.ErrorContains(t, err, says)
	}
	hot := 90.
	_, err = s.Gauges.TakeReading(ctx, by(s.m), s.a, gauges.Reading{InstrumentID: red, TempC: &hot})
	assert.ErrorContains(t, err, "it may be -40 to 60")
	_, err = s.Gauges.TakeReading(ctx, by(s.m), s.a, gauges.Reading{})
	assert.ErrorContains(t, err, "Type what was read")
	// 37.6 °C dry and 30 °C wet are 57.8 % at sea level [PsychroLib, SI].
	dry, wet := 37.6, 30.0
	must(s.Gauges.TakeReading(ctx, by(s.m), s.b, gauges.Reading{InstrumentID: red, TempC: &dry, WetC: &wet}))
	assert.InDelta(t, 58, *s.through(s.b).Now.RHPct, 0.01, "whole points, and no correction of the hygrometer")
	_, err = s.Gauges.TakeReading(ctx, by(s.m), s.b, gauges.Reading{InstrumentID: red, WetC: &wet})
	assert.ErrorContains(t, err, "only beside the dry one")
	wet = 39
	_, err = s.Gauges.TakeReading(ctx, by(s.m), s.b, gauges.Reading{InstrumentID: red, TempC: &dry, WetC: &wet})
	assert.ErrorContains(t, err, "cannot be")
	_, err = s.Gauges.Save(ctx, by(s.m), gauges.Instrument{Name: "Red stick", Thermo: true}, time.Time{})
	assert.ErrorContains(t, err, "of that name already")
}

// A machine that ran warm, as its instrument tells, is a fact of the batch that turned in it.
func TestTheReportKnowsHowWarmItWas(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	red := s.gauge("Red stick", &s.a)
	must(s.Gauges.Check(ctx, by(s.m), gauges.Checking{ID: red, How: instrument.Clinical, Shown: 37.0, Truth: 37.4}))
	for day := range 4 {
		s.after(2 + 3*float64(day))
		shown := 38.0
		must(s.Gauges.TakeReading(ctx, by(s.m), s.a, gauges.Reading{InstrumentID: red, TempC: &shown}))
	}
	s.after(18)
	must(s.Hatch.Lockdown(ctx, by(s.m), s.batch1, 0, time.Time{}))
	p := must(s.Report.Report(ctx, s.m, s.batch1))
	said := ""
	for _, c := range p.Diagnosis.Causes {
		if c.ID == "too-hot" {
			for _, e := range c.For {
				said += e.Text
			}
		}
	}
	assert.Contains(t, said, "held 0.9 °C too warm", "38.0 and 0.4, where 37.5 was wanted")
}
