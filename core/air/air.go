// Package air does psychrometrics: how much water the air around an egg holds
// and could hold. Temperatures °C, pressures kPa, humidity in percent.
package air

import (
	"fmt"
	"math"
)

// StandardPressure is the pressure of the standard atmosphere at sea level, kPa.
const StandardPressure = 101.325

// State is moist air, every measure of its water worked out.
type State struct {
	DryBulbC          float64 `json:"dry_bulb_c"`
	RHPct             float64 `json:"rh_pct"`
	WetBulbC          float64 `json:"wet_bulb_c"`  // thermodynamic
	DewPointC         float64 `json:"dew_point_c"` // below 0.01 °C: frost point
	VapourPressureKPa float64 `json:"vapour_pressure_kpa"`
	SaturationKPa     float64 `json:"saturation_kpa"` // at the dry bulb
	AbsoluteGM3       float64 `json:"absolute_g_m3"`
	PressureKPa       float64 `json:"pressure_kpa"`
}

// The triple point parts the ice branch of the saturation curve from the
// liquid one.
const triplePointC = 0.01

// Saturation gives the saturation pressure of water vapour, kPa, over ice below
// 0.01 °C and over liquid above, for −100 to 200 °C. Source: Hyland & Wexler
// 1983, as printed in ASHRAE Handbook — Fundamentals, psychrometrics, eq. 5, 6.
func Saturation(tempC float64) float64 {
	t := tempC + 273.15
	var ln float64
	if tempC <= triplePointC {
		ln = -5.6745359e3/t + 6.3925247 - 9.677843e-3*t + 6.2215701e-7*t*t +
			2.0747825e-9*t*t*t - 9.484024e-13*t*t*t*t + 4.1635019*math.Log(t)
	} else {
		ln = -5.8002206e3/t + 1.3914993 - 4.8640239e-2*t + 4.1764768e-5*t*t -
			1.4452093e-8*t*t*t + 6.5459673*math.Log(t)
	}
	return math.Exp(ln) / 1000
}

// PressureAt gives the standard atmosphere's pressure, kPa, at an altitude in
// metres, −500 to 11 000. Source: ASHRAE Fundamentals, psychrometrics, eq. 3.
func PressureAt(altitudeM float64) float64 {
	return StandardPressure * math.Pow(1-2.25577e-5*altitudeM, 5.2559)
}

// FromRH works out the air from its relative humidity, 0–100 %.
func FromRH(dryC, rhPct, pressureKPa float64) (State, error) {
	if err := checkAir(dryC, pressureKPa); err != nil {
		return State{}, err
	}
	if !(rhPct >= 0 && rhPct <= 100) {
		return State{}, fmt.Errorf("rh_pct: %g is not possible; it may be 0 to 100", rhPct)
	}
	return fromVapour(dryC, rhPct/100*Saturation(dryC), pressureKPa), nil
}

// FromDewPoint works out the air from its dew point, °C, at most the dry bulb.
func FromDewPoint(dryC, dewC, pressureKPa float64) (State, error) {
	if err := checkAir(dryC, pressureKPa); err != nil {
		return State{}, err
	}
	if !(dewC >= -100 && dewC <= dryC) {
		return State{}, fmt.Errorf("dew_point_c: %g is not possible; it may be -100 to the dry bulb, %g", dewC, dryC)
	}
	s := fromVapour(dryC, Saturation(dewC), pressureKPa)
	s.DewPointC = dewC
	return s, nil
}

// FromWetBulb works out the air from its wet bulb, °C, between the driest
// possible reading and the dry bulb.
func FromWetBulb(dryC, wetC, pressureKPa float64) (State, error) {
	if err := checkAir(dryC, pressureKPa); err != nil {
		return State{}, err
	}
	driest := wetBulb(dryC, 0, pressureKPa)
	if !(wetC >= driest && wetC <= dryC) {
		return State{}, fmt.Errorf(
			"wet_bulb_c: %g is not possible; it may be %.2f (bone dry air) to the dry bulb, %g", wetC, driest, dryC,
		)
	}
	w := max(0, ratioFromWetBulb(dryC, wetC, pressureKPa))
	s := fromVapour(dryC, pressureKPa*w/(waterToAir+w), pressureKPa)
	s.WetBulbC = wetC
	return s, nil
}

func checkAir(dryC, pressureKPa float64) error {
	if !(dryC >= -50 && dryC <= 100) {
		return fmt.Errorf("dry_bulb_c: %g is out of range; it may be -50 to 100", dryC)
	}
	if !(pressureKPa >= 30 && pressureKPa <= 120) {
		return fmt.Errorf("pressure_kpa: %g is out of range; it may be 30 to 120", pressureKPa)
	}
	if Saturation(dryC) >= pressureKPa {
		return fmt.Errorf("dry_bulb_c: water boils at %g under %g kPa; it may be lower", dryC, pressureKPa)
	}
	return nil
}

func fromVapour(dryC, vapour, pressure float64) State {
	sat := Saturation(dryC)
	return State{
		DryBulbC: dryC, PressureKPa: pressure, VapourPressureKPa: vapour, SaturationKPa: sat,
		RHPct:       100 * vapour / sat,
		WetBulbC:    wetBulb(dryC, humidityRatio(vapour, pressure), pressure),
		DewPointC:   dewPoint(vapour, dryC),
		AbsoluteGM3: vapour * 1e6 / (461.524 * (dryC + 273.15)), // ideal gas, R of water vapour in J/(kg K)
	}
}

// waterToAir is the ratio of the molar masses of water and dry air.
const waterToAir = 0.621945

func humidityRatio(vapour, pressure float64) float64 {
	return waterToAir * vapour / (pressure - vapour)
}

// ratioFromWetBulb is the energy balance of the wet bulb, kg of water a kg of
// dry air: ASHRAE Fundamentals, psychrometrics, eq. 33 and 35.
func ratioFromWetBulb(dryC, wetC, pressure float64) float64 {
	ws := humidityRatio(Saturation(wetC), pressure)
	if wetC >= 0 {
		return ((2501-2.326*wetC)*ws - 1.006*(dryC-wetC)) / (2501 + 1.86*dryC - 4.186*wetC)
	}
	return ((2830-0.24*wetC)*ws - 1.006*(dryC-wetC)) / (2830 + 1.86*dryC - 2.1*wetC)
}

func wetBulb(dryC, ratio, pressure float64) float64 {
	return bisect(-100, dryC, func(t float64) bool { return ratioFromWetBulb(dryC, t, pressure) < ratio })
}

func dewPoint(vapour, dryC float64) float64 {
	return bisect(-100, dryC, func(t float64) bool { return Saturation(t) < vapour })
}

// bisect finds where tooLow turns from true to false, to 1e-9.
func bisect(lo, hi float64, tooLow func(float64) bool) float64 {
	for hi-lo > 1e-9 {
		mid := (lo + hi) / 2
		if tooLow(mid) {
			lo = mid
		} else {
			hi = mid
		}
	}
	return (lo + hi) / 2
}
