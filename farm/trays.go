package farm

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"metrogon/core/marks"
	"metrogon/core/tray"
	"metrogon/store"
)

// TrayView is a tray with the eggs in its places.
type TrayView struct {
	store.Tray
	Layout tray.Tray
	Lying  map[int][]TrayEgg // by place
}

// TrayEgg is an egg in a tray, or waiting for a place.
type TrayEgg struct {
	ID      int64
	BatchID int64
	PenID   int64
	No      int
	Mark    string
}

// TrayPage is a batch's eggs on the trays of the machine in which it stands.
type TrayPage struct {
	BatchView
	Trays    []TrayView
	Loose    []TrayEgg // of the batch, without a place
	Pens     []BandPen
	PerPlace int
}

// BandPen is a pen with the band of its hatch basket.
type BandPen struct {
	Pen
	marks.Band
	Eggs int
}

// band is a pen's own, the same for good: by its place among the farm's pens in
// the order in which they were made.
func (w *Snapshot) band(penID int64) marks.Band {
	n := 0
	for _, p := range w.penList {
		if p.ID < penID {
			n++
		}
	}
	return marks.BandOf(n)
}

func layout(t store.Tray) tray.Tray { return tray.Tray{Rows: t.TrayRows, Columns: t.TrayColumns} }

func markOf(mark *string, no int) string {
	if mark != nil {
		return *mark
	}
	return fmt.Sprint(no)
}

// Trays shows where a batch's eggs lie.
func (b *Books) Trays(ctx context.Context, m *Member, batchID int64) (page TrayPage, err error) {
	err = b.read(ctx, m, func(tx *Tx) error {
		w, err := tx.snapshot(ctx)
		if err != nil {
			return err
		}
		page, err = w.trayPage(ctx, tx, batchID)
		return err
	})
	return
}

func (w *Snapshot) trayPage(ctx context.Context, tx *Tx, batchID int64) (page TrayPage, err error) {
	batch, err := tx.Batch(ctx, batchID)
	if err != nil {
		return page, err
	}
	if page.BatchView, err = w.view(batch); err != nil {
		return page, err
	}
	machine := page.Stands()
	page.PerPlace = max(1, w.rooms[machine.ID][batch.Species].PerPlace)
	trays, err := tx.Trays(ctx, machine.ID)
	if err != nil {
		return page, err
	}
	lying, err := tx.TrayEggs(ctx, machine.ID)
	if err != nil {
		return page, err
	}
	for _, t := range trays {
		v := TrayView{Tray: t, Layout: layout(t), Lying: map[int][]TrayEgg{}}
		for _, e := range lying {
			if e.TrayID == t.ID {
				v.Lying[e.Place] = append(v.Lying[e.Place], TrayEgg{e.ID, e.BatchID, e.PenID, e.No, markOf(e.Mark, e.No)})
			}
		}
		page.Trays = append(page.Trays, v)
	}
	eggs, err := tx.BatchEggs(ctx, batchID)
	if err != nil {
		return page, err
	}
	for _, e := range eggs {
		if e.Fate != nil {
			continue
		}
		page.Alive++
		i := slices.IndexFunc(page.Pens, func(p BandPen) bool { return p.ID == e.PenID })
		if i < 0 {
			i = len(page.Pens)
			page.Pens = append(page.Pens, BandPen{w.pens[e.PenID], w.band(e.PenID), 0})
		}
		page.Pens[i].Eggs++
		if e.TrayID == nil || !slices.ContainsFunc(trays, func(t store.Tray) bool { return t.ID == *e.TrayID }) {
			page.Loose = append(page.Loose, TrayEgg{e.ID, batchID, e.PenID, e.No, markOf(e.Mark, e.No)})
		}
	}
	return page, nil
}

