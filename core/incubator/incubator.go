// Package incubator is a machine with eggs in it as physics has it: a heater with its thermostat, walls that lose heat
// to the room, a dish of water, air that leaks, eggs that warm slowly and give off heat of their own, a lid that is
// opened. It stands in for hardware, for trying out and for proving what is concluded from readings.
//
// The laws are Newton’s of cooling and a balance of water vapour; the figures of a machine are of the order of common
// ones [common practice], not those of a make.
package incubator

import (
	"math"
	"math/rand/v2"
	"time"

	"metrogon/core/air"
)

// Box is how a machine is built.
type Box struct {
	Litres    float64 // of air
	LossW     float64 // heat through the walls, W a degree
	HoldsJ    float64 // heat held by air, walls near it and water, J a degree
	HeaterW   float64
	SwingC    float64 // of the thermostat, either way
	DishCM2   float64 // surface of its water
	DishML    float64 // that the dish holds
	VentsAnH  float64 // changes of its air an hour, lid shut
	AjarLossW float64 // more heat, W a degree, through a lid not quite shut
	AjarAnH   float64 // and more changes of air
	FanW      float64 // of fan and turner, as long as there is power
}

// The two that a small farm has: a foam or plastic box on a table, and a cabinet.
var (
	Tabletop = Box{
		Litres: 35, LossW: 0.9, HoldsJ: 4500, HeaterW: 42, SwingC: 0.12, DishCM2: 130, DishML: 200, VentsAnH: 0.7,
		AjarLossW: 2.6, AjarAnH: 25, FanW: 1.5,
	}
	Cabinet = Box{
		Litres: 210, LossW: 2.2, HoldsJ: 16000, HeaterW: 160, SwingC: 0.1, DishCM2: 420, DishML: 900, VentsAnH: 0.9,
		AjarLossW: 9, AjarAnH: 18, FanW: 6,
	}
)

// Load is the eggs in it.
type Load struct {
	Eggs     int
	EggG     float64
	Day      float64 // completed days when it begins
	HatchDay float64
}

// Weather is the room around it at a moment.
type Weather struct{ TempC, RHPct float64 }

// Cause is something that is done to a machine, or fails, from a moment to another.
type Cause struct {
	Kind     Kind
	From, To time.Duration // since the beginning
	By       float64       // of a Drift, °C at its end; of RoomSwing, °C
}

// Kind of cause.
type Kind string

// The kinds.
const (
	Opening   Kind = "opening"    // the lid is up
	Ajar      Kind = "ajar"       // the lid is not quite shut
	PowerCut  Kind = "power-cut"  // the probe goes on, by a battery
	DarkCut   Kind = "dark-cut"   // the power is away, and the probe with it
	Drift     Kind = "drift"      // the thermostat
	Dry       Kind = "dry"        // nobody fills the dish
	RoomSwing Kind = "room-swing" // the room is warmer by day, colder by night
	Silent    Kind = "silent"     // the probe tells nothing
)

// Scenarios are the names of what Scenario can have happen.
var Scenarios = []string{
	"quiet", "lid-ajar", "sponge-dry", "thermostat-drift", "power-cut", "room-swing", "probe-silent",
}

// Scenario gives what happens to a machine from a moment on, by its name, beside the openings of every day; false where
// there is none of that name.
func Scenario(name string, at time.Duration, seed uint64) (all []Cause, ok bool) {
	dice := rand.New(rand.NewPCG(seed, 2))
	for day := time.Duration(0); day < at+30*24*time.Hour; day += 24 * time.Hour {
		for range 2 + dice.IntN(3) { // by day, for a quarter of a minute to four
			from := day + time.Duration((7+14*dice.Float64())*float64(time.Hour))
			if c := (Cause{Opening, from, from + time.Duration(15+225*dice.Float64())*time.Second, 0}); c.To < at {
				all = append(all, c)
			}
		}
	}
	switch name {
	case "quiet":
	case "lid-ajar":
		all = append(all, Cause{Ajar, at, at + 2*time.Hour, 0})
	case "sponge-dry":
		all = append(all, Cause{Dry, at - 60*time.Hour, at + 5*24*time.Hour, 0})
	case "thermostat-drift":
		all = append(all, Cause{Drift, at, at + 12*time.Hour, 1.5})
	case "power-cut":
		all = append(all, Cause{PowerCut, at, at + 2*time.Hour, 0})
	case "room-swing":
		all = append(all, Cause{RoomSwing, at, at + 5*24*time.Hour, 8})
	case "probe-silent":
		all = append(all, Cause{Silent, at, at + 3*time.Hour, 0})
	default:
		return nil, false
	}
	return all, true
}

