package snapshot

import (
	"context"
	"math"
	"slices"
	"strings"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/climate"
	"metrogon/core/reptile"
	"metrogon/farm"
	"metrogon/store"
	"metrogon/store/clutch"
	"metrogon/store/outage"
	"metrogon/store/probes"
)

// Warmth is how warm a clutch was and will be, and how well that is known.
type Warmth struct {
	Course  reptile.Course
	Sure    reptile.Sure
	Probed  int // hours of which an instrument told
	Hours   int // of all so far
	Temps   []clutch.ClutchTemp
	Laid    time.Time
	boxName string
	boxG    float64               // of damp substrate
	cuts    map[time.Time]float64 // hours in which the power was away, of which nobody told
}

// toldSureC is how well a temperature is known that was set and never read; aheadSureC one that is to come [common
// practice: a box is rarely held better].
const (
	toldSureC  = 1
	aheadSureC = 0.5
)

// handGap is how far apart readings by hand may lie for the temperature between them to be told by them.
const handGap = 36 * time.Hour

// Warmth reads how warm a clutch was, hour by hour: what instruments on its shelf told, in its own box first; else what
// was read there by hand; else as it was set. What is to come is as it is planned.
func (w *Snapshot) Warmth(
	ctx context.Context, tx *farm.Tx, batch store.Batch, box store.Box, temps []clutch.ClutchTemp,
) (Warmth, error) {
	kind, err := w.Kind(batch.Species)
	if err != nil {
		return Warmth{}, err
	}
	h := Warmth{Temps: temps, Laid: batch.SetAt, boxName: box.Name, cuts: map[time.Time]float64{}}
	for _, g := range []*float64{box.DryG, box.WaterG} {
		if g != nil {
			h.boxG += *g
		}
	}
	h.Course = reptile.Course{Kind: kind, LaidAt: batch.SetAt, Reader: tx.Member.Units()}
	h.Sure = reptile.Sure{ToldC: toldSureC, AheadC: aheadSureC, Widen: true}
	until := tx.At
	if batch.ClosedAt != nil {
		until = *batch.ClosedAt
	}
	told, err := h.told(ctx, tx, batch, until)
	if err != nil {
		return h, err
	}
	h.read(told, until, tx.Member.Place)
	return h, nil
}

// waves are what was set and is planned, in order of time.
func (h Warmth) waves(place *time.Location) (all []reptile.Plan) {
	for _, t := range h.Temps {
		w := reptile.Constant(t.TempC)
		if t.NightC != nil {
			w.NightC, w.NightH, w.Zone = *t.NightC, t.NightH, place
			w.NightFrom, _ = calendar.ParseWallTime(t.NightFrom)
		}
		all = append(all, reptile.Plan{From: t.FromAt, Wave: w})
	}
	return all
}

// at is the wave that holds at a moment: the last that began, or the first.
func at(waves []reptile.Plan, moment time.Time) int {
	i, found := slices.BinarySearchFunc(waves, moment, func(p reptile.Plan, m time.Time) int { return p.From.Compare(m) })
	if found {
		return i
	}
	return max(0, i-1)
}

// read puts the hours together.
func (h *Warmth) read(told map[time.Time]float64, until time.Time, place *time.Location) {
	waves := h.waves(place)
	if len(waves) == 0 {
		waves = []reptile.Plan{{From: h.Laid, Wave: reptile.Constant(h.Course.Kind.TemperatureC.At)}}
	}
	for hour := h.Laid.UTC().Truncate(time.Hour); !hour.After(until); hour = hour.Add(time.Hour) {
		moment := farm.Latest(h.Laid, farm.Earliest(until, hour.Add(30*time.Minute)))
		if n := len(h.Course.Readings); n > 0 && !moment.After(h.Course.Readings[n-1].At) {
			continue
		}
		c, ok := told[hour]
		if ok {
			h.Probed++
		} else if c, ok = h.cuts[hour]; !ok {
			c, _ = waves[at(waves, moment)].At(moment)
		}
		h.Hours++
		h.Course.Readings = append(h.Course.Readings, reptile.Reading{At: moment, TempC: c})
	}
	if h.Probed == 0 && len(h.cuts) == 0 { // as it was set, exactly
		h.Course.Readings, h.Course.Plans = nil, waves
		return
	}
	h.Course.Plans = waves[at(waves, until):]
}

