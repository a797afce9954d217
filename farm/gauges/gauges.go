// Package gauges is the farm's thermometers and hygrometers: how they are checked, what is read by them,
// and what a machine's own display must show so that the eggs have what they need.
package gauges

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"metrogon/core/air"
	"metrogon/core/instrument"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store/probes"
	"metrogon/store/stock"
)

// Service holds the use cases.
type Service struct{ *farm.Service }

// Instrument is one as it is kept.
type Instrument = probes.Instrument

// Gauge is an instrument with what its checks say.
type Gauge struct {
	Instrument
	Temp, RH instrument.Correction
	Lies     string     // where
	Again    *time.Time // when it is to be checked again; nil: it never was
	Late     bool
	Checks   []probes.InstrumentCheck // the newest first
}

// Shows tells what it shows.
func (g Gauge) Shows() string {
	switch {
	case g.Thermo && g.Hygro:
		return "temperature and humidity"
	case g.Hygro:
		return "humidity"
	}
	return "temperature"
}

// In is where it lies, as it is picked: the number of a machine, or of a place after a p; "" nowhere in particular.
func (g Gauge) In() string {
	switch {
	case g.MachineID != nil:
		return strconv.FormatInt(*g.MachineID, 10)
	case g.PlaceID != nil:
		return "p" + strconv.FormatInt(*g.PlaceID, 10)
	}
	return ""
}

// Lay puts an instrument where somebody picked.
func Lay(x Instrument, in string) Instrument {
	x.MachineID, x.PlaceID = nil, nil
	of, number := &x.MachineID, in
	if rest, place := strings.CutPrefix(in, "p"); place {
		of, number = &x.PlaceID, rest
	}
	if id, err := strconv.ParseInt(number, 10, 64); err == nil && id > 0 {
		*of = &id
	}
	return x
}

func gaugeOf(w *snapshot.Snapshot, x Instrument, checks []probes.InstrumentCheck) Gauge {
	g := Gauge{Instrument: x, Lies: x.Spot}
	if x.MachineID != nil {
		g.Lies = w.MachineByID[*x.MachineID].Name
		if x.Spot != "" {
			g.Lies += ", " + x.Spot
		}
	}
	var all []instrument.Check
	for _, c := range checks {
		if c.InstrumentID == x.ID {
			g.Checks = append([]probes.InstrumentCheck{c}, g.Checks...)
			all = append(all, snapshot.CheckOf(c))
		}
	}
	g.Temp = instrument.CorrectionOf(instrument.Temperature, all)
	g.RH = instrument.CorrectionOf(instrument.Humidity, all)
	if due, ok := g.Temp.Due(); x.Thermo && ok {
		g.Again = &due
	}
	if due, ok := g.RH.Due(); x.Hygro && ok && (g.Again == nil || due.Before(*g.Again)) {
		g.Again = &due
	}
	g.Late = g.Again != nil && g.Again.Before(w.Now)
	return g
}

// List is all instruments.
type List struct {
	Now      time.Time
	Gauges   []Gauge
	Machines []snapshot.Machine
	Places   []stock.StoragePlace // where eggs wait
}

// All lists them.
func (b *Service) All(ctx context.Context, m *farm.Member) (l List, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		rows, err := probes.On(tx).Gauges(ctx, 0, w.Now, 0)
		if err != nil {
			return err
		}
		l.Now = w.Now
		for _, x := range rows.Instruments {
			l.Gauges = append(l.Gauges, gaugeOf(w, x, rows.Checks))
		}
		for _, x := range w.Machines {
			if x.UntilOn == nil {
				l.Machines = append(l.Machines, x)
			}
		}
		l.Places, err = placesOf(ctx, tx, w)
		for i, g := range l.Gauges {
			at := slices.IndexFunc(l.Places, func(p stock.StoragePlace) bool { return g.PlaceID != nil && p.ID == *g.PlaceID })
			if at >= 0 {
				l.Gauges[i].Lies = strings.TrimSuffix(l.Places[at].Name+", "+g.Spot, ", ")
			}
		}
		return err
	})
	return l, err
}

// ever is since when a new instrument lay where it lies: nobody knows better.
var ever = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)

