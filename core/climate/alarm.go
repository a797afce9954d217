package climate

import (
	"math"
	"time"
)

// Told is what an instrument told at a moment, corrected; NaN where it told nothing of that.
type Told struct {
	At           time.Time
	TempC, RHPct float64
}

// Alert is what a farm wants to be woken for.
type Alert string

// The alerts.
const (
	Warm    Alert = "warm"   // over a temperature
	Cool    Alert = "cool"   // under one
	Humid   Alert = "humid"  // over a humidity
	Parched Alert = "dry"    // under one
	Falls   Alert = "falls"  // by so many degrees within ten minutes, and does not come back
	Silent  Alert = "silent" // nothing is told any more
	ByKind  Alert = "kind"   // out of what the reptiles' eggs in the machine bear (core/reptile: Guard)
)

// Alerts lists them.
var Alerts = []Alert{Cool, Warm, Parched, Humid, Falls, Silent, ByKind}

// Alarm rings once something was so for a while.
type Alarm struct {
	What  Alert
	Bound float64 // °C, %, or by how many °C it falls; nothing for Silent
	// Delay is how long it has to be so: an opened lid is forgotten within it. While it comes back by itself the
	// alarm waits as long again at the most.
	Delay time.Duration
}

// Ring is an alarm from when it came to be so until it was over.
type Ring struct {
	Began, Rang time.Time
	Ended       time.Time // zero: it is not over
	Worst       float64   // °C or %; minutes of silence
}

// How an alarm holds on, and what it overlooks [common practice].
const (
	backC   = 0.2              // °C by which it has to be back before the alarm is over
	backPct = 2.0              // points
	gap     = 15 * time.Minute // of readings, over which nothing is known
	fallsIn = 10 * time.Minute
	risesC  = 0.4 // °C in ten minutes by which it comes back
	risesRH = 3.0 // points
)

// watch is an alarm as it goes through readings.
type watch struct {
	Alarm
	told    []Told // of the last minutes
	rings   []Ring
	began   time.Time // zero: it is not so now
	worst   float64
	ringing bool
	fell    float64 // from where it fell
}

// Rings tells when the alarm rings over readings in order of time, as far as a moment. Where during is given, only
// what happens while it is true counts, as the eggs’ phase.
func (a Alarm) Rings(all []Told, until time.Time, during func(time.Time) bool) []Ring {
	w := watch{Alarm: a}
	for _, r := range all {
		if r.At.After(until) {
			break
		}
		if a.What != Silent && math.IsNaN(a.value(r)) {
			continue
		}
		w.see(r, during == nil || during(r.At))
	}
	if n := len(w.told); n > 0 && a.What == Silent && (during == nil || during(until)) {
		w.silence(w.told[n-1].At, until)
	}
	return w.rings
}

// value is what of a reading the alarm looks at.
func (a Alarm) value(r Told) float64 {
	if a.What == Humid || a.What == Parched {
		return r.RHPct
	}
	return r.TempC
}

func (w *watch) see(r Told, counts bool) {
	n := len(w.told)
	broken := n > 0 && r.At.Sub(w.told[n-1].At) > gap
	if w.What == Silent {
		if n > 0 && counts {
			w.silence(w.told[n-1].At, r.At)
		}
		w.over(r.At)
		w.told = append(w.told[:0], r)
		return
	}
	if broken {
		w.told = w.told[:0]
		if !w.ringing {
			w.began = time.Time{} // nobody knows what was between
		}
	}
	for len(w.told) > 0 && r.At.Sub(w.told[0].At) > 2*fallsIn {
		w.told = w.told[1:]
	}
	w.told = append(w.told, r)
	v := w.value(r)
	switch is, back := w.is(v); {
	case !counts || back:
		w.over(r.At)
	case w.began.IsZero() && is:
		w.began, w.worst = r.At, v
	}
	if w.began.IsZero() {
		return
	}
	w.worst = w.worse(w.worst, v)
	if lasts := r.At.Sub(w.began); !w.ringing && lasts >= w.Delay && (!w.returns(r) || lasts >= 2*w.Delay) {
		w.ringing = true
		w.rings = append(w.rings, Ring{Began: w.began, Rang: r.At})
	}
	if w.ringing {
		w.rings[len(w.rings)-1].Worst = w.worst
	}
}

// is tells whether a value is what the alarm is for, and whether it is well back.
func (w *watch) is(v float64) (is, back bool) {
	switch w.What {
	case Warm:
		return v > w.Bound, v <= w.Bound-backC
	case Cool:
		return v < w.Bound, v >= w.Bound+backC
	case Humid:
		return v > w.Bound, v <= w.Bound-backPct
	case Parched:
		return v < w.Bound, v >= w.Bound+backPct
	}
	if w.began.IsZero() {
		w.fell = v
		for _, t := range w.told {
			if w.told[len(w.told)-1].At.Sub(t.At) <= fallsIn {
				w.fell = max(w.fell, t.TempC)
			}
		}
		return v <= w.fell-w.Bound, false
	}
	return true, v >= w.fell-w.Bound/2
}

func (w *watch) worse(a, b float64) float64 {
	if w.What == Warm || w.What == Humid {
		return max(a, b)
	}
	return min(a, b)
}

// over ends what was so.
func (w *watch) over(at time.Time) {
	if w.ringing {
		w.rings[len(w.rings)-1].Ended = at
	}
	w.ringing, w.began = false, time.Time{}
}

// returns tells whether it is on its way back: the last five minutes beside those ten minutes before.
func (w *watch) returns(r Told) bool {
	now, nows, then, thens := 0.0, 0.0, 0.0, 0.0
	for _, t := range w.told {
		switch ago := r.At.Sub(t.At); {
		case ago < 5*time.Minute:
			now, nows = now+w.value(t), nows+1
		case ago >= fallsIn && ago < fallsIn+5*time.Minute:
			then, thens = then+w.value(t), thens+1
		}
	}
	if nows == 0 || thens == 0 {
		return false
	}
	rise := now/nows - then/thens
	switch w.What {
	case Warm:
		return rise <= -risesC
	case Humid:
		return rise <= -risesRH
	case Parched:
		return rise >= risesRH
	}
	return rise >= risesC
}

// silence rings where nothing was told from a moment to another.
func (w *watch) silence(from, to time.Time) {
	if lasts := to.Sub(from); lasts >= w.Delay {
		w.ringing = true
		w.rings = append(w.rings, Ring{Began: from, Rang: from.Add(w.Delay), Worst: lasts.Minutes()})
	}
}
