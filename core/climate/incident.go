package climate

import (
	"math"
	"slices"
	"time"

	"metrogon/core/air"
)

// IncidentKind is what readings look like.
type IncidentKind string

// The kinds: the heat was away, or the lid was not quite shut.
const (
	PowerAway IncidentKind = "power"
	LidAjar   IncidentKind = "lid"
)

// Incident is something that happened to a machine, as its readings show.
type Incident struct {
	Kind     IncidentKind
	From, To time.Time // To is zero where it goes on
	LowC     float64
}

// What counts as an incident, by common practice and by how machines behave: an opened lid is forgotten.
const (
	calmOver   = 3 * time.Hour    // what was usual is the middle of so long before
	calmLeast  = 40 * time.Minute // and of no less
	dipC       = 0.8              // °C below the usual
	nearC      = 0.25             // °C below the usual at which a dip begins
	lastsLeast = 15 * time.Minute // of the cause, not of warming up again
	risesIn    = 6 * time.Minute
	risesBy    = 0.3  // °C in that time: it warms up again
	dryAir     = 0.85 // of the usual water in the air, after a quarter of an hour: the room’s air came in
	plunges    = 1.2  // °C in five minutes, where no humidity is told: a lid
	longGap    = 10 * time.Minute
)

// vapour is the water in the air, kPa; NaN where no humidity was told.
func (t Told) vapour() float64 { return air.Saturation(t.TempC) * t.RHPct / 100 }

// Incidents finds power cuts and lids left ajar in the readings of one instrument, in order of time, a minute or a few
// apart. What an opened lid does in up to ten minutes is none, and neither is what goes slowly: a thermostat that
// drifts, a room that grows cold, a dish that runs dry. New cold eggs look like a lid ajar: whoever asks knows when
// some came.
func Incidents(all []Told) (found []Incident) {
	all = ofTemperature(all)
	dips(all, func(d dip, baseC, baseKPa float64) {
		if x, ok := d.judge(all, baseC, baseKPa); ok {
			found = append(found, x)
		}
	})
	return found
}

// Recoveries tells how long it took, after each time that the lid was opened, until it was warm again but for half a
// degree: from when it began to warm.
func Recoveries(all []Told) (took []time.Duration) {
	all = ofTemperature(all)
	dips(all, func(d dip, baseC, baseKPa float64) {
		_, incident := d.judge(all, baseC, baseKPa)
		back := d.back
		for back < len(all) && all[back].TempC < baseC-0.5 {
			back++
		}
		if !incident && back < len(all) {
			took = append(took, all[back].At.Sub(all[d.end].At))
		}
	})
	return took
}

func ofTemperature(all []Told) []Told {
	return slices.DeleteFunc(slices.Clone(all), func(t Told) bool { return math.IsNaN(t.TempC) })
}

// dips goes through the stretches in which it was colder than usual.
func dips(all []Told, each func(d dip, baseC, baseKPa float64)) {
	var calm usual
	for i := 0; i < len(all); i++ {
		t := all[i]
		baseC, baseKPa, known := calm.at(t.At)
		if !known || t.TempC > baseC-dipC {
			calm.add(t)
			continue
		}
		d := dipOf(all, i, baseC)
		each(d, baseC, baseKPa)
		for i = d.back; i < len(all) && all[i].TempC < baseC-dipC; { // the last of its way back
			i++
		}
		if i == len(all) {
			return
		}
		if all[i].At.Sub(all[d.from].At) > calmOver { // what was usual is long ago: it begins anew
			calm = usual{}
		}
	}
}

// usual is what was told while nothing happened.
type usual struct {
	told        []Told
	atC, atKPa  float64
	until, from time.Time
}

func (u *usual) add(t Told) {
	u.told = append(u.told, t)
	for t.At.Sub(u.told[0].At) > calmOver {
		u.told = u.told[1:]
	}
}

