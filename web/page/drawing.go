package page

import (
	"fmt"
	"math"
	"strconv"
	"time"

	"metrogon/core/calendar"
	"metrogon/farm/snapshot"
	"metrogon/web/say"
)

// Drawings are as wide as the page gives them room for, and draw their text at its
// true size: what lies across is in percent of the width, what lies down in pixels.

// High is how high the plot of a curve is, px; across it goes from 0 to 100.
const High = 200.0

// Across places a share of the width on a curve's plot.
func Across(share float64) float64 { return math.Round(1e4*share) / 100 }

// Down places a share of the height on a curve's plot, 1 at its top.
func Down(share float64) float64 { return math.Round(10*High*(1-share)) / 10 }

// Level is a line of a curve's other axis.
type Level struct {
	Y     float64
	Label string
}

// Apart moves the second of two labels, so that one can be read beside the other.
func Apart(first, second float64) float64 {
	const line = 16
	switch d := second - first; {
	case d >= 0 && d < line:
		return first + line
	case d < 0 && d > -line:
		return first - line
	}
	return second
}

// Ribbon is the drawing of a batch's days: phases by pattern, a tick a day, now
// as a plumb line.
type Ribbon struct {
	Says  string // the same in words
	Parts []Part
	Ticks []Tick
	Marks []Mark
	Now   string // where, "": outside
}

// Part is one phase of a ribbon.
type Part struct {
	Class, Fill string
	X, W        string
}

// Tick is one day; every seventh has a label.
type Tick struct {
	X     string
	Label string
}

// Mark is a milestone above the ribbon.
type Mark struct {
	Class, Label string
	X            string
}

// Percent writes a share of the width.
func Percent(share float64) string {
	return strconv.FormatFloat(math.Round(1e4*share)/100, 'f', -1, 64) + "%"
}

// Draw draws a batch's ribbon for the person who reads it.
func Draw(v snapshot.BatchView, to say.Reader) Ribbon {
	count := to.Member.Counting()
	day := func(t time.Time) float64 { return calendar.Elapsed(v.SetAt, t) }
	hatch := v.Hatch()
	out, _ := v.Milestone(calendar.ClearOut)
	days := math.Ceil(max(out.Day, 1))
	x := func(d float64) float64 { return min(max(d, 0), days) / days }
	r := Ribbon{}
	part := func(class, fill string, from, to float64) {
		if x(to) > x(from) {
			r.Parts = append(r.Parts, Part{class, fill, Percent(x(from)), Percent(x(to) - x(from))})
		}
	}
	shut, locked := v.Milestone(calendar.Lockdown)
	if locked {
		part("turning", "turning", 0, shut.Day)
		part("locked", "", shut.Day, day(hatch.From))
		r.Marks = append(r.Marks, Mark{"lock", "lockdown", Percent(x(shut.Day))})
	} else {
		part("resting", "resting", 0, day(hatch.From))
	}
	part("window", "", day(hatch.From), day(hatch.To))
	after := "drying"
	if !locked { // late ones keep weeks
		after = "resting"
	}
	part(after, after, day(hatch.To), days)
	r.Ticks = ticks(days, v.HatchDay, count)
	for _, ms := range v.Milestones {
		if ms.Kind == calendar.Candle && (!locked || ms.Day < shut.Day-2) {
			r.Marks = append(r.Marks, Mark{"candle", map[bool]string{true: "candle", false: "look"}[locked], Percent(x(ms.Day))})
		}
	}
	r.Marks = append(r.Marks, Mark{"hatch", to.Day(hatch.At), Percent(x(hatch.Day))})
	if v.ClosedAt == nil && v.Day <= days {
		r.Now = Percent(x(v.Day))
	}
	r.Says = fmt.Sprintf("Days of %s: now day %d; ", v.Code, count.Count(v.Day))
	if locked {
		r.Says += fmt.Sprintf("turning until lockdown on day %d; ", count.Count(shut.Day))
	}
	r.Says += fmt.Sprintf(
		"hatch usual from day %d to day %d.", count.Count(day(hatch.From)), count.Count(day(hatch.To)),
	)
	return r
}

// ticks rules the days; the week's days and the day of the hatch have their number, where
// there is room for both.
func ticks(days, hatchDay float64, count calendar.Counting) (all []Tick) {
	every := 7.0
	if days > 60 {
		every = 14
	}
	room := max(2, 0.06*days)
	for d := 0.0; d <= days; d++ {
		t := Tick{X: Percent(d / days)}
		past := math.Mod(d, every)
		if past == 0 || d == math.Floor(hatchDay) && past >= room && every-past >= room {
			t.Label = fmt.Sprint(count.Count(d))
		}
		all = append(all, t)
	}
	return all
}

