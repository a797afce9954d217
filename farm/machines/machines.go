package machines

import (
	"cmp"
	"context"
	"slices"

	"metrogon/core/machine"
	"metrogon/core/readiness"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/store"
)

// MadeReady notes steps of making a machine ready.
func (b *Service) MadeReady(
	ctx context.Context, m *farm.Member, key string, machineID int64, steps ...string,
) (farm.Done, error) {
	return b.Act(ctx, m, farm.Helping, key, func(tx *farm.Tx) (farm.Done, error) {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return farm.Done{}, err
		}
		x, ok := w.MachineByID[machineID]
		if !ok {
			return farm.Done{}, farm.ErrNone
		}
		kind, err := machine.Find(x.Kind)
		if err != nil {
			return farm.Done{}, err
		}
		var ids []int64
		for _, done := range steps {
			step, err := kind.Step(done, x.ByHand)
			if err != nil {
				return farm.Done{}, farm.Problemf("step", "%s.", wording.Capital(err.Error()))
			}
			id, err := tx.AddCare(
				ctx, store.Care{Kind: farm.StepPrefix + step.ID, MachineID: &machineID, At: w.Now}, m.PersonID,
			)
			if err != nil {
				return farm.Done{}, err
			}
			ids = append(ids, id)
		}
		if len(ids) == 0 {
			return farm.Done{}, farm.Problemf("step", "Mark what is done.")
		}
		return journal.Record(ctx, tx, journal.On(journal.Machine, machineID), journal.Undo{journal.DropCare.Of(ids)},
			"%s: %s of making ready done.", x.Name, wording.Plural(len(ids), "step"))
	})
}

// SaveMachine makes a machine (ID 0) or changes one with what it holds.
func (b *Service) SaveMachine(
	ctx context.Context, m *farm.Member, key string, x farm.Machine, rooms []farm.Room,
) (farm.Done, error) {
	return b.Act(ctx, m, farm.Keeping, key, func(tx *farm.Tx) (farm.Done, error) {
		var p farm.Problems
		x.Name = p.Name("name", "The machine's name", x.Name, 60, true)
		if _, err := machine.Find(x.Kind); err != nil {
			p.Addf("kind", "Pick what kind of machine it is.")
		}
		p.Count("counter_from", "The counter's first number", x.CounterFrom, 0, 1)
		p.Count("clean_days", "The days of cleaning", x.CleanDays, 0, 30)
		rooms = slices.DeleteFunc(rooms, func(r farm.Room) bool { return r.Setting == 0 && r.Hatching == 0 })
		if len(rooms) == 0 {
			p.Addf("rooms", "Say how many eggs of at least one kind it holds.")
		}
		for _, r := range rooms {
			if _, err := species.Find(r.Species); err != nil {
				p.Addf("rooms", "%v.", err)
			}
			p.Count("rooms", "What it holds while setting", r.Setting, 0, 100000)
			p.Count("rooms", "What it holds while hatching", r.Hatching, 0, 100000)
			p.Count("rooms", "The eggs in one place of a tray", max(1, r.PerPlace), 1, 20)
		}
		if at := x.CounterStartedAt; at != nil {
			p.Date("counter_started_at", "The counter's start", *at, b.Now().AddDate(0, 0, 1))
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		var err error
		if x.ID, err = tx.SaveMachine(ctx, x, rooms); err != nil {
			return farm.Done{}, farm.Taken(err, "name", "There is a machine of that name already.")
		}
		return journal.Record(ctx, tx, journal.On(journal.Machine, x.ID), nil, "Saved the machine %s.", x.Name)
	})
}

// MachinePage is one machine with what it holds and what stands in it.
type MachinePage struct {
	farm.Running
	Rooms []farm.Room
	Ready readiness.State
}

// List gives the machines.
func (b *Service) List(ctx context.Context, m *farm.Member) (all []MachinePage, err error) {
	err = b.ReadOpen(ctx, m, func(tx *farm.Tx, w *farm.Snapshot, open []farm.BatchView) error {
		up, err := w.Upkeep(ctx, tx)
		if err != nil {
			return err
		}
		for _, r := range w.Running(open, w.AllStays(open)) {
			page := MachinePage{Running: r}
			if page.Ready, err = w.Ready(r.Machine, up, farm.HasEggs(open, r.ID)); err != nil {
				return err
			}
			for _, room := range w.Rooms[r.ID] {
				page.Rooms = append(page.Rooms, room)
			}
			slices.SortFunc(page.Rooms, func(x, y farm.Room) int { return cmp.Compare(x.Species, y.Species) })
			all = append(all, page)
		}
		return nil
	})
	return
}
