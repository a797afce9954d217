package farm

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"metrogon/core/marks"
	"metrogon/core/tray"
	"metrogon/core/wording"
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

// Band is a pen's own, the same for good: by its place among the farm's pens in
// the order in which they were made.
func (w *Snapshot) Band(penID int64) marks.Band {
	n := 0
	for _, p := range w.Pens {
		if p.ID < penID {
			n++
		}
	}
	return marks.BandOf(n)
}

func Layout(t store.Tray) tray.Tray { return tray.Tray{Rows: t.TrayRows, Columns: t.TrayColumns} }

func CodeOf(mark *string, no int) string {
	if mark != nil {
		return *mark
	}
	return fmt.Sprint(no)
}

// Trays shows where a batch's eggs lie.
func (b *Service) Trays(ctx context.Context, m *Member, batchID int64) (page TrayPage, err error) {
	err = b.Read(ctx, m, func(tx *Tx) error {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return err
		}
		page, err = w.TrayPage(ctx, tx, batchID)
		return err
	})
	return
}

func (w *Snapshot) TrayPage(ctx context.Context, tx *Tx, batchID int64) (page TrayPage, err error) {
	batch, err := tx.Batch(ctx, batchID)
	if err != nil {
		return page, err
	}
	if page.BatchView, err = w.View(batch); err != nil {
		return page, err
	}
	machine := page.Stands()
	page.PerPlace = max(1, w.Rooms[machine.ID][batch.Species].PerPlace)
	trays, err := tx.Trays(ctx, machine.ID)
	if err != nil {
		return page, err
	}
	lying, err := tx.TrayEggs(ctx, machine.ID)
	if err != nil {
		return page, err
	}
	for _, t := range trays {
		v := TrayView{Tray: t, Layout: Layout(t), Lying: map[int][]TrayEgg{}}
		for _, e := range lying {
			if e.TrayID == t.ID {
				v.Lying[e.Place] = append(v.Lying[e.Place], TrayEgg{e.ID, e.BatchID, e.PenID, e.No, CodeOf(e.Mark, e.No)})
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
			page.Pens = append(page.Pens, BandPen{w.PenByID[e.PenID], w.Band(e.PenID), 0})
		}
		page.Pens[i].Eggs++
		if e.TrayID == nil || !slices.ContainsFunc(trays, func(t store.Tray) bool { return t.ID == *e.TrayID }) {
			page.Loose = append(page.Loose, TrayEgg{e.ID, batchID, e.PenID, e.No, CodeOf(e.Mark, e.No)})
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
func (b *Service) MoveEggs(ctx context.Context, m *Member, key string, batchID int64, mv Move) (Done, error) {
	return b.Act(ctx, m, key, func(tx *Tx) (Done, error) {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return Done{}, err
		}
		page, err := w.TrayPage(ctx, tx, batchID)
		if err != nil {
			return Done{}, err
		}
		if page.ClosedAt != nil {
			return Done{}, Problemf("batch", "%s is closed.", page.Code)
		}
		ids, err := page.eggs(mv)
		if err != nil {
			return Done{}, err
		}
		var lies []store.Placement
		where := "out of the tray"
		if mv.TrayID == 0 {
			for _, id := range ids {
				lies = append(lies, store.Placement{EggID: id})
			}
		} else if lies, where, err = page.into(ids, mv); err != nil {
			return Done{}, err
		}
		if err := tx.PlaceEggs(ctx, lies); err != nil {
			return Done{}, err
		}
		// In the journal, but not on the batch's own list: there are hundreds.
		return Record(ctx, tx, nil, nil, "%s: %s %s.", page.Code, wording.Plural(len(ids), "egg"), where)
	})
}

func (p TrayPage) eggs(mv Move) (ids []int64, err error) {
	var problems Problems
	problems.Count("egg", "The number of eggs moved at once", len(mv.Marks)+len(mv.EggIDs), 0, MaxEggs)
	if problems != nil {
		return nil, problems
	}
	for _, typed := range mv.Marks {
		mark, _ := marks.Read(typed)
		if id, ok := p.find(mark); ok {
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
			return nil, ErrNone
		}
		ids = append(ids, id)
	}
	if len(ids) == 0 && problems == nil {
		problems.Addf("egg", "Name the egg by its code.")
	}
	return ids, problems.Err()
}

// into finds the places for eggs from the named one on.
func (p TrayPage) into(ids []int64, mv Move) (lies []store.Placement, where string, err error) {
	i := slices.IndexFunc(p.Trays, func(t TrayView) bool { return t.ID == mv.TrayID })
	if i < 0 {
		return nil, "", Problemf("tray", "Pick a tray of %s.", p.Stands().Name)
	}
	t := p.Trays[i]
	first, err := t.Layout.Find(mv.Place)
	if err != nil {
		return nil, "", Problemf("place", "%s.", wording.Capital(err.Error()))
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
			return nil, "", Problemf("place", "%s holds eggs of another batch.", t.Layout.Name(first))
		}
		from := store.Placement{EggID: other.ID}
		for _, o := range p.Trays {
			for place, eggs := range o.Lying {
				if slices.ContainsFunc(eggs, func(e TrayEgg) bool { return e.ID == ids[0] }) {
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
			return nil, "", Problemf("place", "From %s on there is no room for %s in %s.", t.Layout.Name(first), wording.Plural(len(ids), "egg"), t.Name)
		}
		at := place
		lies = append(lies, store.Placement{EggID: id, TrayID: &t.ID, Place: &at})
		in++
	}
	return lies, where, nil
}

// ArrangeByPen lays all eggs of a batch anew, each pen in a block.
func (b *Service) ArrangeByPen(ctx context.Context, m *Member, key string, batchID int64) (Done, error) {
	return b.Act(ctx, m, key, func(tx *Tx) (Done, error) {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return Done{}, err
		}
		page, err := w.TrayPage(ctx, tx, batchID)
		switch {
		case err != nil:
			return Done{}, err
		case page.ClosedAt != nil:
			return Done{}, Problemf("batch", "%s is closed.", page.Code)
		case len(page.Trays) == 0:
			return Done{}, Problemf("tray", "%s has no trays yet.", page.Stands().Name)
		}
		before := map[int64]store.Placement{}
		var eggs []tray.Egg
		add := func(e TrayEgg, lie store.Placement) {
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
			return Done{}, err
		}
		said := fmt.Sprintf("%s: %s laid by pen", page.Code, wording.Plural(len(laid), "egg"))
		if rest := len(eggs) - len(laid); rest > 0 {
			said += fmt.Sprintf(", %d without a place", rest)
		}
		return Record(ctx, tx, On("batch", batchID), Undo{placementsBefore.Of(were)}, "%s.", said)
	})
}

// SaveTray makes a tray of a machine (ID 0) or changes one. Its places that are
// known to be warm or cool are named like "A1 A2".
func (b *Service) SaveTray(ctx context.Context, m *Member, key string, t store.Tray, warm, cool string) (Done, error) {
	return b.Act(ctx, m, key, func(tx *Tx) (Done, error) {
		if !m.Owner() {
			return Done{}, ErrNotOwner
		}
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return Done{}, err
		}
		machine, ok := w.MachineByID[t.MachineID]
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
		t.Name = p.Name("name", "The tray's name", t.Name, 30, true)
		p.Count("rows", "The number of rows", t.TrayRows, 0, 60)
		p.Count("columns", "The number of places in a row", t.TrayColumns, 1, tray.Most)
		if n := Layout(t).Places(); len(p) == 0 && n > tray.Most {
			p.Addf("columns", "%d × %d are %d places; it may be up to %d.", t.TrayRows, t.TrayColumns, n, tray.Most)
		}
		if len(p) == 0 {
			t.Warm = p.spots("warm", Layout(t), warm)
			t.Cool = p.spots("cool", Layout(t), cool)
		}
		lying, err := tx.TrayEggs(ctx, t.MachineID)
		if err != nil {
			return Done{}, err
		}
		for _, e := range lying {
			if t.ID != 0 && e.TrayID == t.ID && (e.Place >= Layout(t).Places() || t.UntilOn != nil) {
				p.Addf("rows", "Eggs lie in places that would be gone; move them first.")
				break
			}
		}
		if err := p.Err(); err != nil {
			return Done{}, err
		}
		if _, err := tx.SaveTray(ctx, t); err != nil {
			return Done{}, Taken(err, "name", "There was a tray of that name already.")
		}
		return Record(ctx, tx, On("machine", machine.ID), nil, "Saved %s of %s.", t.Name, machine.Name)
	})
}

func (p *Problems) spots(field string, t tray.Tray, typed string) (all []int) {
	for _, name := range strings.FieldsFunc(typed, func(r rune) bool { return r == ' ' || r == ',' || r == ';' || r == '\n' || r == '\t' || r == '\r' }) {
		place, err := t.Find(name)
		if err != nil {
			p.Addf(field, "%s.", wording.Capital(err.Error()))
			return nil
		}
		all = append(all, place)
	}
	return
}

// MachineTrays lists a machine's trays.
func (b *Service) MachineTrays(ctx context.Context, m *Member, machineID int64) (trays []store.Tray, err error) {
	err = b.Read(ctx, m, func(tx *Tx) error {
		trays, err = tx.Trays(ctx, machineID)
		return err
	})
	return
}

// PlacedEgg is an egg in a machine, with where it lies.
type PlacedEgg struct {
	store.Egg
	Pen  Pen
	Spot string // "Upper B4", where it lies on a tray
}

// Code is what is written on the egg, or its number.
func (e PlacedEgg) Code() string { return CodeOf(e.Mark, e.No) }

// EggsInPlace lists the eggs of a batch that are still in the machine, in the order of
// their places.
func (w *Snapshot) EggsInPlace(ctx context.Context, tx *Tx, batchID int64) (v BatchView, all []PlacedEgg, err error) {
	trays, err := w.TrayPage(ctx, tx, batchID)
	if err != nil {
		return v, nil, err
	}
	eggs, err := tx.BatchEggs(ctx, batchID)
	if err != nil {
		return v, nil, err
	}
	type spot struct {
		tray, place int
		name        string
	}
	lying := map[int64]spot{}
	for i, t := range trays.Trays {
		for place, there := range t.Lying {
			for _, e := range there {
				lying[e.ID] = spot{i - len(trays.Trays), place, t.Name + " " + t.Layout.Name(place)}
			}
		}
	}
	for _, e := range eggs {
		if e.Fate == nil {
			all = append(all, PlacedEgg{e, w.PenByID[e.PenID], lying[e.ID].name})
		}
	}
	slices.SortStableFunc(all, func(x, y PlacedEgg) int { // those without a place come last
		a, b := lying[x.ID], lying[y.ID]
		return cmp.Or(a.tray-b.tray, a.place-b.place, x.No-y.No)
	})
	return trays.BatchView, all, nil
}
