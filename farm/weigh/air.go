package weigh

import (
	"context"
	"fmt"
	"math"

	"metrogon/core/climate"
	"metrogon/core/machine"
	"metrogon/core/units"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	rows "metrogon/store/weigh"
)

// MachineAir is the one air of a machine: what its batches would have, and what suits all of them best.
type MachineAir struct {
	Machine  snapshot.Machine
	Best     climate.Compromise
	Set      *climate.Compromise // with the humidity to which it is set now; nil: nobody wrote it down
	Batches  []BatchAir          // in the order of their effects
	Troubles []snapshot.AirTrouble
	Changes  Changes
}

// BatchAir is one batch's part.
type BatchAir struct {
	snapshot.BatchView
	Why  string // where its wish comes from
	Says string // what the compromise does to it
}

// AirOf works the air of a machine out; nothing of it where no eggs stand.
func AirOf(machineID int64, a *MachineAir) snapshot.Part {
	return func(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) (err error) {
		*a, err = airOf(ctx, tx, w, machineID, open, Water{})
		return err
	}
}

// airOf works it out; of known the weighings are read already.
func airOf(
	ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, machineID int64, open []snapshot.BatchView, known Water,
) (a MachineAir, err error) {
	a.Machine = w.MachineByID[machineID]
	if a.Machine.ID == 0 {
		return a, farm.ErrNone
	}
	var in []snapshot.BatchView
	var ids []int64
	for _, v := range open {
		if v.Stands().ID == machineID && v.Alive > 0 {
			in, ids = append(in, v), append(ids, v.ID)
		}
	}
	if len(in) == 0 || machine.Broody(a.Machine.Kind) {
		return a, nil
	}
	a.Troubles = w.AirTroubles(in)
	changed, err := rows.On(tx).Responses(ctx, machineID)
	if err != nil {
		return a, err
	}
	a.Changes = changesOf(changed, w.Now)
	weighings, err := rows.On(tx).Weighings(ctx, ids...)
	if err != nil {
		return a, err
	}
	var wants []climate.Want
	for _, v := range in {
		p := known
		if v.ID != known.ID {
			if p, err = weighed(ctx, tx, w, v, weighings); err != nil {
				return a, err
			}
		}
		want, why := p.wish()
		wants, a.Batches = append(wants, want), append(a.Batches, BatchAir{BatchView: v, Why: why})
	}
	a.Best = climate.Compromised(wants)
	for i, e := range a.Best.Effects {
		a.Batches[i].Says = tell(e, len(in) > 1)
	}
	if set := a.Machine.SetRHPct; set != nil {
		now := climate.At(wants, *set)
		a.Set = &now
	}
	return a, nil
}

// weighed is what a batch's eggs have lost, by those of some weighings that are its own.
func weighed(
	ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, v snapshot.BatchView, weighings []rows.Weighing,
) (Water, error) {
	p := waterOf(w, v)
	var mine []rows.Weighing
	for _, x := range weighings {
		if x.BatchID == v.ID {
			mine = append(mine, x)
		}
	}
	if len(mine) == 0 || v.Kind.IsReptile() {
		return p, nil
	}
	eggs, err := tx.BatchEggs(ctx, v.ID)
	if err == nil {
		p.gather(mine, eggs)
	}
	return p, err
}

// wish is what a batch would have of the air, and why: by its weighings where they carry it, else by its method.
func (p Water) wish() (want climate.Want, why string) {
	locked := p.LockedAt != nil
	want = p.Want(locked)
	switch {
	case locked:
		return want, "in lockdown"
	case p.Kind.IsReptile():
		return want, "in its box"
	}
	want.Target, want.Least, want.Most = p.Target, p.From, p.To
	days := p.LastDay - p.Day
	if needs, g, fresh, ok := p.needs(); ok {
		want.Needs = needs
		want.PerPoint = climate.PerPoint(fresh, g, want.TempC, days, p.altitude)
		return want, fmt.Sprintf("by its weighings, to lose %s %% by lockdown", units.Number(p.Target))
	}
	want.PerPoint = climate.PerPoint(p.Kind.EggG.At, 0, want.TempC, days, p.altitude)
	switch {
	case len(p.Series) > 0:
		return want, "its weighings do not tell yet"
	case p.ByWeight():
		return want, "by weight, not weighed yet"
	}
	return want, fmt.Sprintf("%s school, not weighed yet", p.Method.School)
}

