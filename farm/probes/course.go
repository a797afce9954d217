package probes

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"metrogon/core/climate"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/store/outage"
	probesrows "metrogon/store/probes"
)

// Point is what an instrument told over a step of time, corrected; nil where it told nothing of that.
type Point struct {
	At             time.Time
	TempC          *float64 // mean
	LowC, TopC     *float64
	RHPct          *float64
	LowPct, TopPct *float64
}

// Curve is an instrument over time.
type Curve struct {
	Instrument probesrows.Instrument
	Sure       float64 // ± °C near what was told
	SureRH     float64 // ± points
	ByHand     bool    // read by hand: single points
	Points     []Point
}

// Want is what the eggs of a batch want, while they stand in a machine.
type Want struct {
	Code         string
	From, To     time.Time
	Locked       bool
	TempC        float64
	RHFrom, RHTo float64 // %
}

// Mark is something that happened.
type Mark struct {
	At, To time.Time // To is At where it took no time
	Kind   string    // water, lid, ajar, power
	Says   string
}

// Course is how it went in a machine from a moment to another.
type Course struct {
	Machine  snapshot.Machine
	From, To time.Time
	Step     time.Duration
	Curves   []Curve
	Wants    []Want
	Marks    []Mark

	known  []probesrows.Instrument
	checks []probesrows.InstrumentCheck
}

// steps are what a course is drawn in, so that it has at most mostSteps of them.
var steps = []time.Duration{
	time.Minute, 2 * time.Minute, 5 * time.Minute, 10 * time.Minute, 15 * time.Minute, 30 * time.Minute, time.Hour,
	2 * time.Hour, 3 * time.Hour, 6 * time.Hour, 12 * time.Hour, 24 * time.Hour, 48 * time.Hour, 7 * 24 * time.Hour,
}

const mostSteps = 720

// stepFor is the finest step for a span.
func stepFor(span time.Duration) time.Duration {
	for _, s := range steps {
		if span/s <= mostSteps {
			return s
		}
	}
	return steps[len(steps)-1]
}

// longest is how far a course goes back.
const longest = 11 * 366 * 24 * time.Hour

// Known returns ErrNone where the farm has no such machine.
func (b *Service) Known(ctx context.Context, m *farm.Member, machineID int64) error {
	return b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		if _, ok := w.MachineByID[machineID]; !ok {
			return farm.ErrNone
		}
		return nil
	})
}

// CourseOf reads how it went in a machine; a span that cannot be is cut to what can.
func (b *Service) CourseOf(
	ctx context.Context, m *farm.Member, machineID int64, from, to time.Time,
) (c Course, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		x, ok := w.MachineByID[machineID]
		if !ok {
			return farm.ErrNone
		}
		if to.After(tx.At) || to.IsZero() {
			to = tx.At
		}
		from = farm.Latest(from, to.Add(-longest))
		if to.Sub(from) < 10*time.Minute {
			from = to.Add(-10 * time.Minute)
		}
		c = Course{Machine: x, From: from, To: to, Step: stepFor(to.Sub(from))}
		if err := c.read(ctx, tx); err != nil {
			return err
		}
		log, err := probesrows.On(tx).MachineLog(ctx, machineID, from, to)
		if err != nil {
			return err
		}
		return c.tell(w, log)
	})
	return c, err
}

