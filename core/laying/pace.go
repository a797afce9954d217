package laying

import (
	"math"

	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/stat"
)

// The days that are compared [common practice: a week smooths days that were not collected], and the day before them.
const (
	Lately = 7
	Usual  = 21
	Looked = Lately + Usual + 1
)

// Pace is how a pen lays: eggs per hen and day over the last week, beside the three weeks before it.
type Pace struct {
	Week   int     // eggs in the last week
	Now    float64 // per hen and day; NaN where the hens are not counted
	Before float64
}

// PaceOf works it out from the eggs of the last four weeks or more and how many hens laid them. It tells nothing of a
// pen of which nothing was written down in the last week: nobody saw that it stopped.
func PaceOf(r Record, hens int) (p Pace, ok bool) {
	if len(r) < Lately+Usual {
		return p, false
	}
	x := floatsOf(r[len(r)-Lately-Usual:])
	week := floats.Sum(x[Usual:])
	if p.Week = int(week); week == 0 {
		return p, false
	}
	per := math.NaN()
	if hens > 0 {
		per = 1 / float64(hens)
	}
	p.Now, p.Before = week/Lately*per, floats.Sum(x[:Usual])/Usual*per
	return p, true
}

// Pen is what is looked at for a drop: its hens (0: nobody counted them), and what they laid on 29 days.
type Pen struct {
	Hens   int
	Record Record
}

// Fell tells which pens lay less than they did: by a third and more, beside what the other pens did meanwhile (a cold
// week is nobody's fault), and by more than days differ. It has to be so today and to have been so yesterday; where any
// record is shorter than 29 days, today alone. [Constants: judgement, simulated.]
func Fell(pens []Pen) []bool {
	fell := fellAt(pens, 0)
	for _, p := range pens {
		if len(p.Record) < Looked {
			return fell
		}
	}
	for i, before := range fellAt(pens, 1) {
		fell[i] = fell[i] && before
	}
	return fell
}

// weeks are a pen's last week beside the three before.
type weeks struct {
	eggs, expected float64
	each           []float64 // the three
	scatter        float64   // of a day's eggs, relative to how counts scatter
}

// least is how many eggs a week have to be expected before a drop is spoken of.
const least = 10

// counts tells that there is enough to compare.
func (w weeks) counts() bool { return w.expected >= least && w.eggs > 0 }

// weeksOf takes the four weeks that ended so many days ago.
func weeksOf(p Pen, ago int) (w weeks) {
	to := len(p.Record) - ago
	if to < Lately+Usual {
		return w
	}
	x := floatsOf(p.Record[to-Lately-Usual : to])
	w.eggs, w.each = floats.Sum(x[Usual:]), sums(x[:Usual], Lately)
	w.expected = floats.Sum(w.each) / 3
	if w.expected > 0 {
		w.scatter = max(0.5, scatterOf(x[:Usual], p.Hens).perDay(Lately)/(w.expected/Lately))
	}
	return w
}

func fellAt(pens []Pen, ago int) []bool {
	all := make([]weeks, len(pens))
	for i, p := range pens {
		all[i] = weeksOf(p, ago)
	}
	fell := make([]bool, len(pens))
	for i, w := range all {
		if !w.counts() {
			continue
		}
		var others []weeks
		sum := 0.0
		for k, o := range all {
			if k != i && o.counts() {
				others, sum = append(others, o), sum+o.expected
			}
		}
		if sum >= 2*least {
			fell[i] = w.fellBeside(others)
		} else {
			fell[i] = w.fellAlone()
		}
	}
	return fell
}

// fellBeside compares a pen with what the others laid of what they were expected to.
func (w weeks) fellBeside(others []weeks) bool {
	n := float64(len(others))
	laid, expected, noise := 0.0, 0.0, 0.0
	var ratios []float64
	for _, o := range others {
		laid, expected, noise = laid+o.eggs, expected+o.expected, noise+o.expected*o.scatter
		ratios = append(ratios, o.eggs/o.expected)
	}
	r := laid / expected
	unsure := noise * r * (1 + r/3) / (expected * expected)
	apart := 0.05 * 0.05 // how pens go apart from week to week
	if len(others) >= 3 {
		chance := 0.0
		for _, o := range others {
			chance += 1.33 * o.scatter / o.expected / n
		}
		apart = max(apart, stat.Variance(ratios, nil)-chance)
	}
	r = min(1, r)
	e := w.expected
	sd := math.Sqrt(w.scatter*e*r*(1+r/3) + e*e*(unsure+apart*(1+1/n)))
	return w.eggs <= 2./3*e*r && e*r-w.eggs > 2.8*sd
}

// fellAlone has only the pen's own weeks to compare with.
func (w weeks) fellAlone() bool {
	e := w.expected
	level := max(0.1*0.1, (stat.Variance(w.each, nil)-w.scatter*e)/(e*e))
	sd := math.Sqrt(4*w.scatter*e/3 + 4*e*e*level/3)
	return w.eggs <= 0.55*e && e-w.eggs > 3.6*sd
}