// Run is one machine from a moment on.
type Run struct {
	Box    Box
	Load   Load
	SetC   float64
	Room   Weather
	Causes []Cause
	Fill   time.Duration // how often the dish is filled
	Seed   uint64        // of the noise of the probe and of the room
}

// Reading is what the probe shows.
type Reading struct {
	After        time.Duration
	TempC, RHPct float64
}

// Finest is how near to one another readings are at the least: the step of the reckoning.
const Finest = 10 * time.Second

// step is the same, s.
const step = 10.0

// Physical figures.
const (
	eggHoldsJ   = 3.3    // J/g/K, of an egg
	eggTakesW   = 0.028  // W/K between air and an egg of 58 g
	airHoldsJ   = 1.2    // J/K a litre
	vapourJ     = 2430.0 // J/g to evaporate water
	gasKPa      = 0.4615 // kPa·m³/kg/K of water vapour
	wetsGhKPa   = 0.0045 // g/h of water evaporating from a cm² for each kPa, with a fan
	openAnH     = 90.0   // changes of air an hour, lid up
	openLossW   = 12.0   // W/K for a table box, lid up
	probeLagS   = 75.0   // the probe follows the air with
	probeNoiseC = 0.03
	probeNoise  = 0.4 // points
	embryoW     = 0.16
)

// state of a machine at a moment.
type state struct {
	airC, eggC, kPa, ml float64
	heats               bool
	shownC, shownPct    float64 // by the probe, which lags
}

// Readings runs the machine for a time and yields what the probe shows, once in every (Finest or more), from the
// warm machine on.
func (r Run) Readings(long, every time.Duration, yield func(Reading) bool) {
	dice := rand.New(rand.NewPCG(r.Seed, 1))
	s := state{airC: r.SetC, eggC: r.SetC, ml: r.Box.DishML, shownC: r.SetC}
	s.kPa = 0.5 * saturation(r.SetC)
	s.shownPct = 50
	// It ran for a day before.
	for at := -24 * time.Hour; at < 0; at += Finest {
		r.advance(&s, at)
	}
	next := time.Duration(0)
	for at := time.Duration(0); at < long; at += Finest {
		now := r.advance(&s, at)
		if at < next {
			continue
		}
		next += every
		told := Reading{
			After: at, TempC: round(s.shownC+probeNoiseC*dice.NormFloat64(), 0.05),
			RHPct: min(100, max(0, round(s.shownPct+probeNoise*dice.NormFloat64(), 0.1))),
		}
		if now.silent || now.dark {
			continue
		}
		if !yield(told) {
			return
		}
	}
}

func round(x, to float64) float64 { return to * math.Round(x/to) }

// moment is what holds at a moment.
type moment struct {
	opening, ajar, dark, unpowered, dry, silent bool

	room Weather // with its swing over the day
	setC float64 // where the thermostat believes to hold it
}

func (r Run) moment(at time.Duration) moment {
	byDay := -math.Cos(2 * math.Pi * at.Hours() / 24)
	m := moment{room: r.Room, setC: r.SetC}
	m.room.TempC += 1.2 * byDay
	for _, c := range r.Causes {
		if at < c.From {
			continue
		}
		if c.Kind == Drift {
			m.setC += c.By * min(1, float64(at-c.From)/float64(c.To-c.From))
			continue
		}
		if at >= c.To {
			continue
		}
		switch c.Kind {
		case Opening:
			m.opening = true
		case Ajar:
			m.ajar = true
		case PowerCut:
			m.unpowered = true
		case DarkCut:
			m.unpowered, m.dark = true, true
		case Dry:
			m.dry = true
		case Silent:
			m.silent = true
		case RoomSwing:
			m.room.TempC += c.By * byDay
		}
	}
	return m
}

