package incubate

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"metrogon/core/marks"
	"metrogon/core/tray"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Trays shows where a batch's eggs lie.
func (b *Service) Trays(ctx context.Context, m *farm.Member, batchID int64) (page snapshot.TrayPage, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		page, err = w.TrayPage(ctx, tx, batchID)
		return err
	})
	return
}

// find looks for an egg of the batch by its pencil code.
func find(p snapshot.TrayPage, mark string) (id int64, ok bool) {
	look := func(e snapshot.TrayEgg) {
		if e.Mark == mark && e.BatchID == p.ID {
			id, ok = e.ID, true
		}
	}
	for _, e := range p.Loose {
		look(e)
	}
	for _, t := range p.Trays {
		for _, eggs := range t.Lying {
			for _, e := range eggs {
				look(e)
			}
		}
	}
	return
}

// Move puts eggs of a batch into a place of a tray; tray 0 takes them out. A
// single egg that meets a full place changes places with the one there. Eggs
// are named by id, or by pencil code.
type Move struct {
	EggIDs []int64
	Marks  []string
	TrayID int64
	Place  string // its name, like B4
}

// MoveEggs does a move. Later eggs of several fill the places after the first.
func (b *Service) MoveEggs(ctx context.Context, req farm.Request, batchID int64, mv Move) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		page, err := w.TrayPage(ctx, tx, batchID)
		if err != nil {
			return farm.Done{}, err
		}
		if page.ClosedAt != nil {
			return farm.Done{}, farm.Problemf("batch", "%s is closed.", page.Code)
		}
		ids, err := eggs(page, mv)
		if err != nil {
			return farm.Done{}, err
		}
		var lies []store.Placement
		where := "out of the tray"
		if mv.TrayID == 0 {
			for _, id := range ids {
				lies = append(lies, store.Placement{EggID: id})
			}
		} else if lies, where, err = into(page, ids, mv); err != nil {
			return farm.Done{}, err
		}
		if err := tx.PlaceEggs(ctx, lies); err != nil {
			return farm.Done{}, err
		}
		// In the journal, but not on the batch's own list: there are hundreds.
		return journal.Record(ctx, tx, nil, nil, "%s: %s %s.", page.Code, wording.Plural(len(ids), "egg"), where)
	})
}

func eggs(p snapshot.TrayPage, mv Move) (ids []int64, err error) {
	var problems farm.Problems
	problems.Count("egg", "The number of eggs moved at once", len(mv.Marks)+len(mv.EggIDs), 0, farm.MaxEggs)
	if problems != nil {
		return nil, problems
	}
	for _, typed := range mv.Marks {
		mark, _ := marks.Read(typed)
		if id, ok := find(p, mark); ok {
			ids = append(ids, id)
		} else {
			problems.Addf("egg", "No egg of %s has the code %.12q.", p.Code, typed)
		}
	}
	known := map[int64]bool{}
	for _, e := range p.Loose {
		known[e.ID] = true
	}
	for _, t := range p.Trays {
		for _, eggs := range t.Lying {
			for _, e := range eggs {
				known[e.ID] = known[e.ID] || e.BatchID == p.ID
			}
		}
	}
	for _, id := range mv.EggIDs {
		if !known[id] {
			return nil, farm.ErrNone
		}
		ids = append(ids, id)
	}
	if len(ids) == 0 && problems == nil {
		problems.Addf("egg", "Name the egg by its code.")
	}
	return ids, problems.Err()
}

