// Package outage is power cuts: when the power went and came back, how cold the eggs got, how late
// that makes them, what to do meanwhile, and when to look who lives.
package outage

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/climate"
	"metrogon/core/machine"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	rows "metrogon/store/outage"
)

// Service holds the use cases.
type Service struct{ *farm.Service }

// Cut is a power cut as it is written down.
type Cut struct {
	From  time.Time
	To    time.Time // zero: the power is still away
	RoomC float64
	Boxes map[int64]climate.Box // of the machines that it took
}

// longest is how long a cut may have been; from then on nothing of the eggs is left to reckon with.
const longest = 10 * 24 * time.Hour

// BoxOf is what eggs lie in, as it is usual for a kind of machine [common practice].
func BoxOf(kind string) climate.Box {
	if kind == string(machine.Cabinet) {
		return climate.CabinetBox
	}
	return climate.Foam
}

// Cooled tells whether a power cut takes a machine at all: a hen needs none.
func Cooled(x snapshot.Machine) bool {
	return x.UntilOn == nil && x.Kind != string(machine.BroodyHen)
}

// check judges what was typed.
func (c Cut) check(tx *farm.Tx, w *snapshot.Snapshot) error {
	var p farm.Problems
	switch {
	case c.From.IsZero():
		p.Addf("from", "Say when the power went.")
	case c.From.After(tx.At):
		p.Addf("from", "%s has not come yet; when did the power go?", tx.Member.Moment(c.From))
	case tx.At.Sub(c.From) > 60*24*time.Hour:
		p.Addf("from", "%s is more than two months ago.", tx.Member.ShortDay(c.From))
	case !c.To.IsZero() && !c.To.After(c.From):
		p.Addf("to", "The power came back after it went, %s.", tx.Member.Moment(c.From))
	case c.To.After(tx.At):
		p.Addf("to", "%s has not come yet.", tx.Member.Moment(c.To))
	case !c.To.IsZero() && c.To.Sub(c.From) > longest:
		p.Addf("to", "A cut of more than ten days is none that eggs outlive.")
	}
	if !(c.RoomC >= -30 && c.RoomC <= 45) {
		r := tx.Member.Units()
		p.Addf("room_c", "The room may have %s to %s.", r.Temp(-30), r.Temp(45))
	}
	if len(c.Boxes) == 0 {
		p.Addf("machine", "Tick the machines that it took.")
	}
	for id, box := range c.Boxes {
		if x, ok := w.MachineByID[id]; !ok || !Cooled(x) || !slices.Contains(climate.Boxes, box) {
			return farm.ErrNone
		}
	}
	return p.Err()
}

// Begin writes a cut down: one that is over, or one that lasts.
func (b *Service) Begin(ctx context.Context, req farm.Request, c Cut) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		if err := c.check(tx, w); err != nil {
			return farm.Done{}, err
		}
		if err := c.overlaps(ctx, tx, w); err != nil {
			return farm.Done{}, err
		}
		row := rows.Outage{FromAt: c.From, RoomC: c.RoomC}
		var on []rows.OutageMachine
		about := journal.Subjects{}
		for _, x := range w.Machines {
			if box, took := c.Boxes[x.ID]; took {
				on = append(on, rows.OutageMachine{MachineID: x.ID, Box: string(box)})
				about = about.And(journal.Machine, x.ID)
			}
		}
		id, err := rows.On(tx).AddOutage(ctx, row, on, req.PersonID)
		if err != nil {
			return farm.Done{}, err
		}
		if err := w.RefreshClutches(ctx, tx, 0); err != nil {
			return farm.Done{}, err
		}
		u := journal.Undo{dropOutage.Of(id)}
		if c.To.IsZero() {
			return journal.Record(ctx, tx, about, u, "The power went %s: %s.", req.Moment(c.From), names(w, on))
		}
		about, says, err := b.end(ctx, tx, w, id, c.To, about)
		if err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, about, append(u, unchill.Of(id)), "Power cut of %s, %s: %s. %s",
			req.ShortDay(c.From), hours(c.To.Sub(c.From)), names(w, on), says)
	})
}

// overlaps refuses a cut that is written down already.
func (c Cut) overlaps(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) error {
	all, err := rows.On(tx).Outages(ctx, 30)
	if err != nil {
		return err
	}
	to := c.To
	if to.IsZero() {
		to = tx.At.Add(time.Minute)
	}
	for _, o := range all {
		if !o.FromAt.Before(to) || o.ToAt != nil && !o.ToAt.After(c.From) {
			continue
		}
		one, err := rows.On(tx).Outage(ctx, o.ID)
		if err != nil {
			return err
		}
		for _, x := range one.Machines {
			if _, both := c.Boxes[x.MachineID]; both {
				return farm.Problemf("from", "A power cut of %s from %s is written down already.",
					w.MachineByID[x.MachineID].Name, tx.Member.Moment(o.FromAt))
			}
		}
	}
	return nil
}

