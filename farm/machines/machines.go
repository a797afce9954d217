package machines

import (
	"cmp"
	"context"
	"maps"
	"slices"

	"metrogon/core/machine"
	"metrogon/core/method"
	"metrogon/core/readiness"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// MadeReady notes steps of making a machine ready.
func (b *Service) MadeReady(
	ctx context.Context, req farm.Request, machineID int64, steps ...string,
) (farm.Done, error) {
	return snapshot.OnMachine(ctx, b.Service, req, farm.Helping, machineID,
		func(tx *farm.Tx, x snapshot.Machine) (farm.Done, error) {
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
					ctx, store.Care{Kind: snapshot.StepPrefix + step.ID, MachineID: &machineID, At: tx.At}, req.PersonID,
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
	ctx context.Context, req farm.Request, x snapshot.Machine, rooms []snapshot.Room,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (done farm.Done, err error) {
		id, back, err := b.save(ctx, tx, x, rooms)
		if err != nil {
			return done, err
		}
		return journal.Record(
			ctx, tx, journal.On(journal.Machine, id), journal.Undo{back}, "Saved the machine %s.", x.Name,
		)
	})
}

// Hatcher is where eggs of a new setter hatch, if it is named with it.
type Hatcher struct {
	Name  string
	Rooms []snapshot.Room
}

// NameMachine makes a machine, and a hatcher with it if one is given. What is set in it has to be able
// to hatch somewhere: in it, in a hatcher that is there, or in the new one.
func (b *Service) NameMachine(
	ctx context.Context, req farm.Request, x snapshot.Machine, rooms []snapshot.Room, with *Hatcher,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (done farm.Done, err error) {
		said := "Saved the machine " + x.Name + "."
		id, drop, err := b.save(ctx, tx, x, rooms)
		if err != nil {
			return done, err
		}
		about, back := journal.On(journal.Machine, id), journal.Undo{drop}
		if with != nil {
			box := snapshot.Machine{Name: with.Name, Kind: string(machine.Hatcher), CleanDays: x.CleanDays}
			id, drop, err := b.save(ctx, tx, box, with.Rooms)
			if p, typed := farm.AsProblems(err); typed {
				return done, farm.Problemf("hatcher", "The hatcher: %s", p.Error())
			}
			if err != nil {
				return done, err
			}
			about, back = about.And(journal.Machine, id), append(back, drop)
			said = "Saved the machines " + x.Name + " and " + with.Name + "."
		}
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return done, err
		}
		if stranded := strands(w, rooms); len(stranded) > 0 {
			return done, farm.Problemf("hatches", "%s could hatch nowhere: say how many hatch in %s, or name a hatcher "+
				"with it.", wording.And(stranded), x.Name)
		}
		return journal.Record(ctx, tx, about, back, "%s", said)
	})
}

// strands names the kinds that can be set in a machine and hatch in none. Reptiles hatch where
// they lie.
func strands(w *snapshot.Snapshot, rooms []snapshot.Room) (kinds []string) {
	for _, r := range rooms {
		kind, err := species.Find(r.Species)
		if err != nil || r.Setting == 0 || kind.IsReptile() {
			continue
		}
		hatches := slices.ContainsFunc(w.Machines, func(x snapshot.Machine) bool {
			return w.Rooms[x.ID][r.Species].Hatching > 0
		})
		if !hatches {
			kinds = append(kinds, kind.Name)
		}
	}
	return kinds
}