// into finds the places for eggs from the named one on.
func into(p snapshot.TrayPage, ids []int64, mv Move) (lies []store.Placement, where string, err error) {
	i := slices.IndexFunc(p.Trays, func(t snapshot.TrayView) bool { return t.ID == mv.TrayID })
	if i < 0 {
		return nil, "", farm.Problemf("tray", "Pick a tray of %s.", p.Stands().Name)
	}
	t := p.Trays[i]
	first, err := t.Layout.Find(mv.Place)
	if err != nil {
		return nil, "", farm.Problemf("place", "%s.", wording.Capital(err.Error()))
	}
	where = fmt.Sprintf("to %s, %s", t.Name, t.Layout.Name(first))
	there := func(place int) (others []snapshot.TrayEgg) {
		for _, e := range t.Lying[place] {
			if !slices.Contains(ids, e.ID) {
				others = append(others, e)
			}
		}
		return
	}
	if others := there(first); len(ids) == 1 && len(others) >= p.PerPlace {
		other := others[0]
		if other.BatchID != p.ID {
			return nil, "", farm.Problemf("place", "%s holds eggs of another batch.", t.Layout.Name(first))
		}
		from := store.Placement{EggID: other.ID}
		for _, o := range p.Trays {
			for place, eggs := range o.Lying {
				if slices.ContainsFunc(eggs, func(e snapshot.TrayEgg) bool { return e.ID == ids[0] }) {
					from.TrayID, from.Place = &o.ID, &place
				}
			}
		}
		return []store.Placement{{EggID: ids[0], TrayID: &t.ID, Place: &first}, from}, where, nil
	}
	place, in := first, len(there(first))
	for _, id := range ids {
		for in >= p.PerPlace && place < t.Layout.Places() {
			place++
			in = len(there(place))
		}
		if place >= t.Layout.Places() {
			return nil, "", farm.Problemf(
				"place", "From %s on there is no room for %s in %s.", t.Layout.Name(first),
				wording.Plural(len(ids), "egg"), t.Name,
			)
		}
		at := place
		lies = append(lies, store.Placement{EggID: id, TrayID: &t.ID, Place: &at})
		in++
	}
	return lies, where, nil
}

// ArrangeByPen lays all eggs of a batch anew, each pen in a block.
func (b *Service) ArrangeByPen(ctx context.Context, req farm.Request, batchID int64) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		page, err := w.TrayPage(ctx, tx, batchID)
		switch {
		case err != nil:
			return farm.Done{}, err
		case page.ClosedAt != nil:
			return farm.Done{}, farm.Problemf("batch", "%s is closed.", page.Code)
		case len(page.Trays) == 0:
			return farm.Done{}, farm.Problemf("tray", "%s has no trays yet.", page.Stands().Name)
		}
		before := map[int64]store.Placement{}
		var eggs []tray.Egg
		add := func(e snapshot.TrayEgg, lie store.Placement) {
			if e.BatchID == batchID {
				eggs = append(eggs, tray.Egg{ID: e.ID, Pen: e.PenID, Code: e.Mark})
				before[e.ID] = lie
			}
		}
		var free []tray.Spot
		others := map[tray.Spot]int{}
		for i, t := range page.Trays {
			for place := range t.Layout.Places() {
				free = append(free, tray.Spot{Tray: i, Place: place})
				for _, e := range t.Lying[place] {
					add(e, store.Placement{EggID: e.ID, TrayID: &t.ID, Place: &place})
					if e.BatchID != batchID {
						others[tray.Spot{Tray: i, Place: place}]++
					}
				}
			}
		}
		for _, e := range page.Loose {
			add(e, store.Placement{EggID: e.ID})
		}
		slices.SortFunc(eggs, func(x, y tray.Egg) int {
			return strings.Compare(w.PenByID[x.Pen].Name+x.Code, w.PenByID[y.Pen].Name+y.Code)
		})
		laid := tray.Blocks(eggs, free, func(s tray.Spot) int {
			if others[s] > 0 {
				return 0
			}
			return page.PerPlace
		})
		var were, lies []store.Placement
		for _, e := range eggs {
			were = append(were, before[e.ID])
			if spot, ok := laid[e.ID]; ok {
				lies = append(lies, store.Placement{EggID: e.ID, TrayID: &page.Trays[spot.Tray].ID, Place: &spot.Place})
			} else {
				lies = append(lies, store.Placement{EggID: e.ID})
			}
		}
		if err := tx.PlaceEggs(ctx, lies); err != nil {
			return farm.Done{}, err
		}
		said := fmt.Sprintf("%s: %s laid by pen", page.Code, wording.Plural(len(laid), "egg"))
		if rest := len(eggs) - len(laid); rest > 0 {
			said += fmt.Sprintf(", %d without a place", rest)
		}
		return journal.Record(
			ctx, tx, journal.On(journal.Batch, batchID), journal.Undo{journal.PlacedBefore.Of(were)}, "%s.", said,
		)
	})
}