// advance reckons one step.
func (r Run) advance(s *state, at time.Duration) moment {
	now, b := r.moment(at), r.Box
	room := now.room
	loss, changes := b.LossW, b.VentsAnH
	switch {
	case now.opening:
		loss, changes = loss+openLossW*math.Sqrt(b.Litres/Tabletop.Litres), changes+openAnH
	case now.ajar:
		loss, changes = loss+b.AjarLossW, changes+b.AjarAnH
	}
	power := !now.unpowered
	heat := 0.0
	if power {
		switch set := now.setC; {
		case s.shownC < set-b.SwingC:
			s.heats = true
		case s.shownC > set+b.SwingC:
			s.heats = false
		}
		heat = b.FanW
		if s.heats {
			// Near the point the heater is pulsed, as common thermostats do it.
			heat += b.HeaterW * min(1, max(0.15, (now.setC-s.shownC+0.2)/0.6))
		}
	}
	eggs := float64(r.Load.Eggs)
	toEggs := eggTakesW * eggs * math.Pow(max(r.Load.EggG, 1)/58, 0.667) * (s.airC - s.eggC)
	wets := 0.0
	if s.ml > 0 {
		wets = wetsGhKPa * b.DishCM2 * (saturation(s.airC-2.5) - s.kPa)
		if !power {
			wets *= 0.35 // no fan
		}
	}
	volume := b.Litres / 1000
	heat -= loss*(s.airC-room.TempC) + changes*b.Litres*airHoldsJ/3600*(s.airC-room.TempC) + toEggs + wets*vapourJ/3600
	s.airC += step * heat / b.HoldsJ
	if eggs > 0 {
		s.eggC += step * (toEggs + r.embryos(at)) / (eggs * r.Load.EggG * eggHoldsJ)
	}
	// Water: what evaporates, what the eggs give off, what the air that leaks takes along.
	gives := wets + eggs*0.02*max(0, saturation(s.eggC)-s.kPa)*r.Load.EggG/58*0.35
	outside := saturation(room.TempC) * room.RHPct / 100
	grams := gives*step/3600 - changes*step/3600*volume*(s.kPa-outside)*1000/(gasKPa*(s.airC+273.15))
	s.kPa += grams / 1000 * gasKPa * (s.airC + 273.15) / volume / 4 // walls and eggs take up most of it, slowly
	s.kPa = min(max(s.kPa, 0.2), saturation(s.airC))
	if s.ml = max(0, s.ml-wets*step/3600); !now.dry && r.fills(at) {
		s.ml = b.DishML
	}
	follow := step / probeLagS
	s.shownC += follow * (s.airC - s.shownC)
	s.shownPct += follow * (100*s.kPa/saturation(s.airC) - s.shownPct)
	return now
}

// fills tells whether the dish is filled now.
func (r Run) fills(at time.Duration) bool {
	if r.Fill == 0 {
		return false
	}
	in := at % r.Fill
	return in >= 0 && in < Finest
}

// embryos is what all of them give off, W: from 0.6 of the hatch day on, with the cube of the day.
func (r Run) embryos(at time.Duration) float64 {
	if r.Load.HatchDay == 0 {
		return 0
	}
	share := (r.Load.Day + at.Hours()/24) / r.Load.HatchDay
	if share < 0.6 || share > 1.1 {
		return 0
	}
	return float64(r.Load.Eggs) * embryoW * share * share * share * r.Load.EggG / 58
}

// saturated is the saturation pressure, kPa, from −10 °C in steps of a tenth.
var saturated = func() (all [1001]float64) {
	for i := range all {
		all[i] = air.Saturation(-10 + float64(i)/10)
	}
	return all
}()

// saturation reads it, straight between the steps: a year is reckoned in a second or two.
func saturation(tempC float64) float64 {
	x := min(max(10*(tempC+10), 0), float64(len(saturated)-2))
	i := int(x)
	return saturated[i] + (saturated[i+1]-saturated[i])*(x-float64(i))
}