// Back says that the power is back, and when.
func (b *Service) Back(ctx context.Context, req farm.Request, id int64, at time.Time) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		one, err := rows.On(tx).Outage(ctx, id)
		if err != nil {
			return farm.Done{}, err
		}
		if at.IsZero() {
			at = tx.At
		}
		switch {
		case one.ID == 0:
			return farm.Done{}, farm.ErrNone
		case one.ToAt != nil:
			return farm.Done{}, farm.Problemf("to", "The power came back %s already.", req.Moment(*one.ToAt))
		case at.After(tx.At.Add(time.Minute)):
			return farm.Done{}, farm.Problemf("to", "%s has not come yet.", req.Moment(at))
		case !at.After(one.FromAt):
			return farm.Done{}, farm.Problemf("to", "It went %s, so it came back later.", req.Moment(one.FromAt))
		case at.Sub(one.FromAt) > longest:
			at = one.FromAt.Add(longest)
		}
		about := journal.Subjects{}
		for _, x := range one.Machines {
			about = about.And(journal.Machine, x.MachineID)
		}
		about, says, err := b.end(ctx, tx, w, id, at, about)
		if err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, about, journal.Undo{reopen.Of(id), unchill.Of(id)},
			"The power is back after %s. %s", hours(at.Sub(one.FromAt)), says)
	})
}

// end keeps when it was over and what it did to each batch.
func (b *Service) end(
	ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, id int64, at time.Time, about journal.Subjects,
) (journal.Subjects, string, error) {
	if err := rows.On(tx).EndOutage(ctx, id, &at); err != nil {
		return about, "", err
	}
	one, err := rows.On(tx).Outage(ctx, id)
	if err != nil {
		return about, "", err
	}
	views, err := w.OpenBatches(ctx, tx)
	if err != nil {
		return about, "", err
	}
	says := "No eggs were in."
	worst := 0.0
	all, err := chills(ctx, tx, w, one, views, at)
	if err != nil {
		return about, "", err
	}
	for _, c := range all {
		look := tx.Member.Date(calendar.After(c.Batch.SetAt, c.LookDay))
		if err := rows.On(tx).Chill(ctx, rows.OutageBatch{
			OutageID: id, BatchID: c.Batch.ID, MachineID: c.MachineID, Eggs: c.Outage.Eggs, Hours: c.Outage.Hours,
			LateH: min(240, c.DelayH), Risk: string(c.Risk), LookOn: look,
		}); err != nil {
			return about, "", err
		}
		about = about.And(journal.Batch, c.Batch.ID)
		if c.DelayH >= worst {
			worst = c.DelayH
			says = fmt.Sprintf("%s comes about %s later.", c.Batch.Code, hours(time.Duration(c.DelayH*float64(time.Hour))))
		}
	}
	return about, says, w.RefreshClutches(ctx, tx, 0)
}

// Read keeps what eggs in a machine were read at during a cut.
func (b *Service) Read(
	ctx context.Context, req farm.Request, id, machineID int64, at time.Time, eggC float64,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		one, err := rows.On(tx).Outage(ctx, id)
		if err != nil {
			return farm.Done{}, err
		}
		if at.IsZero() {
			at = tx.At
		}
		r := req.Units()
		switch {
		case one.ID == 0 || !slices.ContainsFunc(one.Machines, func(x rows.OutageMachine) bool {
			return x.MachineID == machineID
		}):
			return farm.Done{}, farm.ErrNone
		case one.ToAt != nil:
			return farm.Done{}, farm.Problemf("egg_c", "The power is back; take that back first, then add the reading.")
		case at.Before(one.FromAt) || at.After(tx.At.Add(time.Minute)):
			return farm.Done{}, farm.Problemf("when", "A reading lies between %s and now.", req.Moment(one.FromAt))
		case !(eggC >= -5 && eggC <= 45):
			return farm.Done{}, farm.Problemf("egg_c", "Eggs may be read at %s to %s.", r.Temp(-5), r.Temp(45))
		}
		row, err := rows.On(tx).AddOutageReading(ctx, id, rows.OutageReading{MachineID: machineID, At: at, EggC: eggC})
		if err != nil {
			return farm.Done{}, err
		}
		if err := waited(ctx, tx, nil); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Machine, machineID), journal.Undo{dropReading.Of(row)},
			"Eggs read at %s, %s.", r.Temp(eggC), req.Moment(at))
	})
}

// hours as they are said.
func hours(d time.Duration) string {
	switch h := d.Hours(); {
	case h < 1:
		return wording.Plural(max(1, int(d.Minutes()+.5)), "minute")
	case h < 10:
		return fmt.Sprintf("%.1f hours", h)
	default:
		return fmt.Sprintf("%.0f hours", h)
	}
}

// names lists the machines that a cut took.
func names(w *snapshot.Snapshot, on []rows.OutageMachine) string {
	var all []string
	for _, x := range on {
		all = append(all, w.MachineByID[x.MachineID].Name)
	}
	return wording.And(all)
}

// waited brings the days of clutches up to date, once it is another cut: they grew on, or did not.
func waited(ctx context.Context, tx *farm.Tx, err error) error {
	if err != nil {
		return err
	}
	w, err := snapshot.Of(ctx, tx)
	if err != nil {
		return err
	}
	return w.RefreshClutches(ctx, tx, 0)
}

var (
	dropOutage = journal.NewKind("outage", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return waited(ctx, tx, rows.On(tx).DropOutage(ctx, id))
	})
	reopen = journal.NewKind("power_away", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return waited(ctx, tx, rows.On(tx).EndOutage(ctx, id, nil))
	})
	unchill = journal.NewKind("unchill", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return rows.On(tx).Unchill(ctx, id)
	})
	dropReading = journal.NewKind("outage_reading", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return waited(ctx, tx, rows.On(tx).DropOutageReading(ctx, id))
	})
)
