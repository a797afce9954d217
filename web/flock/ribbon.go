package flock

import (
	"fmt"
	"strings"
	"time"

	"metrogon/core/breeding"
	"metrogon/farm/flock"
	"metrogon/web/page"
)

// sireRibbon is whose the eggs of each day are.
type sireRibbon struct {
	Says  string
	Parts []sirePart
	Ticks []page.Tick
	Now   string
}

type sirePart struct {
	X, Wide, Class, Label string
}

// Ribbon draws whose the eggs of the last and the next weeks are; nil where no male was ever noted.
func (p pen) Ribbon() *sireRibbon {
	spans := p.InPen.Spans
	if len(spans) == 0 {
		return nil
	}
	from, to := spans[0].From, spans[len(spans)-1].To.AddDate(0, 0, 1)
	days := to.Sub(from).Hours() / 24
	at := func(day time.Time) float64 { return day.Sub(from).Hours() / 24 / days }
	r := &sireRibbon{Now: page.Percent(at(p.today) + .5/days)}
	var words []string
	for _, s := range spans {
		wide := at(s.To.AddDate(0, 0, 1)) - at(s.From)
		part := sirePart{X: page.Percent(at(s.From)), Wide: page.Percent(wide)}
		said := sireWords(s)
		switch s.How {
		case breeding.Sure:
			part.Class = "sure"
		case breeding.NoMale:
			part.Class = "none"
		default:
			part.Class = "open"
		}
		if float64(len([]rune(said)))*.009 < wide {
			part.Label = said
		}
		r.Parts = append(r.Parts, part)
		words = append(words, fmt.Sprintf("%s to %s: %s", s.From.Format("2 Jan"), s.To.Format("2 Jan"), said))
	}
	for day := from; day.Before(to); day = day.AddDate(0, 0, 1) {
		if day.Weekday() == time.Monday {
			t := page.Tick{X: page.Percent(at(day))}
			if _, week := day.ISOWeek(); week%2 == 0 && at(day) < .94 {
				t.Label = day.Format("2 Jan")
			}
			r.Ticks = append(r.Ticks, t)
		}
	}
	r.Says = "Whose eggs these are: " + strings.Join(words, "; ")
	return r
}

func sireWords(s flock.SireSpan) string {
	switch s.How {
	case breeding.Sure:
		return s.Names[0]
	case breeding.NoMale:
		return "no male"
	case breeding.TooEarly:
		return "too early"
	case breeding.SeveralMales:
		return "several males"
	}
	return "not certain"
}