// find looks for an egg of the batch by its pencil code.
func (p TrayPage) find(mark string) (id int64, ok bool) {
	look := func(e TrayEgg) {
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
func (b *Books) MoveEggs(ctx context.Context, m *Member, key string, batchID int64, mv Move) (Done, error) {
	return b.act(ctx, m, key, func(tx *Tx) (Done, error) {
		w, err := tx.snapshot(ctx)
		if err != nil {
			return Done{}, err
		}
		page, err := w.trayPage(ctx, tx, batchID)
		if err != nil {
			return Done{}, err
		}
		if page.ClosedAt != nil {
			return Done{}, problem("batch", "%s is closed.", page.Code)
		}
		ids, err := page.eggs(mv)
		if err != nil {
			return Done{}, err
		}
		var lies []store.Lie
		where := "out of the tray"
		if mv.TrayID == 0 {
			for _, id := range ids {
				lies = append(lies, store.Lie{EggID: id})
			}
		} else if lies, where, err = page.into(ids, mv); err != nil {
			return Done{}, err
		}
		if err := tx.Lay(ctx, lies); err != nil {
			return Done{}, err
		}
		// In the journal, but not on the batch's own list: there are hundreds.
		return write(ctx, tx, nil, nil, "%s: %s %s.", page.Code, plural(len(ids), "egg"), where)
	})
}

func (p TrayPage) eggs(mv Move) (ids []int64, err error) {
	var problems Problems
	problems.count("egg", "The number of eggs moved at once", len(mv.Marks)+len(mv.EggIDs), 0, MaxEggs)
	if problems != nil {
		return nil, problems
	}
	for _, typed := range mv.Marks {
		mark, _ := marks.Read(typed)
		if id, ok := p.find(mark); ok {
			ids = append(ids, id)
		} else {
			problems.add("egg", "No egg of %s has the code %.12q.", p.Code, typed)
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
			return nil, ErrNone
		}
		ids = append(ids, id)
	}
	if len(ids) == 0 && problems == nil {
		problems.add("egg", "Name the egg by its code.")
	}
	return ids, problems.err()
}

// into finds the places for eggs from the named one on.
func (p TrayPage) into(ids []int64, mv Move) (lies []store.Lie, where string, err error) {
	i := slices.IndexFunc(p.Trays, func(t TrayView) bool { return t.ID == mv.TrayID })
	if i < 0 {
		return nil, "", problem("tray", "Pick a tray of %s.", p.Stands().Name)
	}
	t := p.Trays[i]
	first, err := t.Layout.Find(mv.Place)
	if err != nil {
		return nil, "", problem("place", "%s.", capital(err.Error()))
	}
	where = fmt.Sprintf("to %s, %s", t.Name, t.Layout.Name(first))
	there := func(place int) (others []TrayEgg) {
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
			return nil, "", problem("place", "%s holds eggs of another batch.", t.Layout.Name(first))
		}
		from := store.Lie{EggID: other.ID}
		for _, o := range p.Trays {
			for place, eggs := range o.Lying {
				if slices.ContainsFunc(eggs, func(e TrayEgg) bool { return e.ID == ids[0] }) {
					from.TrayID, from.Place = &o.ID, &place
				}
			}
		}
		return []store.Lie{{EggID: ids[0], TrayID: &t.ID, Place: &first}, from}, where, nil
	}
	place, in := first, len(there(first))
	for _, id := range ids {
		for in >= p.PerPlace && place < t.Layout.Places() {
			place++
			in = len(there(place))
		}
		if place >= t.Layout.Places() {
			return nil, "", problem("place", "From %s on there is no room for %s in %s.", t.Layout.Name(first), plural(len(ids), "egg"), t.Name)
		}
		at := place
		lies = append(lies, store.Lie{EggID: id, TrayID: &t.ID, Place: &at})
		in++
	}
	return lies, where, nil
}

// LayByPen lays all eggs of a batch anew, each pen in a block.
func (b *Books) LayByPen(ctx context.Context, m *Member, key string, batchID int64) (Done, error) {
	return b.act(ctx, m, key, func(tx *Tx) (Done, error) {
		w, err := tx.snapshot(ctx)
		if err != nil {
			return Done{}, err
		}
		page, err := w.trayPage(ctx, tx, batchID)
		switch {
		case err != nil:
			return Done{}, err
		case page.ClosedAt != nil:
			return Done{}, problem("batch", "%s is closed.", page.Code)
		case len(page.Trays) == 0:
			return Done{}, problem("tray", "%s has no trays yet.", page.Stands().Name)
		}
		before := map[int64]store.Lie{}
		var eggs []tray.Egg
		add := func(e TrayEgg, lie store.Lie) {
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
					add(e, store.Lie{EggID: e.ID, TrayID: &t.ID, Place: &place})
					if e.BatchID != batchID {
						others[tray.Spot{Tray: i, Place: place}]++
					}
				}
			}
		}
		for _, e := range page.Loose {
			add(e, store.Lie{EggID: e.ID})
		}
		slices.SortFunc(eggs, func(x, y tray.Egg) int { return strings.Compare(w.pens[x.Pen].Name+x.Code, w.pens[y.Pen].Name+y.Code) })
		laid := tray.Blocks(eggs, free, func(s tray.Spot) int {
			if others[s] > 0 {
				return 0
			}
			return page.PerPlace
		})
		var were, lies []store.Lie
		for _, e := range eggs {
			were = append(were, before[e.ID])
			if spot, ok := laid[e.ID]; ok {
				lies = append(lies, store.Lie{EggID: e.ID, TrayID: &page.Trays[spot.Tray].ID, Place: &spot.Place})
			} else {
				lies = append(lies, store.Lie{EggID: e.ID})
			}
		}
		if err := tx.Lay(ctx, lies); err != nil {
			return Done{}, err
		}
		said := fmt.Sprintf("%s: %s laid by pen", page.Code, plural(len(laid), "egg"))
		if rest := len(eggs) - len(laid); rest > 0 {
			said += fmt.Sprintf(", %d without a place", rest)
		}
		return write(ctx, tx, On("batch", batchID), undo{lieAgain.Of(were)}, "%s.", said)
	})
}