// Save makes an instrument or changes one, which has lain where it lies since a moment; zero is now.
func (b *Service) Save(
	ctx context.Context, req farm.Request, x Instrument, since time.Time,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) { return save(ctx, tx, x, since) })
}

// Lies keeps that an instrument has lain somewhere, as In names it, since a moment; zero is now. What it tells from
// then on is told of that.
func (b *Service) Lies(
	ctx context.Context, req farm.Request, id int64, in, spot string, since time.Time,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		rows, err := probes.On(tx).Gauges(ctx, 0, tx.At, 0)
		if err != nil {
			return farm.Done{}, err
		}
		i := slices.IndexFunc(rows.Instruments, func(o Instrument) bool { return o.ID == id })
		if i < 0 {
			return farm.Done{}, farm.ErrNone
		}
		x := Lay(rows.Instruments[i], in)
		x.Spot = spot
		return save(ctx, tx, x, since)
	})
}

func save(ctx context.Context, tx *farm.Tx, x Instrument, since time.Time) (farm.Done, error) {
	w, err := snapshot.Of(ctx, tx)
	if err != nil {
		return farm.Done{}, err
	}
	var p farm.Problems
	x.Name = p.Name("name", "The instrument's name", x.Name, 60, true)
	x.Spot = p.Name("spot", "Where it lies", x.Spot, 60, false)
	if !x.Thermo && !x.Hygro {
		p.Addf("shows", "Tick what it shows.")
	}
	if x.MachineID != nil {
		if _, ok := w.MachineByID[*x.MachineID]; !ok {
			p.Addf("machine", "Pick the machine in which it lies.")
		}
	}
	places, err := placesOf(ctx, tx, w)
	if err != nil {
		return farm.Done{}, err
	}
	if x.PlaceID != nil && !slices.ContainsFunc(places, func(o stock.StoragePlace) bool { return o.ID == *x.PlaceID }) {
		p.Addf("machine", "Pick the place in which it lies.")
	}
	if err := p.Err(); err != nil {
		return farm.Done{}, err
	}
	var u journal.Undo
	stay := probes.InstrumentStay{MachineID: x.MachineID, FromAt: ever}
	if x.ID != 0 {
		rows, err := probes.On(tx).Gauges(ctx, 0, tx.At, 0)
		if err != nil {
			return farm.Done{}, err
		}
		i := slices.IndexFunc(rows.Instruments, func(o Instrument) bool { return o.ID == x.ID })
		if i < 0 {
			return farm.Done{}, farm.ErrNone
		}
		u = journal.Undo{asBefore.Of(rows.Instruments[i])}
		if stay.FromAt = since; since.IsZero() || since.After(tx.At) {
			stay.FromAt = tx.At
		}
		if same(x.MachineID, rows.Instruments[i].MachineID) {
			stay = probes.InstrumentStay{}
		}
	}
	id, err := probes.On(tx).SaveInstrument(ctx, x)
	if err != nil {
		return farm.Done{}, farm.Taken(err, "name", "There is an instrument of that name already.")
	}
	if stay.InstrumentID = id; !stay.FromAt.IsZero() {
		if err := probes.On(tx).AddInstrumentStay(ctx, stay); err != nil {
			return farm.Done{}, err
		}
		u = append(u, dropStay.Of(stay))
	}
	if x.ID == 0 {
		u = journal.Undo{drop.Of(id)}
	}
	return journal.Record(ctx, tx, journal.On(journal.Gauge, id), u, "Instrument %s.", x.Name)
}

func placesOf(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) ([]stock.StoragePlace, error) {
	up, err := w.Upkeep(ctx, tx)
	return up.Places, err
}

func same(a, b *int64) bool { return a == nil && b == nil || a != nil && b != nil && *a == *b }

// Checking is one check as it was made.
type Checking struct {
	ID    int64
	Of    instrument.Quantity // of Beside alone; the other ways tell
	How   string
	Shown float64
	Truth float64 // what the clinical one showed; the temperature of the bag over salt, °C
	Other int64   // the instrument beside it
	By    float64 // what that showed
}