// needs is the humidity that the surest weighings of a batch ask for, with the conductance and fresh mass
// of its eggs: the mean over the eggs weighed.
func (p Water) needs() (rh, g, freshG float64, ok bool) {
	n := 0.0
	for _, s := range p.Series {
		if !s.Known || !s.Sure {
			continue
		}
		last := s.Weighings[len(s.Weighings)-1]
		eggs := float64(max(1, last.Eggs))
		rh, g, freshG = rh+eggs*s.RequiredRHPct, g+eggs*s.G, freshG+eggs*last.MeanG/(1-s.LossPct/100)
		n += eggs
	}
	if n == 0 {
		return 0, 0, 0, false
	}
	return rh / n, g / n, freshG / n, true
}

// little is a difference in loss, in points, of which nothing is said.
const little = 0.3

// tell says what the air does to a batch.
func tell(e climate.Effect, shared bool) string {
	switch {
	case e.Resting:
		return ""
	case e.Locked && math.Abs(e.Off) <= (e.To-e.From)/2:
		return "Right for it."
	case e.Locked:
		return fmt.Sprintf("%.0f points %s than it should be.", math.Abs(e.Off), moreOrLess(e.Off, "moister", "drier"))
	case e.Needs == 0 && math.Abs(e.LossOff) < little:
		return "Right for it, as far as its method tells."
	case e.Needs == 0:
		return fmt.Sprintf("About %.1f points %s loss than its method means; weigh it to know.", math.Abs(e.LossOff),
			moreOrLess(e.LossOff, "more", "less"))
	case math.Abs(e.LossOff) < little:
		return fmt.Sprintf("Comes to %.1f %%: right for it.", e.Target+e.LossOff)
	}
	says := fmt.Sprintf("Would come to %.1f %% by lockdown, %.1f points %s than wanted.", e.Target+e.LossOff,
		math.Abs(e.LossOff), moreOrLess(e.LossOff, "more", "less"))
	if e.Outside {
		says += fmt.Sprintf(" Good hatches come with %s to %s %%.", units.Number(e.Least), units.Number(e.Most))
		if shared {
			says += " It would fare better in another machine."
		}
	}
	return says
}

func moreOrLess(x float64, more, less string) string {
	if x > 0 {
		return more
	}
	return less
}

var dropAir = journal.NewKind("air", func(ctx context.Context, tx *farm.Tx, id int64) error {
	return rows.On(tx).DropAir(ctx, id)
})

// SetAir keeps to what a machine was set, °C and %; nil leaves one as it is.
func (b *Service) SetAir(
	ctx context.Context, req farm.Request, machineID int64, tempC, rhPct *float64,
) (farm.Done, error) {
	return snapshot.OnMachine(ctx, b.Service, req, farm.Keeping, machineID,
		func(tx *farm.Tx, x snapshot.Machine) (farm.Done, error) {
			var p farm.Problems
			said := ""
			in := req.Units()
			if tempC != nil {
				p.Temp(in, "temp", "The temperature", tempC, 20, 42)
				said = " " + in.Temp(*tempC)
			}
			if rhPct != nil {
				p.Measure("rh", "The humidity", rhPct, 5, 95, "%")
				said += fmt.Sprintf(" %.0f %%", *rhPct)
			}
			if tempC == nil && rhPct == nil {
				p.Addf("rh", "Say to what temperature or humidity it is set.")
			}
			if err := p.Err(); err != nil {
				return farm.Done{}, err
			}
			id, err := rows.On(tx).AddAir(ctx, rows.Air{
				MachineID: x.ID, At: tx.At, TempC: tempC, RHPct: rhPct, PersonID: &req.PersonID,
			})
			if err != nil {
				return farm.Done{}, err
			}
			return journal.Record(
				ctx, tx, journal.On(journal.Machine, x.ID), journal.Undo{dropAir.Of(id)}, "%s: set to%s.", x.Name, said,
			)
		})
}
