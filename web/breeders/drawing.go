package breeders

import (
	"fmt"
	"strings"

	"metrogon/farm/breeders"
	"metrogon/web/page"
)

// deaths is when the fertile eggs of a group died, as a bar of their share of all fertile ones.
type deaths struct {
	Says  string
	Parts []deathPart
}

type deathPart struct {
	Class, Name string
	X, Wide     string
	N           int
}

func deathsOf(r breeders.Row) (d deaths) {
	all := r.Deaths.All()
	if all == 0 || r.HatchOfFertile.N == 0 {
		return d
	}
	total := float64(max(r.HatchOfFertile.N, all))
	at := 0
	var words []string
	for _, p := range []struct {
		class, name string
		n           int
	}{
		{"early", "early", r.Deaths.Early}, {"middle", "middle", r.Deaths.Middle}, {"late", "late", r.Deaths.Late},
		{"pipped", "pipped", r.Deaths.Pipped}, {"quit", "quit, not opened", r.Deaths.Later},
		{"untold", "not opened", r.Deaths.NotTold},
	} {
		if p.n <= 0 {
			continue
		}
		d.Parts = append(d.Parts, deathPart{
			p.class, p.name, page.Percent(float64(at) / total), page.Percent(float64(p.n) / total), p.n,
		})
		words = append(words, fmt.Sprintf("%d %s", p.n, p.name))
		at += p.n
	}
	d.Says = fmt.Sprintf("%d of %d fertile: %s", all, int(total), strings.Join(words, ", "))
	return d
}

// Small is one group over time, in a cell of 160 × 90: an interval for each part of time, on a scale
// from 0 to 100 that all cells share.
type Small struct {
	Label, Key string
	Says       string
	Bars       []smallBar
	Changes    []string // where other males came in
}

type smallBar struct {
	X              string
	Low, High, Dot float64
	Few            bool
}

const smallHigh = 78.0

// Smalls draws the groups over time.
func (t tableView) Smalls() (all []Small) {
	for _, r := range t.Rows {
		s := Small{Label: r.Label, Key: r.Key}
		eggs := 0
		for i, p := range r.Periods {
			if p.N == 0 {
				continue
			}
			eggs += p.N
			y := func(share float64) float64 { return float64(int(10*(4+smallHigh*(1-share)))) / 10 }
			s.Bars = append(s.Bars, smallBar{
				page.Percent((float64(i) + .5) / float64(len(r.Periods))), y(p.Low), y(p.High), y(p.Rate.Rate), p.N < 20,
			})
		}
		if len(s.Bars) == 0 {
			continue
		}
		first, last := r.Periods[0].From, r.Periods[len(r.Periods)-1].To
		for i, c := range r.Changes {
			if i > 0 && c.From.After(first) && c.From.Before(last) { // the first one is no change
				s.Changes = append(s.Changes, page.Percent(c.From.Sub(first).Hours()/last.Sub(first).Hours()))
			}
		}
		s.Says = fmt.Sprintf("%s by %s: %s", t.RateName(), t.Step, r.Label)
		all = append(all, s)
	}
	return all
}
