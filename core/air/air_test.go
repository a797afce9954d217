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
		{37.7, 101.325, air.FromDewPoint, 26.5, 53.090070145685, 29.071337888441, 26.5, 3.4639112758767, 6.5245935188469},
		{37.5, air.PressureAt(1500), air.FromWetBulb, 29.5, 57.249547986035, 29.5, 27.60023380545, 3.6949839619546, 6.4541714160886},
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
