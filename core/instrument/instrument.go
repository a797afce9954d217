// Package instrument knows what thermometers and hygrometers are worth: how they are checked, what has to be added to
// what they show, how sure that is, and what a machine’s own display must show.
package instrument

import (
	"fmt"
	"math"
	"slices"
	"time"
)

// Quantity is what an instrument shows.
type Quantity string

// The quantities: °C, and % relative humidity.
const (
	Temperature Quantity = "temperature"
	Humidity    Quantity = "humidity"
)

// How an instrument is checked.
const (
	Ice      = "ice"      // stirred melting ice: 0 °C
	Clinical = "clinical" // beside a clinical thermometer near 37 °C
	Salt     = "salt"     // over wet table salt in a shut bag, some hours: about 75 %
	Beside   = "beside"   // beside another instrument, whose own correction is known
)

// Check is one comparison: what the instrument showed, and what was true.
type Check struct {
	Of    Quantity
	How   string
	At    time.Time
	Shown float64
	True  float64
	// Sure is within how much the truth is known, ±: of ice 0.2 °C, a clinical thermometer 0.1 °C, salt 2 points
	// [common practice].
	Sure float64
}

// Off is what has to be added to what is shown.
func (c Check) Off() float64 { return c.True - c.Shown }

// saltPct is the humidity over saturated sodium chloride by temperature, from 0 °C in steps of 5 [Greenspan 1977,
// Humidity fixed points of binary saturated aqueous solutions, J. Res. NBS 81A].
var saltPct = []float64{75.51, 75.65, 75.67, 75.61, 75.47, 75.29, 75.09, 74.87, 74.68}

// SaltPct is the humidity over wet salt at a temperature of 0 to 40 °C, in %.
func SaltPct(tempC float64) float64 {
	x := min(max(tempC/5, 0), float64(len(saltPct)-1))
	i := min(int(x), len(saltPct)-2)
	return saltPct[i] + (saltPct[i+1]-saltPct[i])*(x-float64(i))
}

// NewCheck makes a check of what was read; truth is what the other showed, for Clinical and Beside, and the
// temperature of the bag, for Salt. An error says what cannot be.
func NewCheck(how string, of Quantity, at time.Time, shown, truth, sure float64) (Check, error) {
	c := Check{Of: of, How: how, At: at, Shown: shown, True: truth, Sure: sure}
	switch how {
	case Ice:
		c.Of, c.True, c.Sure = Temperature, 0, 0.2
	case Clinical:
		c.Of, c.Sure = Temperature, 0.1
		if !(truth >= 30 && truth <= 43) {
			return c, fmt.Errorf("true: %g °C is nothing that a clinical thermometer shows; it may be 30 to 43", truth)
		}
	case Salt:
		if !(truth >= 0 && truth <= 40) {
			return c, fmt.Errorf("temp: %g °C is too far from a room; it may be 0 to 40", truth)
		}
		c.Of, c.True, c.Sure = Humidity, SaltPct(truth), 2
	case Beside:
	default:
		return c, fmt.Errorf("how: %q is no way to check; it may be ice, clinical, salt or beside", how)
	}
	most := map[Quantity]float64{Temperature: 10, Humidity: 35}[c.Of]
	if most == 0 {
		return c, fmt.Errorf("of: %q is nothing that is checked; it may be temperature or humidity", string(c.Of))
	}
	if !(math.Abs(c.Off()) <= most) {
		return c, fmt.Errorf("shown: %g lies %.1f beside the truth: look whether it is broken, or was read too soon", shown,
			math.Abs(c.Off()))
	}
	return c, nil
}

// tooFar is within which two checks are taken as of one place of the scale.
var tooFar = map[Quantity]float64{Temperature: 5, Humidity: 10}

// Correction is what checks say of an instrument: the newest at each place of its scale.
type Correction struct {
	Of     Quantity
	Points []Check // by what was shown, rising
}

// CorrectionOf takes the newest checks of a quantity, one for each place of the scale.
func CorrectionOf(of Quantity, checks []Check) Correction {
	all := slices.DeleteFunc(slices.Clone(checks), func(c Check) bool { return c.Of != of })
	slices.SortStableFunc(all, func(a, b Check) int { return b.At.Compare(a.At) })
	k := Correction{Of: of}
	for _, c := range all {
		if !slices.ContainsFunc(k.Points, func(p Check) bool { return math.Abs(p.Shown-c.Shown) < tooFar[of] }) {
			k.Points = append(k.Points, c)
		}
	}
	slices.SortFunc(k.Points, func(a, b Check) int { return int(math.Copysign(1, a.Shown-b.Shown)) })
	return k
}

// Known tells whether it was checked at all.
func (k Correction) Known() bool { return len(k.Points) > 0 }

// Off is what is added to what is shown: straight between two checks, and the nearest one's beyond them.
func (k Correction) Off(shown float64) float64 {
	switch n := len(k.Points); {
	case n == 0:
		return 0
	case shown <= k.Points[0].Shown:
		return k.Points[0].Off()
	case shown >= k.Points[n-1].Shown:
		return k.Points[n-1].Off()
	}
	i := slices.IndexFunc(k.Points, func(p Check) bool { return p.Shown > shown })
	a, b := k.Points[i-1], k.Points[i]
	return a.Off() + (b.Off()-a.Off())*(shown-a.Shown)/(b.Shown-a.Shown)
}

// True is what was so when the instrument showed this.
func (k Correction) True(shown float64) float64 { return shown + k.Off(shown) }

// Sure is within how much a corrected value is known, ±; a check far from it on the scale tells less: of a
// temperature a hundredth of the distance more. Without a check 1 °C, or 10 points [common practice: cheap
// instruments differ by so much].
func (k Correction) Sure(shown float64) float64 {
	if !k.Known() {
		return map[Quantity]float64{Temperature: 1, Humidity: 10}[k.Of]
	}
	near := slices.MinFunc(k.Points, func(a, b Check) int {
		return int(math.Copysign(1, math.Abs(a.Shown-shown)-math.Abs(b.Shown-shown)))
	})
	far := math.Abs(near.Shown-shown) * map[Quantity]float64{Temperature: 0.01, Humidity: 0.1}[k.Of]
	if len(k.Points) > 1 && shown >= k.Points[0].Shown && shown <= k.Points[len(k.Points)-1].Shown {
		far = 0 // between two checks
	}
	return near.Sure + far
}

// Months after which a check is done again [common practice]: hygrometers drift faster.
var checkAgain = map[Quantity]int{Temperature: 12, Humidity: 6}

// Due is when it is checked again; ok is false where it never was.
func (k Correction) Due() (at time.Time, ok bool) {
	for _, p := range k.Points {
		if next := p.At.AddDate(0, checkAgain[k.Of], 0); next.After(at) {
			at, ok = next, true
		}
	}
	return at, ok
}

// DisplayFor is what a machine's own display must show so that the eggs have what is wanted, from one look at
// both: what it showed when a corrected instrument at egg height had so much.
func DisplayFor(wanted, display, corrected float64) float64 { return wanted + display - corrected }
