package page

import (
	"fmt"
	"math"
	"time"

	"metrogon/core/calendar"
	"metrogon/farm"
)

// Ribbon is the drawing of a batch's days: phases by pattern, a tick a day, now
// as a plumb line.
type Ribbon struct {
	Width int
	Says  string // the same in words
	Parts []Part
	Ticks []Tick
	Marks []Mark
	Now   float64 // 0: outside
}

// Part is one phase of a ribbon.
type Part struct {
	Class, Fill string
	X, W        float64
}

// Tick is one day; every seventh has a label.
type Tick struct {
	X     float64
	Label string
}

// Mark is a milestone above the ribbon.
type Mark struct {
	Class, Label string
	X            float64
}

const ribbonWidth = 720

// Draw draws a batch's ribbon in the person's counting.
func Draw(v farm.BatchView, counting calendar.Counting) Ribbon {
	day := func(t time.Time) float64 { return calendar.Elapsed(v.SetAt, t) }
	hatch := v.Hatch()
	out, _ := v.Milestone(calendar.ClearOut)
	days := math.Ceil(max(out.Day, 1))
	x := func(d float64) float64 {
		return math.Round(10*(12+min(max(d, 0), days)*(ribbonWidth-24)/days)) / 10
	}
	r := Ribbon{Width: ribbonWidth}
	part := func(class, fill string, from, to float64) {
		if x(to) > x(from) {
			r.Parts = append(r.Parts, Part{class, fill, x(from), math.Round(10*(x(to)-x(from))) / 10})
		}
	}
	shut, locked := v.Milestone(calendar.Lockdown)
	if locked {
		part("turning", "turning", 0, shut.Day)
		part("locked", "", shut.Day, day(hatch.From))
		r.Marks = append(r.Marks, Mark{"lock", "lockdown", x(shut.Day)})
	} else {
		part("resting", "resting", 0, day(hatch.From))
	}
	part("window", "", day(hatch.From), day(hatch.To))
	part("drying", "drying", day(hatch.To), days)
	every := 7.0
	if days > 60 {
		every = 14
	}
	for d := 0.0; d <= days; d++ {
		t := Tick{X: x(d)}
		if math.Mod(d, every) == 0 || d == math.Floor(v.HatchDay) && math.Mod(d, every) > 1 {
			t.Label = fmt.Sprint(counting.Count(d))
		}
		r.Ticks = append(r.Ticks, t)
	}
	for _, ms := range v.Milestones {
		if ms.Kind == calendar.Candle && (!locked || ms.Day < shut.Day-2) {
			r.Marks = append(r.Marks, Mark{"candle", "candle", x(ms.Day)})
		}
	}
	r.Marks = append(r.Marks, Mark{"hatch", "hatch", x(hatch.Day)})
	if v.ClosedAt == nil && v.Day <= days {
		r.Now = x(v.Day)
	}
	r.Says = fmt.Sprintf("Days of %s: now day %d; ", v.Code, counting.Count(v.Day))
	if locked {
		r.Says += fmt.Sprintf("turning until lockdown on day %d; ", counting.Count(shut.Day))
	}
	r.Says += fmt.Sprintf(
		"hatch usual from day %d to day %d.", counting.Count(day(hatch.From)), counting.Count(day(hatch.To)),
	)
	return r
}

// Plot is a rate as the interval drawing needs it.
type Plot struct {
	K, N             int
	Share, Low, High float64
}

func plot(r farm.Rate) Plot { return Plot{r.K, r.N, r.Rate, r.Low, r.High} }

// X places a share on an axis from 0 to 100.
func (Plot) X(share float64) float64 { return math.Round(1000*share) / 10 }

// Wide is the width of the interval.
func (p Plot) Wide() float64 { return math.Round(1000*(p.High-p.Low)) / 10 }

// Stock is the drawing of the eggs in store: a row a pen, a column a day of age.
type Stock struct {
	Width, Height int
	Says          string
	Rows          []StockRow
	Days          []Tick
}

// StockRow is one pen. Best and Last are where its eggs pass their best day, and
// the day at which most stop; 0 beyond the drawing.
type StockRow struct {
	Name       string
	Y          int
	Eggs       []StockEgg
	Best, Last int
}

// StockEgg is one lot, drawn as an egg with its number.
type StockEgg struct {
	X, Y, Count int
	Class       string
	Past        bool // past the day at which most stop: underlined as well
}

// DrawStock draws the store. Eggs older than the last column stand in it.
func DrawStock(room farm.EggRoom) Stock {
	const left, wide, high, columns = 132, 30, 42, 15
	oldest := 11 // so that the usual last day is seen
	for _, row := range room.Stock {
		for _, lot := range row.Lots {
			oldest = max(oldest, min(lot.Age, columns-1))
		}
	}
	s := Stock{
		Width: left + wide*(oldest+1) + 6, Height: high*len(room.Stock) + 24, Says: "Eggs in store by pen and age. ",
	}
	for i, row := range room.Stock {
		y := i*high + 20
		r := StockRow{Name: clip(row.Name, 16), Y: y}
		pass := func(day float64) int {
			if row.Kind.IsReptile() || int(day) >= oldest {
				return 0
			}
			return left + wide*(int(day)+1)
		}
		r.Best, r.Last = pass(row.Kind.StorageBestDays.At), pass(row.Kind.StorageLimitDays.At)
		lots := map[int]*StockEgg{}
		for _, lot := range row.Lots {
			col := max(0, min(lot.Age, oldest))
			egg := lots[col]
			if egg == nil {
				egg = &StockEgg{
					X: left + wide*col + wide/2, Y: y, Class: string(lot.Keeping),
					Past: lot.Past(),
				}
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
				r.Eggs = append(r.Eggs, *egg)
			}
		}
		s.Rows = append(s.Rows, r)
	}
	for d := range oldest + 1 {
		label := fmt.Sprintf("%d d", d)
		if d == columns-1 {
			label = fmt.Sprintf("%d+", d)
		}
		s.Days = append(s.Days, Tick{float64(left + wide*d + wide/2), label})
	}
	return s
}

func clip(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}