// SaveTray makes a tray of a machine (ID 0) or changes one. Its places that are
// known to be warm or cool are named like "A1 A2".
func (b *Books) SaveTray(ctx context.Context, m *Member, key string, t store.Tray, warm, cool string) (Done, error) {
	return b.act(ctx, m, key, func(tx *Tx) (Done, error) {
		if !m.Owner() {
			return Done{}, errOwner
		}
		w, err := tx.snapshot(ctx)
		if err != nil {
			return Done{}, err
		}
		machine, ok := w.machines[t.MachineID]
		if !ok {
			return Done{}, ErrNone
		}
		trays, err := tx.Trays(ctx, t.MachineID)
		if err != nil {
			return Done{}, err
		}
		if t.ID != 0 && !slices.ContainsFunc(trays, func(o store.Tray) bool { return o.ID == t.ID }) {
			return Done{}, ErrNone
		}
		var p Problems
		t.Name = p.name("name", "The tray's name", t.Name, 30, true)
		p.count("rows", "The number of rows", t.TrayRows, 0, 60)
		p.count("columns", "The number of places in a row", t.TrayColumns, 1, tray.Most)
		if n := layout(t).Places(); len(p) == 0 && n > tray.Most {
			p.add("columns", "%d × %d are %d places; it may be up to %d.", t.TrayRows, t.TrayColumns, n, tray.Most)
		}
		if len(p) == 0 {
			t.Warm = p.spots("warm", layout(t), warm)
			t.Cool = p.spots("cool", layout(t), cool)
		}
		lying, err := tx.TrayEggs(ctx, t.MachineID)
		if err != nil {
			return Done{}, err
		}
		for _, e := range lying {
			if t.ID != 0 && e.TrayID == t.ID && (e.Place >= layout(t).Places() || t.UntilOn != nil) {
				p.add("rows", "Eggs lie in places that would be gone; move them first.")
				break
			}
		}
		if err := p.err(); err != nil {
			return Done{}, err
		}
		if _, err := tx.SaveTray(ctx, t); err != nil {
			return Done{}, taken(err, "name", "There was a tray of that name already.")
		}
		return write(ctx, tx, On("machine", machine.ID), nil, "Saved %s of %s.", t.Name, machine.Name)
	})
}

func (p *Problems) spots(field string, t tray.Tray, typed string) (all []int) {
	for _, name := range strings.FieldsFunc(typed, func(r rune) bool { return r == ' ' || r == ',' || r == ';' || r == '\n' || r == '\t' || r == '\r' }) {
		place, err := t.Find(name)
		if err != nil {
			p.add(field, "%s.", capital(err.Error()))
			return nil
		}
		all = append(all, place)
	}
	return
}

// MachineTrays lists a machine's trays.
func (b *Books) MachineTrays(ctx context.Context, m *Member, machineID int64) (trays []store.Tray, err error) {
	err = b.read(ctx, m, func(tx *Tx) error {
		trays, err = tx.Trays(ctx, machineID)
		return err
	})
	return
}