// read reads the curves.
func (c *Course) read(ctx context.Context, tx *farm.Tx) error {
	rows, err := probesrows.On(tx).Gauges(ctx, c.Machine.ID, c.From, 0)
	if err != nil {
		return err
	}
	c.known, c.checks = rows.Instruments, rows.Checks
	stays, err := probesrows.On(tx).InstrumentStays(ctx)
	if err != nil {
		return err
	}
	lays := snapshot.LaysIn(c.Machine.ID, stays)
	var ids []int64
	for id, spans := range lays {
		if slices.ContainsFunc(spans, func(l snapshot.Lay) bool { return l.From.Before(c.To) && l.To.After(c.From) }) {
			ids = append(ids, id)
		}
	}
	slices.Sort(ids)
	if len(ids) == 0 {
		return nil
	}
	points, err := probesrows.On(tx).Points(ctx, ids, c.From, c.To.Add(time.Second), c.Step) // with the last moment
	if err != nil {
		return err
	}
	for _, id := range ids {
		i := slices.IndexFunc(rows.Instruments, func(o probesrows.Instrument) bool { return o.ID == id })
		curve := Curve{Instrument: rows.Instruments[i]}
		k := snapshot.CorrectionsOf(id, rows.Checks)
		for _, p := range points {
			if p.InstrumentID == id && snapshot.Lying(lays[id], p.At, c.Step) {
				curve.add(pointOf(k, p))
			}
		}
		if n := len(curve.Points); n > 0 {
			curve.Sure, curve.SureRH = k.Temp.Sure(37.5), k.RH.Sure(50)
			c.Curves = append(c.Curves, curve)
		}
	}
	return nil
}

func (c *Curve) add(p Point) { c.Points = append(c.Points, p) }

// pointOf corrects what was told.
func pointOf(k snapshot.Corrections, p probesrows.Point) Point {
	return Point{
		p.At, k.Warmth(p.TempC), k.Warmth(p.LowC), k.Warmth(p.TopC), k.Moisture(p.RHPct), k.Moisture(p.LowPct),
		k.Moisture(p.TopPct),
	}
}

// tell adds what the eggs wanted, what was read by hand and what happened.
func (c *Course) tell(w *snapshot.Snapshot, log probesrows.MachineLog) error {
	for _, row := range log.Batches {
		v, err := w.View(row)
		if err != nil {
			return err
		}
		c.Wants = append(c.Wants, wantsOf(v, c.Machine.ID, c.From, c.To)...)
	}
	c.addByHand(log.Readings)
	for _, e := range log.Waters {
		says := map[string]string{"full": "filled", "some": "water added", "dry": "found dry"}[e.Kind]
		c.Marks = append(c.Marks, Mark{e.At, e.At, "water", says})
	}
	for _, o := range log.Openings {
		c.Marks = append(c.Marks, Mark{
			o.At, o.At.Add(time.Duration(o.Minutes) * time.Minute), "lid", fmt.Sprintf("opened %d min, %s", o.Minutes, o.Why),
		})
	}
	until := func(to *time.Time) time.Time {
		if to == nil {
			return c.To
		}
		return *to
	}
	for _, x := range log.Cuts {
		c.Marks = append(c.Marks, Mark{x.FromAt, until(x.ToAt), "power", "power cut"})
	}
	for _, x := range log.Found {
		mark := Mark{x.FromAt, until(x.ToAt), "ajar", "lid ajar, as it looks"}
		if x.Kind == string(climate.PowerAway) {
			mark.Kind, mark.Says = "power", "power away, as it looks"
			if slices.ContainsFunc(log.Cuts, func(o outage.Outage) bool {
				return o.FromAt.Before(mark.To) && until(o.ToAt).After(mark.At)
			}) {
				continue // it is written down
			}
		}
		c.Marks = append(c.Marks, mark)
	}
	slices.SortStableFunc(c.Marks, func(a, b Mark) int { return a.At.Compare(b.At) })
	return nil
}

// addByHand adds the readings that people took, each instrument a curve of single points.
func (c *Course) addByHand(rows []probesrows.MachineReading) {
	for _, r := range rows {
		i := slices.IndexFunc(c.Curves, func(x Curve) bool { return x.ByHand && x.Instrument.ID == *r.InstrumentID })
		if i < 0 {
			at := slices.IndexFunc(c.known, func(o probesrows.Instrument) bool { return o.ID == *r.InstrumentID })
			i, c.Curves = len(c.Curves), append(c.Curves, Curve{Instrument: c.known[at], ByHand: true})
		}
		k := snapshot.CorrectionsOf(*r.InstrumentID, c.checks)
		p := pointOf(k, probesrows.Point{At: r.At, TempC: r.TempC, RHPct: r.RHPct})
		if r.Wet {
			p.RHPct = r.RHPct
		}
		c.Curves[i].Sure, c.Curves[i].SureRH = k.Temp.Sure(37.5), k.RH.Sure(50)
		c.Curves[i].add(p)
	}
}

