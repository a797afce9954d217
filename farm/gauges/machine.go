package gauges

import (
	"context"
	"math"
	"slices"
	"time"

	"metrogon/core/instrument"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/store/probes"
)

// Read is what was read, corrected.
type Read struct {
	At           time.Time
	By           string // the instrument; "": the machine's own display
	TempC, RHPct *float64
	Sure, SureRH float64 // ±
}

// Machine is a machine as its instruments tell.
type Machine struct {
	Gauges   []Gauge  // that lie in it first
	Reads    []Read   // the newest first
	Now      *Read    // by an instrument, in the last day
	Sends    bool     // a probe told something in the last day
	WantedC  *float64 // what most of the eggs in it want
	DisplayC *float64 // what its own display must show for that
	Off      *float64 // by how much its display shows too much, °C
	OffAt    time.Time
}

// Off is how far the eggs have it from what they want, °C; nil where nobody knows.
func (x Machine) Beside() *float64 {
	if x.Now == nil || x.Now.TempC == nil || x.WantedC == nil {
		return nil
	}
	off := *x.Now.TempC - *x.WantedC
	return &off
}

// Matters tells that it is further off than it is known, and than eggs bear for long: half a degree.
func (x Machine) Matters() bool {
	off := x.Beside()
	return off != nil && math.Abs(*off) >= 0.5 && math.Abs(*off) > x.Now.Sure
}

// How long readings are looked back at, and how near two are of one moment.
const (
	lookBack = 60 * 24 * time.Hour
	together = 20 * time.Minute
	mostRead = 60
)

// MachineOf reads a machine through its instruments, as a part of its page.
func MachineOf(machineID int64, to *Machine) snapshot.Part {
	return func(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		rows, err := probes.On(tx).Gauges(ctx, machineID, w.Now.Add(-lookBack), mostRead)
		if err != nil {
			return err
		}
		*to = machineOf(w, rows, open, machineID)
		return nil
	}
}

func machineOf(w *snapshot.Snapshot, rows probes.Gauges, open []snapshot.BatchView, machineID int64) (x Machine) {
	by := map[int64]Gauge{}
	for _, one := range rows.Instruments {
		g := gaugeOf(w, one, rows.Checks)
		if by[one.ID] = g; one.UntilOn == nil {
			x.Gauges = append(x.Gauges, g)
		}
	}
	in := func(g Gauge) bool { return g.MachineID != nil && *g.MachineID == machineID }
	slices.SortStableFunc(x.Gauges, func(a, b Gauge) int { return farm.OneIf(in(b)) - farm.OneIf(in(a)) })
	for _, r := range rows.Readings {
		read := Read{At: r.At, TempC: r.TempC, RHPct: r.RHPct}
		if r.InstrumentID != nil {
			read = by[*r.InstrumentID].corrected(r)
		}
		x.Reads = append(x.Reads, read)
		if x.Now == nil && read.By != "" && w.Now.Sub(read.At) < 24*time.Hour {
			x.Now = &x.Reads[len(x.Reads)-1]
		}
	}
	x.told(w, rows.Told, by, in)
	x.wants(open, machineID)
	x.display()
	return x
}

// told puts what a probe in it told before what was read by hand, where it is newer.
func (x *Machine) told(w *snapshot.Snapshot, last []probes.Point, by map[int64]Gauge, in func(Gauge) bool) {
	for _, p := range last {
		g := by[p.InstrumentID]
		if !in(g) || w.Now.Sub(p.At) >= 24*time.Hour {
			continue
		}
		x.Sends = true
		if x.Now == nil || p.At.After(x.Now.At) {
			read := g.corrected(probes.MachineReading{At: p.At, TempC: p.TempC, RHPct: p.RHPct})
			x.Now = &read
		}
	}
}

// wetSure is within how many points a wet bulb tells the humidity where both bulbs are right to 0.3 °C.
const wetSure = 3.0

// corrected is a reading as it is taken to have been.
func (g Gauge) corrected(r probes.MachineReading) Read {
	read := Read{At: r.At, By: g.Name}
	if r.TempC != nil {
		c := g.Temp.True(*r.TempC)
		read.TempC, read.Sure = &c, g.Temp.Sure(*r.TempC)
	}
	if r.RHPct != nil {
		c, sure := *r.RHPct, wetSure
		if !r.Wet {
			c, sure = g.RH.True(c), g.RH.Sure(c)
		}
		c = math.Round(min(100, max(0, c)))
		read.RHPct, read.SureRH = &c, sure
	}
	return read
}

// wants is what most of the eggs in the machine want.
func (x *Machine) wants(open []snapshot.BatchView, machineID int64) {
	most := 0
	for _, v := range open {
		if v.Stands().ID == machineID && v.Alive > most && !v.Kind.IsReptile() {
			c := v.Air().TempC
			x.WantedC, most = &c, v.Alive
		}
	}
}

// display tells what the machine's own display must show, from the newest look at both.
func (x *Machine) display() {
	for _, shown := range x.Reads {
		if shown.By != "" || shown.TempC == nil {
			continue
		}
		for _, r := range x.Reads {
			if r.By == "" || r.TempC == nil || r.At.Sub(shown.At).Abs() > together {
				continue
			}
			off := *shown.TempC - *r.TempC
			x.Off, x.OffAt = &off, r.At
			if x.WantedC != nil {
				c := instrument.DisplayFor(*x.WantedC, *shown.TempC, *r.TempC)
				x.DisplayC = &c
			}
			return
		}
	}
}