// Plot is a rate as the interval drawing needs it.
type Plot struct {
	K, N   int
	Own    Span
	Pooled *Span  // drawn towards others of its kind
	Mean   string // of its kind, where, "": none
	Why    string // what is known only in part
}

// Span is a rate and the interval in which it lies, on an axis from 0 to 100.
type Span struct{ Share, Low, High float64 }

// X is where it is drawn.
func (s Span) X() string { return Percent(s.Share) }

// From is where its interval begins.
func (s Span) From() string { return Percent(s.Low) }

// To is where its interval ends.
func (s Span) To() string { return Percent(s.High) }

// Wide is how wide its interval is.
func (s Span) Wide() string { return Percent(s.High - s.Low) }

// plot draws a rate, by its kind's mean where one is given.
func plot(r snapshot.Rate, kind ...float64) Plot {
	p := Plot{K: r.K, N: r.N, Why: r.Why, Own: Span{r.Rate, r.Low, r.High}}
	if r.Pooled != nil {
		p.Pooled = &Span{r.Pooled.Rate, r.Pooled.Low, r.Pooled.High}
	}
	if r.Pooled != nil && len(kind) > 0 {
		p.Mean = Percent(kind[0])
	}
	return p
}

// Few tells of a record too small to say much.
func (p Plot) Few() bool { return p.N < 20 }

// Stock is the drawing of the eggs in store: a row a pen, a column a day of age.
type Stock struct {
	Height int
	Says   string
	Rows   []StockRow
	Days   []Tick
}

// StockRow is one pen. Best and Last are where its eggs pass their best day, and
// the day at which most stop, "" beyond the drawing; Named tells that the row above
// has others, so that they are named.
type StockRow struct {
	Name       string
	Y          int
	Eggs       []StockEgg
	Best, Last string
	Named      bool
}

// StockEgg is one lot, drawn as an egg whose area grows with its number.
type StockEgg struct {
	X     string
	Size  float64 // of the outline, 1 for the largest lot
	Count int
	Class string
	Past  bool // past the day at which most stop: underlined as well
}

const (
	stockNames = 0.29 // share of the width for the pens' names
	stockHigh  = 32   // of a row, px
	stockLabel = 15   // of a line that names the days, px
)

// DrawStock draws the store. Eggs older than the last column stand in it.
func DrawStock(room snapshot.EggRoom) Stock {
	const columns = 15
	oldest, most := 11, 1 // so that the usual last day is seen
	for _, row := range room.Stock {
		for _, lot := range row.Lots {
			oldest = max(oldest, min(lot.Age, columns-1))
			most = max(most, lot.Eggs)
		}
	}
	column := func(n float64) string {
		return Percent(stockNames + (1-stockNames)*n/float64(oldest+1))
	}
	s := Stock{Says: "Eggs in store by pen and age. "}
	y := 0
	for _, row := range room.Stock {
		r := StockRow{Name: clip(row.Name, 16)}
		pass := func(day float64) string {
			if row.Kind.IsReptile() || int(day) >= oldest {
				return ""
			}
			return column(float64(int(day) + 1))
		}
		r.Best, r.Last = pass(row.Kind.StorageBestDays.At), pass(row.Kind.StorageLimitDays.At)
		if n := len(s.Rows); r.Best != "" && (n == 0 || s.Rows[n-1].Best != r.Best || s.Rows[n-1].Last != r.Last) {
			r.Named = true
			y += stockLabel
		}
		r.Y = y + stockHigh/2
		y += stockHigh
		lots := map[int]*StockEgg{}
		for _, lot := range row.Lots {
			col := max(0, min(lot.Age, oldest))
			egg := lots[col]
			if egg == nil {
				egg = &StockEgg{X: column(float64(col) + 0.5), Class: string(lot.Keeping), Past: lot.Past()}
				if lot.Resting > 0 {
					egg.Class += " resting"
				}
				lots[col] = egg
			}
			egg.Count += lot.Eggs
			s.Says += fmt.Sprintf("%s: %d of %d days. ", row.Name, lot.Eggs, lot.Age)
		}
		for col := range oldest + 1 {
			if egg := lots[col]; egg != nil {
				egg.Size = eggSize(egg.Count, most)
				r.Eggs = append(r.Eggs, *egg)
			}
		}
		s.Rows = append(s.Rows, r)
	}
	s.Height = y + 18
	for d := range oldest + 1 {
		label := strconv.Itoa(d)
		if d == columns-1 {
			label += "+"
		}
		s.Days = append(s.Days, Tick{column(float64(d) + 0.5), label})
	}
	return s
}

// eggSize makes the area grow with the number, but never so small that it is no egg.
func eggSize(eggs, most int) float64 {
	return math.Round(100*max(0.7, math.Sqrt(float64(eggs)/float64(max(most, 6))))) / 100
}

func clip(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}