// told is what instruments told of the hours in the machines in which the clutch stood, corrected.
func (h *Warmth) told(
	ctx context.Context, tx *farm.Tx, batch store.Batch, until time.Time,
) (map[time.Time]float64, error) {
	rows, err := clutch.On(tx).WarmthRows(ctx, batch.ID, batch.SetAt)
	if err != nil {
		return nil, err
	}
	all, sure := map[time.Time]float64{}, math.Inf(1)
	for _, leg := range rows.Legs {
		to := until
		if leg.ToAt != nil {
			to = *leg.ToAt
		}
		from := farm.Latest(leg.FromAt, batch.SetAt)
		lays := LaysIn(leg.MachineID, rows.Stays)
		ids := h.near(lays, rows.Instruments)
		if len(ids) > 0 {
			points, err := probes.On(tx).Points(ctx, ids, from.Truncate(time.Hour), to, time.Hour)
			if err != nil {
				return nil, err
			}
			sure = min(sure, means(all, points, lays, rows.Checks))
		}
		sure = min(sure, byHand(all, rows.Gauges, leg.MachineID, from, to))
		h.cut(tx, batch, rows, leg.MachineID, from, to)
	}
	if !math.IsInf(sure, 1) {
		h.Sure.ToldC = max(sure, 0.1)
	}
	return all, nil
}

// cut reckons the hours of power cuts in a machine: the box took the room's temperature on.
func (h *Warmth) cut(tx *farm.Tx, batch store.Batch, rows clutch.WarmthRows, machineID int64, from, to time.Time) {
	for _, o := range rows.Cuts {
		if o.MachineID != machineID || !o.FromAt.Before(to) || o.ToAt != nil && !o.ToAt.After(from) {
			continue
		}
		for _, r := range rows.CutReadings {
			if r.MachineID == machineID {
				o.Readings = append(o.Readings, r)
			}
		}
		until := to
		if o.ToAt != nil {
			until = *o.ToAt
		}
		c := h.CutAt(tx, batch, o, until)
		end := farm.Earliest(to, o.FromAt.Add(time.Duration(c.End()*float64(time.Hour))))
		for hour := farm.Latest(from, o.FromAt).Truncate(time.Hour); hour.Before(end); hour = hour.Add(time.Hour) {
			h.cuts[hour.UTC()] = c.At(max(0, hour.Add(30*time.Minute).Sub(o.FromAt).Hours()))
		}
	}
}

// CutAt is a power cut as a clutch's box went through it, as if the power was away until a moment.
func (h Warmth) CutAt(tx *farm.Tx, batch store.Batch, o outage.CutIn, until time.Time) reptile.Cut {
	plan := h.Course.Kind.TemperatureC.At
	if waves := h.waves(tx.Member.Place); len(waves) > 0 {
		plan, _ = waves[at(waves, o.FromAt)].At(o.FromAt)
	} else if batch.TempC != nil {
		plan = *batch.TempC
	}
	c := reptile.Cut{
		Kind: h.Course.Kind, PlanC: plan, RoomC: o.RoomC, Hours: max(until.Sub(o.FromAt).Hours(), 1./60),
		ContentG: h.boxG, Box: climate.Box(o.Box),
	}
	for _, r := range o.Readings {
		if at := r.At.Sub(o.FromAt).Hours(); at >= 0 && at <= c.Hours {
			c.Readings = append(c.Readings, climate.CurvePoint{H: at, EggC: r.EggC})
		}
	}
	return c
}

// near are the instruments of a machine: those that lie in the clutch's own box, or, where none does, all.
func (h Warmth) near(lays map[int64][]Lay, all []probes.Instrument) (ids []int64) {
	for _, own := range []bool{true, false} {
		for _, x := range all {
			mine := h.boxName != "" && strings.EqualFold(strings.TrimSpace(x.Spot), h.boxName)
			if x.Thermo && len(lays[x.ID]) > 0 && (mine || !own) {
				ids = append(ids, x.ID)
			}
		}
		if len(ids) > 0 {
			return ids
		}
	}
	return nil
}

// means are the hours' means over the instruments that lay there; and how surely the best of them tells.
func means(
	all map[time.Time]float64, points []probes.Point, lays map[int64][]Lay, checks []probes.InstrumentCheck,
) (sure float64) {
	sure = math.Inf(1)
	sum, n := map[time.Time]float64{}, map[time.Time]float64{}
	known := map[int64]Corrections{}
	for _, p := range points {
		k, ok := known[p.InstrumentID]
		if !ok {
			k = CorrectionsOf(p.InstrumentID, checks)
			known[p.InstrumentID] = k
		}
		if c := k.Warmth(p.TempC); c != nil && Lying(lays[p.InstrumentID], p.At, time.Hour) {
			sum[p.At.UTC()], n[p.At.UTC()] = sum[p.At.UTC()]+*c, n[p.At.UTC()]+1
			sure = min(sure, k.Temp.Sure(*p.TempC))
		}
	}
	for hour, times := range n {
		all[hour] = sum[hour] / times
	}
	return sure
}

