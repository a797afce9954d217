package hatch

import (
	"fmt"
	"slices"
	"time"

	"metrogon/core/hatching"
	"metrogon/farm"
	"metrogon/farm/hatch"
)

// strip is the drawing of a hatch: hours across, a row an egg from its pip until it is out, with
// the usual spread behind it; above them when the first pip, the middle and the last are expected.
// Places are percent of its width, so that text stays at its size on every screen.
type strip struct {
	Ticks []tick
	Now   float64
	Spans []span
	Rows  []watchRow
	Outs  []float64 // when young came out
	OutY  int
	High  int
	Says  string
}

type tick struct {
	At   float64
	Name string // of the hour; empty: a short one
	Day  bool
}

type span struct {
	Name       string
	From, Wide float64
	At         float64
	Y          int
}

type watchRow struct {
	Code             string
	Y                int
	From, Wide       float64 // from pip to out, or to the last look
	Usual, UsualWide float64
	Out              bool
	Zip              float64 // where it zipped; below 0: not seen
	Verdict, Says    string
}

const (
	rulerHigh = 40
	rowHigh   = 20
	mostRows  = 60
)

func draw(l hatch.LoadView, m *farm.Member) (s strip) {
	from, to := l.Now, l.Now
	for _, x := range []*hatching.Moment{l.FirstPip, l.MiddleOut, l.LastOut} {
		if x != nil {
			from, to = farm.Earliest(from, x.From), farm.Latest(to, x.To)
		}
	}
	from, to = from.Add(-2*time.Hour), to.Add(3*time.Hour)
	at := func(t time.Time) float64 { return min(max(100*float64(t.Sub(from))/float64(to.Sub(from)), 0), 100) }
	s.Now = at(l.Now)
	s.ruler(from, to, m, at)
	y := rulerHigh
	s.OutY = y
	for _, t := range l.OutTimes {
		s.Outs = append(s.Outs, at(t))
	}
	y += rowHigh
	for _, x := range []struct {
		name string
		of   *hatching.Moment
	}{{"first pip", l.FirstPip}, {"half out", l.MiddleOut}, {"last out", l.LastOut}} {
		if x.of != nil {
			s.Spans = append(s.Spans, span{x.name, at(x.of.From), at(x.of.To) - at(x.of.From), at(x.of.At), y})
			y += rowHigh
		}
	}
	codes := map[int64]string{}
	for _, b := range l.Baskets {
		for _, e := range b.Slots {
			codes[e.ID] = e.Code
		}
	}
	y += 4
	for _, e := range clocked(l.Watch.Eggs) {
		s.Rows = append(s.Rows, drawRow(e, codes[e.Egg], l.Looked, y, at))
		y += rowHigh
	}
	s.High = y + 4
	s.Says = fmt.Sprintf("%s: %d out, %d pipped, by the hour.", l.Code, l.Watch.Out, l.Watch.Pipped)
	return s
}

// clocked are the eggs whose clock runs or ran, the first first.
func clocked(eggs []hatching.EggWatch) []hatching.EggWatch {
	all := slices.DeleteFunc(slices.Clone(eggs), func(e hatching.EggWatch) bool { return began(e).IsZero() })
	slices.SortStableFunc(all, func(a, b hatching.EggWatch) int { return began(a).Compare(began(b)) })
	return all[:min(len(all), mostRows)]
}

// began is when an egg's clock began: with its pip, or with its zip where nobody saw that.
func began(e hatching.EggWatch) time.Time {
	if e.Pip.IsZero() {
		return e.Zip
	}
	return e.Pip
}

func drawRow(e hatching.EggWatch, code string, looked time.Time, y int, at func(time.Time) float64) watchRow {
	from, until := began(e), looked // what it did since, nobody saw
	if !e.Out.IsZero() {
		until = e.Out
	}
	low := from.Add(time.Duration(e.UsualH[0] * float64(time.Hour)))
	high := from.Add(time.Duration(e.UsualH[1] * float64(time.Hour)))
	r := watchRow{
		Code: code, Y: y, From: at(from), Wide: max(at(until)-at(from), .4), Usual: at(low), UsualWide: at(high) - at(low),
		Out: !e.Out.IsZero(), Zip: -1, Verdict: e.Verdict,
	}
	if !e.Zip.IsZero() && !e.Pip.IsZero() {
		r.Zip = at(e.Zip)
	}
	r.Says = fmt.Sprintf(
		"%s: %s for %.0f h, %s; %.0f to %.0f h are usual", code, e.State, e.Since, e.Verdict, e.UsualH[0], e.UsualH[1],
	)
	if r.Out {
		r.Says = fmt.Sprintf("%s: out after %.0f h", code, e.Since)
	}
	return r
}

// mostNames is how many days have their names where the drawing is narrowest.
const mostNames = 5

// ruler has a tick every six hours, a long one at midnight, with the day's name where there is room.
func (s *strip) ruler(from, to time.Time, m *farm.Member, at func(time.Time) float64) {
	y, mo, d := from.In(m.Place).Date()
	days := int(to.Sub(from).Hours()/24) + 1
	every := (days + mostNames - 1) / mostNames
	for day := range days + 1 {
		for h := 0; h < 24; h += 6 {
			t := time.Date(y, mo, d+day, h, 0, 0, 0, m.Place)
			if t.Before(from) || t.After(to) || h > 0 && every > 1 {
				continue
			}
			x := tick{At: at(t), Day: h == 0}
			if x.Day && x.At < 90 && day%every == 0 {
				x.Name = t.Format("Mon 2")
			}
			s.Ticks = append(s.Ticks, x)
		}
	}
}
