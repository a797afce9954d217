package machines

import (
	"context"
	"slices"
	"strings"

	"metrogon/core/tray"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// SaveTray makes a tray of a machine (ID 0) or changes one. Its places that are
// known to be warm or cool are named like "A1 A2".
func (b *Service) SaveTray(
	ctx context.Context, req farm.Request, t store.Tray, warm, cool string,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		machine, ok := w.MachineByID[t.MachineID]
		if !ok {
			return farm.Done{}, farm.ErrNone
		}
		trays, err := tx.Trays(ctx, t.MachineID)
		if err != nil {
			return farm.Done{}, err
		}
		if t.ID != 0 && !slices.ContainsFunc(trays, func(o store.Tray) bool { return o.ID == t.ID }) {
			return farm.Done{}, farm.ErrNone
		}
		var p farm.Problems
		t.Name = p.Name("name", "The tray's name", t.Name, 30, true)
		p.Count("rows", "The number of rows", t.TrayRows, 0, 60)
		p.Count("columns", "The number of places in a row", t.TrayColumns, 1, tray.Most)
		if n := snapshot.Layout(t).Places(); len(p) == 0 && n > tray.Most {
			p.Addf("columns", "%d × %d are %d places; it may be up to %d.", t.TrayRows, t.TrayColumns, n, tray.Most)
		}
		if len(p) == 0 {
			t.Warm = spots(&p, "warm", snapshot.Layout(t), warm)
			t.Cool = spots(&p, "cool", snapshot.Layout(t), cool)
		}
		lying, err := tx.TrayEggs(ctx, t.MachineID)
		if err != nil {
			return farm.Done{}, err
		}
		for _, e := range lying {
			if t.ID != 0 && e.TrayID == t.ID && (e.Place >= snapshot.Layout(t).Places() || t.UntilOn != nil) {
				p.Addf("rows", "Eggs lie in places that would be gone; move them first.")
				break
			}
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		if _, err := tx.SaveTray(ctx, t); err != nil {
			return farm.Done{}, farm.Taken(err, "name", "There was a tray of that name already.")
		}
		return journal.Record(ctx, tx, journal.On(journal.Machine, machine.ID), nil, "Saved %s of %s.", t.Name, machine.Name)
	})
}

func spots(p *farm.Problems, field string, t tray.Tray, typed string) (all []int) {
	for _, name := range strings.FieldsFunc(typed, func(r rune) bool {
		return r == ' ' || r == ',' || r == ';' || r == '\n' || r == '\t' || r == '\r'
	}) {
		place, err := t.Find(name)
		if err != nil {
			p.Addf(field, "%s.", wording.Capital(err.Error()))
			return nil
		}
		all = append(all, place)
	}
	return
}

// TraysOf reads a machine's trays.
func TraysOf(machineID int64, trays *[]store.Tray) snapshot.Part {
	return func(ctx context.Context, tx *farm.Tx, _ *snapshot.Snapshot, _ []snapshot.BatchView) (err error) {
		*trays, err = tx.Trays(ctx, machineID)
		return err
	}
}