// Check keeps a check, and says what has to be added from now on.
func (b *Service) Check(ctx context.Context, req farm.Request, in Checking) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		rows, err := probes.On(tx).Gauges(ctx, 0, tx.At, 0)
		if err != nil {
			return farm.Done{}, err
		}
		find := func(id int64) (g Gauge, ok bool) {
			i := slices.IndexFunc(rows.Instruments, func(o Instrument) bool { return o.ID == id })
			if i >= 0 {
				g = gaugeOf(w, rows.Instruments[i], rows.Checks)
			}
			return g, i >= 0
		}
		g, ok := find(in.ID)
		if !ok {
			return farm.Done{}, farm.ErrNone
		}
		sure := 0.
		if in.How == instrument.Beside {
			other, ok := find(in.Other)
			k := other.correction(in.Of)
			if !ok || in.Other == in.ID || !k.Known() {
				return farm.Done{}, farm.Problemf("other", "Pick another instrument that was checked itself.")
			}
			in.Truth, sure = k.True(in.By), k.Sure(in.By)+0.1
		}
		c, err := instrument.NewCheck(in.How, in.Of, tx.At, in.Shown, in.Truth, sure)
		if err != nil {
			return farm.Done{}, farm.Problemf("shown", "%s", wordsOf(err))
		}
		if c.Of == instrument.Temperature && !g.Thermo || c.Of == instrument.Humidity && !g.Hygro {
			return farm.Done{}, farm.Problemf("how", "%s shows only %s.", g.Name, g.Shows())
		}
		id, err := probes.On(tx).AddCheck(ctx, probes.InstrumentCheck{
			InstrumentID: g.ID, Of: string(c.Of), How: c.How, At: c.At, Shown: c.Shown, Truth: c.True, Sure: c.Sure,
		}, req.PersonID)
		if err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Gauge, g.ID), journal.Undo{dropCheck.Of(id)}, "%s %s.", g.Name,
			added(c, req.Member))
	})
}

func (g Gauge) correction(of instrument.Quantity) instrument.Correction {
	if of == instrument.Humidity {
		return g.RH
	}
	return g.Temp
}

// added says what has to be added, in the reader's units.
func added(c instrument.Check, m *farm.Member) string {
	off, unit := c.Off(), "points"
	if c.Of == instrument.Temperature {
		if unit = m.Units().TempUnit(); m.Units().Fahrenheit {
			off *= 1.8
		}
	}
	if math.Abs(off) < 0.05 {
		return "is right there"
	}
	how := map[bool]string{true: "little", false: "much"}[off > 0]
	return fmt.Sprintf("shows %.1f %s too %s there", math.Abs(off), unit, how)
}

// wordsOf drops the field from an error of core.
func wordsOf(err error) string {
	_, says, ok := strings.Cut(err.Error(), ": ")
	if !ok {
		return err.Error()
	}
	return "That cannot be: " + says + "."
}

// Reading is what was read in a machine at one look.
type Reading struct {
	InstrumentID           int64 // 0: none was read
	TempC, RHPct           *float64
	WetC                   *float64 // what its wet bulb showed, °C, in place of the humidity
	DisplayC, DisplayRHPct *float64 // the machine's own display, at the same time
	At                     time.Time
}

