package air_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"metrogon/core/air"
)

// Computed with PsychroLib 2.5.
func TestHumidityAgainstPsychroLib(t *testing.T) {
	for _, c := range []struct {
		dry, pressure             float64
		from                      func(dry, x, p float64) (air.State, error)
		x                         float64
		rh, wet, dew, vapour, sat float64
	}{
		{37.6, 101.325, air.FromWetBulb, 30, 57.825063202538, 30, 27.864488724863, 3.7524417378384, 6.4892998468416},
		{37.5, 101.325, air.FromRH, 55, 55, 29.314406498942, 26.916188776283, 3.5497942778487, 6.4541714160886},
		{
			37.7, 101.325, air.FromDewPoint, 26.5, 53.090070145685, 29.071337888441, 26.5, 3.4639112758767,
			6.5245935188469,
		},
		{
			37.5, air.PressureAt(1500), air.FromWetBulb, 29.5, 57.249547986035, 29.5, 27.60023380545, 3.6949839619546,
			6.4541714160886,
		},
		{18, 101.325, air.FromRH, 75, 75, 15.222831431889, 13.506948768645, 1.5482187292025, 2.0642916389367},
	} {
		s, err := c.from(c.dry, c.x, c.pressure)
		require.NoError(t, err)
		assert.InDelta(t, c.rh, s.RHPct, 0.01)
		assert.InDelta(t, c.wet, s.WetBulbC, 0.005)
		assert.InDelta(t, c.dew, s.DewPointC, 0.005)
		assert.InEpsilon(t, c.vapour, s.VapourPressureKPa, 1e-4)
		assert.InEpsilon(t, c.sat, s.SaturationKPa, 1e-6)
	}
	assert.InDelta(t, 84.555932311432, air.PressureAt(1500), 1e-6)
}

func TestTheThreeWaysAgree(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		dry, rh := rapid.Float64Range(0, 50).Draw(t, "dry"), rapid.Float64Range(5, 100).Draw(t, "rh")
		a, err := air.FromRH(dry, rh, air.StandardPressure)
		require.NoError(t, err)
		assert.True(t, a.DewPointC <= a.WetBulbC+1e-6 && a.WetBulbC <= dry+1e-6)
		b, err := air.FromWetBulb(dry, a.WetBulbC, air.StandardPressure)
		require.NoError(t, err)
		c, err := air.FromDewPoint(dry, min(a.DewPointC, dry), air.StandardPressure)
		require.NoError(t, err)
		assert.InDelta(t, rh, b.RHPct, 0.02)
		assert.InDelta(t, rh, c.RHPct, 0.001)
	})
}

func TestImpossibleAirIsRefused(t *testing.T) {
	_, err := air.FromRH(37.5, 120, air.StandardPressure)
	assert.ErrorContains(t, err, "rh_pct: 120 is not possible; it may be 0 to 100")
	_, err = air.FromWetBulb(37.5, 38, air.StandardPressure)
	assert.ErrorContains(t, err, "wet_bulb_c: 38")
	_, err = air.FromDewPoint(20, 21, air.StandardPressure)
	assert.ErrorContains(t, err, "dew_point_c: 21")
	_, err = air.FromRH(1e9, 50, air.StandardPressure)
	assert.ErrorContains(t, err, "dry_bulb_c")
}

// From memory: ASHRAE Fundamentals, thermodynamic properties of water at saturation, as
// PsychroLib's own tests quote it, to 0.03 %; over ice below 0 °C.
func TestSaturationAgainstTheTable(t *testing.T) {
	for c, pascal := range map[float64]float64{
		-20: 103.24, -5: 401.74, 5: 872.6, 25: 3169.7, 50: 12351.3, 100: 101418.0, 150: 476101.4,
	} {
		assert.InEpsilon(t, pascal/1000, air.Saturation(c), 3e-4, "%g °C", c)
	}
	// Both branches meet at the triple point of water, 611.657 Pa (IAPWS R6-95).
	assert.InDelta(t, .611657, air.Saturation(.01), 1e-4)
	assert.InDelta(t, air.Saturation(.0100001), air.Saturation(.01), 5e-5)
	// From memory: standard atmosphere, 1000 m 89.875 kPa, 3000 m 70.108 kPa.
	assert.InDelta(t, 89.875, air.PressureAt(1000), .01)
	assert.InDelta(t, 70.108, air.PressureAt(3000), .02)
	assert.Equal(t, air.StandardPressure, air.PressureAt(0))
}

func TestHalfMoistRoomAir(t *testing.T) {
	// From memory: saturated air of 20 °C holds 17.3 g/m³; at half its wet bulb is 13.8 °C
	// and its dew point 9.3 °C.
	s, err := air.FromRH(20, 50, air.StandardPressure)
	require.NoError(t, err)
	assert.InDelta(t, 17.3/2, s.AbsoluteGM3, .02)
	assert.InDelta(t, 13.8, s.WetBulbC, .05)
	assert.InDelta(t, 9.3, s.DewPointC, .05)
	assert.Equal(t, [3]float64{20, 50, air.StandardPressure}, [3]float64{s.DryBulbC, s.RHPct, s.PressureKPa})
	full, err := air.FromRH(20, 100, air.StandardPressure)
	require.NoError(t, err)
	assert.InDelta(t, 20, full.WetBulbC, 1e-6)
	assert.InDelta(t, 20, full.DewPointC, 1e-6)
	_, err = air.FromRH(20, 0, air.StandardPressure)
	assert.NoError(t, err, "bone dry air is possible")
}

func TestBoundsOfAir(t *testing.T) {
	ok := func(dry, pressure float64) bool { _, err := air.FromRH(dry, 10, pressure); return err == nil }
	for _, c := range []struct {
		dry, pressure float64
		ok            bool
	}{
		{-50, 101, true}, {-50.1, 101, false}, {100, 120, true}, {100.1, 120, false}, {20, 30, true}, {20, 29.9, false},
		{20, 120, true}, {20, 120.1, false}, {80, 40, false},
	} {
		assert.Equal(t, c.ok, ok(c.dry, c.pressure), "%g °C, %g kPa", c.dry, c.pressure)
	}
	for dew, want := range map[float64]bool{-100: true, -100.1: false, 20: true, 20.01: false} {
		_, err := air.FromDewPoint(20, dew, air.StandardPressure)
		assert.Equal(t, want, err == nil, "dew point %g", dew)
	}
	_, err := air.FromWetBulb(20, 20, air.StandardPressure)
	assert.NoError(t, err)
	_, err = air.FromWetBulb(20, -20, air.StandardPressure)
	assert.ErrorContains(
		t, err, "wet_bulb_c: -20 is not possible; it may be 5.", "bone dry air of 20 °C has a wet bulb of about 5.8 °C",
	)
}

// From memory: WMO-No. 8, the psychrometer over ice: e = e_i(t_w) − 5.75e-4 · p · (t − t_w),
// good to a percent or two of the last term.
func TestAFrozenWetBulb(t *testing.T) {
	s, err := air.FromWetBulb(-2, -5, air.StandardPressure)
	require.NoError(t, err)
	assert.InDelta(t, .40174-5.75e-4*101.325*3, s.VapourPressureKPa, .002)
	s, err = air.FromWetBulb(4, -3, air.StandardPressure)
	require.NoError(t, err)
	assert.InDelta(t, air.Saturation(-3)-5.75e-4*101.325*7, s.VapourPressureKPa, .006)
}
