// Package watering tells when a machine's water runs dry, from what was poured in and when. Amounts are in
// millilitres, times in days.
package watering

import (
	"math"
	"slices"
	"time"

	"metrogon/core/calendar"
)

// Kind is what happened to the water.
type Kind string

// What is noted.
const (
	Full Kind = "full" // filled to the brim
	Some Kind = "some" // some was added, not to the brim
	Dry  Kind = "dry"  // it was found dry
)

// Event is one line of a machine's water log.
type Event struct {
	At   time.Time
	Kind Kind
	ML   float64 // poured in; 0: not told
}

// Outlook is when the water runs dry.
type Outlook struct {
	Known    bool
	Dry      time.Time // the most likely moment
	From, To time.Time // between which it falls about nine times in ten
	Lasts    float64   // days that a full one lasts
	PerDay   float64   // ml a day; 0: not known
	// Where nobody saw it dry and its size is not known: how often it is filled, in days. Dry is then when
	// it would be filled as usual, and no more than that.
	Habit bool
}

// Of the log, what is older than so many fills tells nothing of the weather of now.
const recentFills = 8

// longest is how long a filling lasts at the very most, in days: from a day to a week is usual [common
// practice]. What lies further apart is no filling of a running machine: it stood empty in between.
const longest = 14

// leastSpread is how far off a forecast is at least, as a share of the time that a filling lasts: rooms
// change, lids are opened [common practice].
const leastSpread = 0.15

// Forecast reads a log, oldest first, of a machine that holds so much water (ml; 0: not known). Before two
// fillings nothing is known, nor where the last is weeks ago. What a full one holds is told, or learnt from a
// filling after it was found dry; how fast it goes, from what it took to fill it again. Without amounts it is
// bounded by how long it has lasted, and by when it was found dry.
func Forecast(capacityML float64, log []Event, now time.Time) Outlook {
	fills := 0
	last := -1
	for i, e := range log {
		if e.Kind == Full {
			fills, last = fills+1, i
		}
	}
	if fills < 2 || calendar.Elapsed(log[last].At, now) > longest {
		return Outlook{}
	}
	rounds := roundsOf(log)
	if capacityML == 0 {
		capacityML = learnt(rounds)
	}
	since := log[last:]
	if capacityML > 0 {
		if o, ok := byAmount(capacityML, rounds, since); ok {
			return o
		}
	}
	return byTime(rounds, since)
}

// round is the time from one filling to the brim to the next.
type round struct {
	from, to time.Time
	dry      time.Time // when it was found dry in between; zero: it was not
	added    float64   // ml in between
	topped   bool      // something was added in between
	filled   float64   // ml that the next filling took; 0: not told
}

func (r round) days() float64 { return calendar.Elapsed(r.from, r.to) }

func roundsOf(log []Event) (all []round) {
	var now *round
	for _, e := range log {
		switch e.Kind {
		case Full:
			if now != nil {
				now.to, now.filled = e.At, e.ML
				all = append(all, *now)
			}
			now = &round{from: e.At}
		case Dry:
			if now != nil && now.dry.IsZero() {
				now.dry = e.At
			}
		case Some:
			if now != nil {
				now.added, now.topped = now.added+e.ML, true
			}
		}
	}
	if now != nil && !now.dry.IsZero() { // dry, and not filled again yet
		now.to = now.dry
		all = append(all, *now)
	}
	all = slices.DeleteFunc(all, func(r round) bool { return r.days() > longest })
	return all[max(0, len(all)-recentFills):]
}

// learnt is what a full one holds: what it took after it was found dry.
func learnt(rounds []round) float64 {
	var all []float64
	for _, r := range rounds {
		if !r.dry.IsZero() && r.filled > 0 {
			all = append(all, r.filled)
		}
	}
	if len(all) == 0 {
		return 0
	}
	slices.Sort(all)
	return all[len(all)/2]
}

// byAmount forecasts from how much water goes a day.
func byAmount(capacity float64, rounds []round, since []Event) (o Outlook, ok bool) {
	var rates []float64
	used, days := 0.0, 0.0
	for _, r := range rounds {
		if r.filled == 0 || r.days() <= 0 || !r.dry.IsZero() { // while it stood dry nothing went
			continue
		}
		took := r.added + r.filled
		used, days = used+took, days+r.days()
		rates = append(rates, took/r.days())
	}
	if days == 0 || used == 0 {
		return o, false
	}
	rate := used / days
	level, at := capacity, since[0].At
	for _, e := range since[1:] {
		level, at = level-rate*calendar.Elapsed(at, e.At), e.At
		switch e.Kind {
		case Some:
			level = min(capacity, max(0, level)+e.ML)
		case Dry:
			level = 0
		}
	}
	left := max(0, level) / rate
	off := max(leastSpread, spread(rates, rate)) * left * 1.645
	o = Outlook{Known: true, Dry: calendar.After(at, left), Lasts: capacity / rate, PerDay: rate}
	o.From, o.To = calendar.After(at, max(0, left-off)), calendar.After(at, left+off)
	return o, true
}

// spread is how far the rounds differ, as a share of their mean.
func spread(rates []float64, mean float64) float64 {
	if len(rates) < 2 {
		return 2 * leastSpread
	}
	sum := 0.0
	for _, r := range rates {
		sum += (r - mean) * (r - mean)
	}
	return math.Sqrt(sum/float64(len(rates)-1)) / mean
}

// byTime forecasts from how long a filling lasted: longer than the rounds in which it did not run dry, less
// long than until it was found dry. Where it was never seen dry the habit is all there is.
func byTime(rounds []round, since []Event) Outlook {
	var lasted, dried, between []float64
	for _, r := range rounds {
		if r.topped {
			continue
		}
		if r.dry.IsZero() {
			lasted, between = append(lasted, r.days()), append(between, r.days())
		} else {
			dried = append(dried, calendar.Elapsed(r.from, r.dry))
		}
	}
	o := Outlook{Known: true}
	begun := since[0].At
	if len(dried) == 0 {
		if len(between) == 0 {
			return Outlook{}
		}
		slices.Sort(between)
		o.Habit, o.Lasts = true, between[len(between)/2]
		o.Dry = calendar.After(begun, o.Lasts)
		o.From, o.To = o.Dry, o.Dry
		return o
	}
	slices.Sort(dried)
	most := dried[len(dried)/2]
	least := 0.0
	for _, l := range lasted {
		if l < most {
			least = max(least, l)
		}
	}
	if least == 0 {
		least = most / 2
	}
	o.Lasts = (least + most) / 2
	o.Dry = calendar.After(begun, o.Lasts)
	o.From, o.To = calendar.After(begun, least), calendar.After(begun, most)
	if since[len(since)-1].Kind == Dry {
		o.Dry, o.From, o.To = since[len(since)-1].At, since[len(since)-1].At, since[len(since)-1].At
	}
	return o
}