// wantsOf is what a batch wanted while it stood in a machine, in its two parts.
func wantsOf(v snapshot.BatchView, machineID int64, from, to time.Time) (all []Want) {
	left := to
	if v.ClosedAt != nil {
		left = *v.ClosedAt
	}
	locked := left
	if v.LockedAt != nil {
		locked = *v.LockedAt
	}
	add := func(began, ended time.Time, in bool) {
		if !began.Before(ended) || !began.Before(to) || !ended.After(from) {
			return
		}
		air := v.Want(in)
		all = append(all, Want{
			Code: v.Code, From: farm.Latest(began, from), To: farm.Earliest(ended, to), Locked: in, TempC: air.TempC,
			RHFrom: air.From, RHTo: air.To,
		})
	}
	if v.SetterID == machineID {
		add(v.CameAt, locked, false)
	}
	if v.HatcherID == machineID && v.LockedAt != nil {
		add(locked, left, true)
	}
	return all
}

// Recovery is how long the machine took to be warm again after its lid was opened, in the span that is shown.
type Recovery struct {
	Times         int
	Middle        time.Duration
	Lower, Higher time.Duration // half of them lie between
}

// fewOpenings tell no spread.
const fewOpenings = 4

// Recovery tells it by the finest readings; nil where these are too far apart, or there were few openings.
func (c Course) Recovery() *Recovery {
	if c.Step > 5*time.Minute {
		return nil
	}
	var took []time.Duration
	for _, x := range c.Curves {
		if x.ByHand {
			continue
		}
		var told []climate.Told
		for _, p := range x.Points {
			t := climate.Told{At: p.At, TempC: math.NaN(), RHPct: math.NaN()}
			if p.TempC != nil {
				t.TempC = *p.TempC
			}
			if p.RHPct != nil {
				t.RHPct = *p.RHPct
			}
			told = append(told, t)
		}
		if all := climate.Recoveries(told); len(all) > len(took) {
			took = all
		}
	}
	if len(took) < fewOpenings {
		return nil
	}
	slices.Sort(took)
	n := len(took)
	return &Recovery{n, took[n/2], took[n/4], took[3*n/4]}
}

// Shelf is how a curve lies beside the others of its machine.
type Shelf struct {
	Instrument probesrows.Instrument
	MeanC      float64
	BesideC    float64 // the mean of all
	Hours      float64 // over which they were told together
	Sure       float64
}

// Place names where it lies.
func (s Shelf) Place() string { return cmp.Or(s.Instrument.Spot, s.Instrument.Name) }

// Shelves compares the instruments of a machine over the steps in which all told something; nil where there is one, or
// less than a day together.
func (c Course) Shelves() (all []Shelf) {
	byAt := map[time.Time]int{}
	var curves []Curve
	for _, x := range c.Curves {
		if !x.ByHand {
			curves = append(curves, x)
		}
	}
	if len(curves) < 2 {
		return nil
	}
	for _, x := range curves {
		for _, p := range x.Points {
			if p.TempC != nil {
				byAt[p.At]++
			}
		}
	}
	together, whole := 0.0, 0.0
	for _, x := range curves {
		s := Shelf{Instrument: x.Instrument, Sure: x.Sure}
		n := 0.0
		for _, p := range x.Points {
			if p.TempC != nil && byAt[p.At] == len(curves) {
				s.MeanC, n = s.MeanC+*p.TempC, n+1
			}
		}
		if s.Hours = n * c.Step.Hours(); s.Hours < 24 {
			return nil
		}
		s.MeanC /= n
		whole, together = whole+s.MeanC, together+1
		all = append(all, s)
	}
	for i := range all {
		all[i].BesideC = all[i].MeanC - whole/together
	}
	slices.SortStableFunc(all, func(a, b Shelf) int { return int(math.Copysign(1, b.MeanC-a.MeanC)) })
	return all
}