// TakeReading keeps a reading of a machine.
func (b *Service) TakeReading(
	ctx context.Context, req farm.Request, machineID int64, r Reading,
) (farm.Done, error) {
	return snapshot.OnMachine(ctx, b.Service, req, farm.Helping, machineID,
		func(tx *farm.Tx, x snapshot.Machine) (farm.Done, error) {
			if r.At.IsZero() {
				r.At = tx.At
			}
			var p farm.Problems
			r.wetBulb(&p, req.Member)
			for field, c := range map[string]*float64{"temp": r.TempC, "display": r.DisplayC} {
				p.Temp(req.Units(), field, "The temperature", c, -40, 60)
			}
			for field, c := range map[string]*float64{"rh": r.RHPct, "display_rh": r.DisplayRHPct} {
				p.Measure(field, "The humidity", c, 0, 100, "%")
			}
			if r.At.After(tx.At.Add(time.Minute)) || tx.At.Sub(r.At) > 60*24*time.Hour {
				p.Addf("when", "A reading lies in the last two months.")
			}
			var rows []probes.MachineReading
			if r.TempC != nil || r.RHPct != nil {
				id := r.InstrumentID
				if id == 0 {
					p.Addf("instrument", "Pick the instrument that showed it.")
				}
				rows = append(rows, probes.MachineReading{
					MachineID: machineID, InstrumentID: &id, At: r.At, TempC: r.TempC, RHPct: r.RHPct, Wet: r.WetC != nil,
				})
			}
			if r.DisplayC != nil || r.DisplayRHPct != nil {
				rows = append(rows, probes.MachineReading{MachineID: machineID, At: r.At, TempC: r.DisplayC, RHPct: r.DisplayRHPct})
			}
			if len(rows) == 0 {
				p.Addf("temp", "Type what was read.")
			}
			if err := p.Err(); err != nil {
				return farm.Done{}, err
			}
			all, err := probes.On(tx).Gauges(ctx, machineID, tx.At.Add(-together), 1)
			if err != nil {
				return farm.Done{}, err
			}
			if r.InstrumentID == 0 {
				rows = append(rows, besideDisplay(all, machineID, r.At)...)
			} else {
				if !slices.ContainsFunc(all.Instruments, func(o Instrument) bool { return o.ID == r.InstrumentID }) {
					return farm.Done{}, farm.ErrNone
				}
			}
			ids, err := probes.On(tx).AddMachineReadings(ctx, rows, req.PersonID)
			if err != nil {
				return farm.Done{}, err
			}
			if err := refreshClutches(ctx, tx, machineID); err != nil {
				return farm.Done{}, err
			}
			return journal.Record(ctx, tx, journal.On(journal.Machine, machineID), journal.Undo{dropReadings.Of(ids)},
				"%s was read.", x.Name)
		})
}

// refreshClutches works out anew when clutches on its shelves hatch.
func refreshClutches(ctx context.Context, tx *farm.Tx, machineID int64) error {
	w, err := snapshot.Of(ctx, tx)
	if err != nil {
		return err
	}
	return w.RefreshClutches(ctx, tx, machineID)
}

// besideDisplay is what a probe in the machine told when its display was read: so that the two are compared.
func besideDisplay(all probes.Gauges, machineID int64, at time.Time) (rows []probes.MachineReading) {
	for _, p := range all.Told {
		i := slices.IndexFunc(all.Instruments, func(x Instrument) bool { return x.ID == p.InstrumentID })
		x := all.Instruments[i]
		if x.MachineID != nil && *x.MachineID == machineID && p.TempC != nil && at.Sub(p.At).Abs() <= together {
			rows = append(rows, probes.MachineReading{
				MachineID: machineID, InstrumentID: &x.ID, At: at, TempC: p.TempC, RHPct: p.RHPct,
			})
		}
	}
	return rows
}

// wetBulb turns what a wet bulb showed into humidity, at the farm's height.
func (r *Reading) wetBulb(p *farm.Problems, m *farm.Member) {
	switch {
	case r.WetC == nil:
	case r.TempC == nil:
		p.Addf("temp", "A wet bulb tells only beside the dry one.")
	default:
		s, err := air.FromWetBulb(*r.TempC, *r.WetC, air.PressureAt(float64(m.AltitudeM)))
		if err != nil {
			u := m.Units()
			p.Addf("wet", "A wet bulb of %s beside %s cannot be: it is cooler.", u.Temp(*r.WetC), u.Temp(*r.TempC))
			return
		}
		r.RHPct = &s.RHPct
	}
}

var (
	drop = journal.NewKind("instrument", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return probes.On(tx).DropInstrument(ctx, id)
	})
	asBefore = journal.NewKind("instrument_back", func(ctx context.Context, tx *farm.Tx, before Instrument) error {
		_, err := probes.On(tx).SaveInstrument(ctx, before)
		return err
	})
	dropStay = journal.NewKind("instrument_stay", func(ctx context.Context, tx *farm.Tx, s probes.InstrumentStay) error {
		return probes.On(tx).DropInstrumentStay(ctx, s.InstrumentID, s.FromAt)
	})
	dropCheck = journal.NewKind("instrument_check", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return probes.On(tx).DropCheck(ctx, id)
	})
	dropReadings = journal.NewKind("machine_readings", func(ctx context.Context, tx *farm.Tx, ids []int64) error {
		return probes.On(tx).DropMachineReadings(ctx, ids)
	})
)
