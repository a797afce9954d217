package outage

import (
	"context"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/climate"
	"metrogon/core/reptile"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/store/clutch"
	outagerows "metrogon/store/outage"
)

// Chilled is a batch in a cut, with what is reckoned of it.
type Chilled struct {
	climate.Chill
	climate.Outage
	Batch     snapshot.BatchView
	MachineID int64
	Cut       reptile.Cut // of a clutch
}

// Do lists what is done.
func (c Chilled) Do() []string {
	if c.Batch.Kind.IsReptile() {
		return c.Cut.Do()
	}
	return c.Outage.Do(c.Chill)
}

// chills reckons a cut for every batch that stood in its machines, as if the power was away until
// a moment, or until the batch was moved elsewhere.
func chills(
	ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, one outagerows.OneOutage, views []snapshot.BatchView,
	until time.Time,
) (all []Chilled, err error) {
	boxes := map[int64]climate.Box{}
	for _, x := range one.Machines {
		boxes[x.MachineID] = climate.Box(x.Box)
	}
	for _, s := range one.Stood {
		i := slices.IndexFunc(views, func(v snapshot.BatchView) bool { return v.ID == s.BatchID })
		if i < 0 || views[i].Alive == 0 {
			continue
		}
		v, to := views[i], until
		if v.Kind.IsReptile() {
			c, err := clutchIn(ctx, tx, w, one, v, s.MachineID, until)
			if err != nil {
				return nil, err
			}
			all = append(all, c)
			continue
		}
		if s.ToAt != nil && s.ToAt.Before(to) {
			to = *s.ToAt
		}
		o := climate.Outage{
			Kind: v.Kind, Day: dayOf(v, one.FromAt), Eggs: v.Alive, Box: boxes[s.MachineID], RoomC: one.RoomC,
			StartC: runningC, Hours: max(to.Sub(one.FromAt).Hours(), 1./60),
		}
		for _, other := range one.Stood {
			j := slices.IndexFunc(views, func(v snapshot.BatchView) bool { return v.ID == other.BatchID })
			if j >= 0 && j != i && other.MachineID == s.MachineID && views[j].Alive > 0 && !views[j].Kind.IsReptile() {
				x := views[j]
				o.Beside = append(o.Beside, climate.Beside{Kind: x.Kind, Day: dayOf(x, one.FromAt), Eggs: x.Alive})
			}
		}
		for _, r := range one.Readings {
			if h := r.At.Sub(one.FromAt).Hours(); r.MachineID == s.MachineID && h >= 0 && h <= o.Hours {
				o.Readings = append(o.Readings, climate.CurvePoint{H: h, EggC: r.EggC})
			}
		}
		all = append(all, Chilled{Chill: o.Chill(), Outage: o, Batch: v, MachineID: s.MachineID})
	}
	return all, nil
}

// clutchIn reckons a cut for a clutch: its box cools, and the embryos wait.
func clutchIn(
	ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, one outagerows.OneOutage, v snapshot.BatchView,
	machineID int64,
	until time.Time,
) (x Chilled, err error) {
	rows, err := clutch.On(tx).ClutchRows(ctx, []int64{v.ID})
	if err != nil || len(rows.Clutches) == 0 {
		return x, err
	}
	h, err := w.Warmth(ctx, tx, v.Batch, snapshot.BoxOf(rows, rows.Clutches[0]), rows.Temps)
	if err != nil {
		return x, err
	}
	cut := outagerows.CutIn{Outage: one.Outage}
	for _, m := range one.Machines {
		if m.MachineID == machineID {
			cut.Box = m.Box
		}
	}
	for _, r := range one.Readings {
		if r.MachineID == machineID {
			cut.Readings = append(cut.Readings, r)
		}
	}
	box := h.CutAt(tx, v.Batch, cut, until)
	o := climate.Outage{
		Kind: v.Kind, Day: max(0, calendar.Elapsed(v.SetAt, one.FromAt)), Eggs: v.Alive, Box: box.Box, RoomC: box.RoomC,
		StartC: box.PlanC, Hours: box.Hours, Readings: box.Readings,
	}
	return Chilled{Chill: box.Chill(tx.Member.Units()), Outage: o, Batch: v, MachineID: machineID, Cut: box}, nil
}

// runningC is what eggs have in a machine, °C.
const runningC = 37.5

// dayOf is the day of incubation at a moment, no more than a kind takes.
func dayOf(v snapshot.BatchView, at time.Time) float64 {
	return min(max(0, calendar.Elapsed(v.SetAt, at)), v.Kind.HatchDays.To)
}

// Look is when a look by the lamp tells who lives; ok is false where there is none: it is a clutch, which is looked at
// from the side as ever, or hatches before, and then the hatch tells.
func (c Chilled) Look() (at time.Time, ok bool) {
	at = calendar.After(c.Batch.SetAt, c.LookDay)
	return at, !c.Batch.Kind.IsReptile() && c.Batch.LockedAt == nil && at.Before(c.Batch.At(calendar.Lockdown))
}

// Page is one cut.
type Page struct {
	outagerows.Outage
	Now      time.Time
	Machines []Machine
	Batches  []Chilled
	Kept     map[int64]outagerows.OutageBatch // what was written down when it was over, by batch
}

// Hours is how long it lasted, or has lasted.
func (p Page) Hours() float64 {
	if p.ToAt != nil {
		return p.ToAt.Sub(p.FromAt).Hours()
	}
	return p.Now.Sub(p.FromAt).Hours()
}

// Machine is one that a cut took, or may have taken.
type Machine struct {
	snapshot.Machine
	Box      climate.Box
	Eggs     int
	Readings []outagerows.OutageReading
}

// One shows a cut: while it lasts as far as it has come, afterwards what it did.
func (b *Service) One(ctx context.Context, m *farm.Member, id int64) (p Page, err error) {
	err = snapshot.ReadOpen(ctx, b.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		one, err := outagerows.On(tx).Outage(ctx, id)
		if err != nil {
			return err
		}
		if one.ID == 0 {
			return farm.ErrNone
		}
		p = Page{Outage: one.Outage, Now: w.Now, Kept: map[int64]outagerows.OutageBatch{}}
		until := w.Now
		if one.ToAt != nil {
			until = *one.ToAt
		}
		for _, x := range one.Machines {
			on := Machine{Machine: w.MachineByID[x.MachineID], Box: climate.Box(x.Box)}
			for _, r := range one.Readings {
				if r.MachineID == x.MachineID {
					on.Readings = append(on.Readings, r)
				}
			}
			p.Machines = append(p.Machines, on)
		}
		for _, k := range one.Batches {
			p.Kept[k.BatchID] = k
		}
		p.Batches, err = chills(ctx, tx, w, one, open, until)
		return err
	})
	return p, err
}

// Kept is a cut as it was written down.
type Kept = outagerows.Outage

// List is the cuts that were written down, and the machines that one can take.
type List struct {
	Now      time.Time
	Cuts     []Kept
	Machines []Machine
}

// All lists them.
func (b *Service) All(ctx context.Context, m *farm.Member) (l List, err error) {
	err = snapshot.ReadOpen(ctx, b.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		l.Now = w.Now
		for _, x := range w.Machines {
			if !Cooled(x) {
				continue
			}
			on := Machine{Machine: x, Box: BoxOf(x.Kind)}
			for _, v := range open {
				if v.Stands().ID == x.ID {
					on.Eggs += v.Alive
				}
			}
			l.Machines = append(l.Machines, on)
		}
		l.Cuts, err = outagerows.On(tx).Outages(ctx, 30)
		return err
	})
	return l, err
}
