package farm

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/marks"
	"metrogon/core/tray"
	"metrogon/store"
)

// oldestSet is how many days eggs may have waited when they are set.
const OldestSet = 60

// AssignCodes gives every living egg that has none, and that is young enough to be set,
// a pencil code, and returns the codes given.
func AssignCodes(ctx context.Context, tx *store.Tx, today time.Time) ([]string, error) {
	eggs, err := tx.Unmarked(ctx, today.AddDate(0, 0, -OldestSet))
	if err != nil || len(eggs) == 0 {
		return nil, err
	}
	last, used, err := tx.Marks(ctx)
	if err != nil {
		return nil, err
	}
	inUse := make(map[string]bool, len(used))
	for _, code := range used {
		inUse[code] = true
	}
	codes := marks.Next(last, len(eggs), inUse)
	return codes, tx.SetMarks(ctx, eggs, codes)
}

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
	Calls   []string // oldest first; of the page's own batch only
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

func Layout(t store.Tray) tray.Tray { return tray.Tray{Rows: t.TrayRows, Columns: t.TrayColumns} }

func CodeOf(mark *string, no int) string {
	if mark != nil {
		return *mark
	}
	return fmt.Sprint(no)
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
	eggs, err := tx.BatchEggs(ctx, batchID)
	if err != nil {
		return page, err
	}
	calls := make(map[int64][]string, len(eggs))
	for _, e := range eggs {
		calls[e.ID] = e.Calls
	}
	for _, t := range trays {
		page.Trays = append(page.Trays, trayView(t, lying, calls))
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
			page.Loose = append(page.Loose, TrayEgg{e.ID, batchID, e.PenID, e.No, CodeOf(e.Mark, e.No), e.Calls})
		}
	}
	return page, nil
}

// trayView puts the eggs that lie in a tray into its places.
func trayView(t store.Tray, lying []store.TrayEgg, calls map[int64][]string) TrayView {
	v := TrayView{Tray: t, Layout: Layout(t), Lying: map[int][]TrayEgg{}}
	for _, e := range lying {
		if e.TrayID == t.ID {
			egg := TrayEgg{e.ID, e.BatchID, e.PenID, e.No, CodeOf(e.Mark, e.No), calls[e.ID]}
			v.Lying[e.Place] = append(v.Lying[e.Place], egg)
		}
	}
	return v
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
