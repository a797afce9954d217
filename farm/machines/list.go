package machines

import (
	"context"
	"slices"
	"strings"

	"metrogon/core/machine"
	"metrogon/core/species"
	"metrogon/core/tray"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
)

// Line is a line of a list of machines. What it holds is told in hens' eggs.
type Line struct {
	No                int
	Name              string
	Kind              machine.Kind
	Setting, Hatching int
}

// BringMachines makes the machines of a list, all or none; with dry it only looks. They hold the kinds that
// the farm keeps, each by the room that its eggs take. Those whose name is there already change nothing.
func (b *Service) BringMachines(
	ctx context.Context, req farm.Request, lines []Line, dry bool,
) (out farm.Listing, err error) {
	var names []string
	about, back := journal.Subjects{}, journal.Undo{}
	err = b.TakeIn(ctx, req, dry, &out, func(tx *farm.Tx) error {
		names, about, back = nil, nil, nil
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		kept := keeps(w)
		for _, l := range lines {
			same := func(name string) bool { return strings.EqualFold(name, l.Name) }
			if slices.ContainsFunc(w.Machines, func(x snapshot.Machine) bool { return same(x.Name) }) {
				out.Known++
				continue
			}
			if slices.ContainsFunc(names, same) {
				out.Wrong(l.No, "machine", "%s stands in two lines", l.Name)
				continue
			}
			x := snapshot.Machine{Name: l.Name, Kind: string(l.Kind.ID), CleanDays: 1}
			id, drop, err := b.save(ctx, tx, x, l.rooms(kept))
			if err != nil {
				if err := out.Problem(l.No, err); err != nil {
					return err
				}
				continue
			}
			names, about, back = append(names, l.Name), about.And(journal.Machine, id), append(back, drop)
		}
		if len(names) > 0 {
			out.Holds = []string{wording.Plural(len(names), "machine")}
		}
		return b.hatchSomewhere(ctx, tx, lines, &out)
	}, func(tx *farm.Tx) (farm.Done, error) {
		return journal.Record(ctx, tx, about, back, "Brought in the machines %s.", wording.And(names))
	})
	return out, err
}

// keeps are the kinds of animal that a farm keeps; hens where it said nothing.
func keeps(w *snapshot.Snapshot) (all []*species.Profile) {
	for _, k := range w.Member.Offered() {
		said := slices.Contains(w.Member.Kinds, k.ID)
		if said || slices.ContainsFunc(w.Pens, func(p snapshot.Pen) bool { return p.Species == k.ID }) {
			all = append(all, k)
		}
	}
	if len(all) == 0 {
		hens, err := species.Find("chicken")
		if err == nil {
			all = append(all, hens)
		}
	}
	return all
}

// rooms of a line's machine.
func (l Line) rooms(kept []*species.Profile) (rooms []snapshot.Room) {
	for _, p := range kept {
		rooms = append(rooms, snapshot.Room{
			Species: p.ID, Setting: l.Kind.RoomFor(p, l.Setting), Hatching: l.Kind.RoomFor(p, l.Hatching),
			PerPlace: tray.PerPlace(p),
		})
	}
	return rooms
}

// hatchSomewhere notes lines whose eggs could hatch in no machine.
func (b *Service) hatchSomewhere(ctx context.Context, tx *farm.Tx, lines []Line, out *farm.Listing) error {
	w, err := snapshot.Of(ctx, tx)
	if err != nil {
		return err
	}
	for _, l := range lines {
		if stranded := strands(w, l.rooms(keeps(w))); len(stranded) > 0 {
			out.Wrong(l.No, "hatching", "%s could hatch nowhere: say how many hatch in it, or add a hatcher",
				wording.And(stranded))
		}
	}
	return nil
}