// byHand fills hours of which no probe told from readings by hand that lie close enough.
func byHand(all map[time.Time]float64, g probes.Gauges, machineID int64, from, to time.Time) (sure float64) {
	sure = math.Inf(1)
	var read []reptile.Reading
	for _, r := range slices.Backward(g.Readings) {
		if r.MachineID != machineID || r.InstrumentID == nil || r.TempC == nil || r.At.Before(from) || r.At.After(to) {
			continue
		}
		k := CorrectionsOf(*r.InstrumentID, g.Checks)
		read = append(read, reptile.Reading{At: r.At, TempC: *k.Warmth(r.TempC)})
		sure = min(sure, k.Temp.Sure(*r.TempC))
	}
	for i := 1; i < len(read); i++ {
		a, b := read[i-1], read[i]
		if long := b.At.Sub(a.At); long > 0 && long <= handGap {
			for hour := a.At.Truncate(time.Hour).Add(time.Hour); hour.Before(b.At); hour = hour.Add(time.Hour) {
				if _, told := all[hour.UTC()]; !told {
					all[hour.UTC()] = a.TempC + (b.TempC-a.TempC)*float64(hour.Sub(a.At))/float64(long)
				}
			}
		}
	}
	return sure
}

// Due works out what the temperatures of a clutch make of its days; ok is false where at the temperatures to come
// nothing hatches.
func (h Warmth) Due(batch store.Batch, now time.Time) (due store.Batch, f reptile.Forecast, ok bool) {
	f, err := h.Course.Forecast(now, h.Sure)
	if err != nil {
		return batch, f, false
	}
	batch.Grown, batch.GrownAt = &f.Grown, &now
	batch.DueAt, batch.DueFrom, batch.DueTo = &f.HatchAt, &f.From, &f.To
	if waves := h.waves(time.UTC); len(waves) > 0 {
		mean := waves[at(waves, now)].Mean()
		batch.TempC = &mean
	}
	return batch, f, true
}

// RefreshClutches works the days of clutches out anew, of those that stand in a machine (0: in any).
func (w *Snapshot) RefreshClutches(ctx context.Context, tx *farm.Tx, machineID int64) error {
	open, err := tx.OpenBatches(ctx)
	if err != nil {
		return err
	}
	for _, b := range open {
		if b.TempC != nil && (machineID == 0 || b.SetterID == machineID) {
			if err := w.RefreshClutch(ctx, tx, b); err != nil {
				return err
			}
		}
	}
	return nil
}

// RefreshClutch works the days of one clutch out anew.
func (w *Snapshot) RefreshClutch(ctx context.Context, tx *farm.Tx, b store.Batch) error {
	rows, err := clutch.On(tx).ClutchRows(ctx, []int64{b.ID})
	if err != nil || len(rows.Clutches) == 0 {
		return err
	}
	h, err := w.Warmth(ctx, tx, b, BoxOf(rows, rows.Clutches[0]), rows.Temps)
	if err != nil {
		return err
	}
	due, _, ok := h.Due(b, tx.At)
	if !ok { // the last that was worked out stands; nobody can plan such a thing
		return nil
	}
	return clutch.On(tx).SetDue(ctx, due)
}

// BoxOf finds the box of a clutch among what was read.
func BoxOf(rows clutch.ClutchRows, c clutch.Clutch) store.Box {
	i := slices.IndexFunc(rows.Boxes, func(b store.Box) bool { return b.ID == c.BoxID })
	if i < 0 {
		return store.Box{}
	}
	return rows.Boxes[i]
}

// GrownNow is the share of development that is over, 0 to 1, by what was worked out last.
func (v BatchView) GrownNow() float64 {
	if v.Grown == nil || !v.DueAt.After(*v.GrownAt) {
		return min(1, v.Day/v.HatchDay)
	}
	ahead := float64(v.Now.Sub(*v.GrownAt)) / float64(v.DueAt.Sub(*v.GrownAt))
	return max(0, min(1, *v.Grown+(1-*v.Grown)*ahead))
}