// at is the middle of it, worked out anew every ten minutes.
func (u *usual) at(now time.Time) (tempC, kPa float64, known bool) {
	n := len(u.told)
	if n < 3 || u.told[n-1].At.Sub(u.told[0].At) < calmLeast {
		return 0, 0, false
	}
	if now.Sub(u.until) >= 10*time.Minute || u.from.IsZero() {
		var temps, kPas []float64
		for _, t := range u.told {
			temps = append(temps, t.TempC)
			if v := t.vapour(); !math.IsNaN(v) {
				kPas = append(kPas, v)
			}
		}
		u.atC, u.atKPa = middle(temps), middle(kPas)
		u.until, u.from = now, u.told[0].At
	}
	return u.atC, u.atKPa, true
}

func middle(xs []float64) float64 {
	if len(xs) == 0 {
		return math.NaN()
	}
	slices.Sort(xs)
	return xs[len(xs)/2]
}

// dip is a stretch in which it was colder than usual: all[from] is the last before it, all[end] the last before it
// warms up again, all[back] the first that is back; len(all) where it goes on.
type dip struct{ from, end, back int }

func dipOf(all []Told, i int, baseC float64) (d dip) {
	for d.from = i; d.from > 0 && all[d.from].TempC < baseC-nearC && all[d.from].At.Sub(all[d.from-1].At) < longGap; {
		d.from--
	}
	if d.from == i && i > 0 { // a gap lies right before it
		d.from--
	}
	low := all[i].TempC
	for d.back = i; d.back < len(all) && all[d.back].TempC < baseC-max(0.5, 0.25*(baseC-low)); d.back++ {
		low = min(low, all[d.back].TempC)
	}
	d.end = d.from
	for k := d.from; k < d.back; k++ {
		if !warms(all, k) {
			d.end = k
		}
	}
	return d
}

// warms tells whether it grows warmer from a reading on.
func warms(all []Told, k int) bool {
	for j := k + 1; j < len(all); j++ {
		if all[j].At.Sub(all[k].At) >= risesIn {
			return all[j].TempC-all[k].TempC >= risesBy
		}
	}
	return false
}

// judge tells whether a dip is an incident, and which.
func (d dip) judge(all []Told, baseC, baseKPa float64) (x Incident, ok bool) {
	x.From, x.LowC = all[d.from].At, math.Inf(1)
	end := min(d.end+1, len(all)-1)
	for _, t := range all[d.from:min(d.back+1, len(all))] {
		x.LowC = min(x.LowC, t.TempC)
	}
	if d.from+1 < len(all) && all[d.from+1].At.Sub(x.From) >= longGap { // the probe was dark meanwhile
		x.Kind, x.To = PowerAway, all[d.from+1].At
		return x, x.To.Sub(x.From) >= lastsLeast
	}
	if d.back < len(all) || warmsAtLast(all, d) {
		x.To = all[end].At
	}
	lasts := all[end].At.Sub(x.From)
	if lasts < lastsLeast {
		return x, false
	}
	x.Kind = PowerAway
	driest, plunge := math.NaN(), 0.0
	for _, t := range all[d.from : end+1] {
		since := t.At.Sub(x.From)
		if v := t.vapour(); since <= 20*time.Minute && since >= 8*time.Minute && !(v >= driest) && !math.IsNaN(v) {
			driest = v
		}
		if since <= 5*time.Minute {
			plunge = max(plunge, baseC-t.TempC)
		}
	}
	switch {
	case math.IsNaN(driest) || math.IsNaN(baseKPa):
		if plunge > plunges {
			x.Kind = LidAjar
		}
	case driest < dryAir*baseKPa:
		x.Kind = LidAjar
	}
	return x, true
}

// warmsAtLast tells whether it is on its way back where it is not back yet.
func warmsAtLast(all []Told, d dip) bool {
	return d.end < len(all)-1 && all[len(all)-1].At.Sub(all[d.end].At) >= risesIn
}