// save makes or changes a machine, and gives the step that takes it back.
func (b *Service) save(
	ctx context.Context, tx *farm.Tx, x snapshot.Machine, rooms []snapshot.Room,
) (id int64, back journal.Step, err error) {
	var p farm.Problems
	x.Name = p.Name("name", "The machine's name", x.Name, 60, true)
	if _, err := machine.Find(x.Kind); err != nil {
		p.Addf("kind", "Pick what kind of machine it is.")
	}
	p.Count("counter_from", "The counter's first number", x.CounterFrom, 0, 1)
	p.Count("clean_days", "The days of cleaning", x.CleanDays, 0, 30)
	p.Count("turn_minutes", "The minutes between turns", x.TurnMinutes, 0, 1440)
	p.Count("turn_angle", "The angle of the turner", x.TurnAngle, 0, 360)
	if x.School != "" && !slices.Contains(method.Schools, method.School(x.School)) {
		p.Addf("school", "Pick wet, dry or by weight.")
	}
	p.Count("water_ml", "The water that it holds, in ml,", x.WaterML, 0, 50000)
	rooms = slices.DeleteFunc(rooms, func(r snapshot.Room) bool { return r.Setting == 0 && r.Hatching == 0 })
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
		return 0, back, err
	}
	fresh := x.ID == 0
	if !fresh {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return 0, back, err
		}
		before, ok := w.MachineByID[x.ID]
		if !ok {
			return 0, back, farm.ErrNone
		}
		back = machineBefore.Of(saved{before, slices.Collect(maps.Values(w.Rooms[x.ID]))})
	}
	id, err = tx.SaveMachine(ctx, x, rooms)
	if fresh {
		back = dropMachine.Of(id)
	}
	return id, back, farm.Taken(err, "name", "There is a machine of that name already.")
}

// saved is a machine as it was.
type saved struct {
	Machine snapshot.Machine
	Rooms   []snapshot.Room
}

// Steps of what is done with machines.
var (
	dropMachine = journal.NewKind("drop_machine", func(ctx context.Context, tx *farm.Tx, id int64) error {
		return farm.Leant(tx.DropMachine(ctx, id), "machine", "Eggs were set in this machine; take that back first.")
	})
	machineBefore = journal.NewKind("machine", func(ctx context.Context, tx *farm.Tx, before saved) error {
		_, err := tx.SaveMachine(ctx, before.Machine, before.Rooms)
		return farm.Taken(err, "name", "Another machine has that name now.")
	})
)

// MachinePage is one machine with what it holds and what stands in it.
type MachinePage struct {
	snapshot.Running
	Rooms []snapshot.Room
	Ready readiness.State
	Water Water
	Turner
	Hen      *Hen // its card, of a broody hen
	Stranded []snapshot.Stranded
}

// List gives the machines.
func (b *Service) List(ctx context.Context, m *farm.Member) (all []MachinePage, err error) {
	err = snapshot.ReadParts(ctx, b.Service, m, All(&all))
	return all, err
}

// All reads the machines into all.
func All(all *[]MachinePage) snapshot.Part {
	return func(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		up, err := w.Upkeep(ctx, tx)
		if err != nil {
			return err
		}
		turn, stranded := turning(open), w.Stranded(open)
		for _, r := range w.Running(open, w.AllStays(open)) {
			page := MachinePage{Running: r}
			if page.Ready, err = w.Ready(r.Machine, up, snapshot.HasEggs(open, r.ID)); err != nil {
				return err
			}
			for _, s := range stranded {
				if s.MachineID == r.ID {
					page.Stranded = append(page.Stranded, s)
				}
			}
			page.Water = waterOf(w, up, r.Machine)
			page.Hen = henOf(w, up, open, r.Machine)
			page.Turner = turnerOf(up, r.Machine, turn[r.ID])
			for _, room := range w.Rooms[r.ID] {
				page.Rooms = append(page.Rooms, room)
			}
			slices.SortFunc(page.Rooms, func(x, y snapshot.Room) int { return cmp.Compare(x.Species, y.Species) })
			*all = append(*all, page)
		}
		return nil
	}
}

// Kept reads the kinds of which the farm has pens.
func Kept(kinds *[]string) snapshot.Part {
	return func(_ context.Context, _ *farm.Tx, w *snapshot.Snapshot, _ []snapshot.BatchView) error {
		for _, p := range w.Pens {
			*kinds = append(*kinds, p.Species)
		}
		return nil
	}
}
