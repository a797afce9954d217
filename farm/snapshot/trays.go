package snapshot

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/marks"
	"metrogon/core/tray"
	"metrogon/farm"
	"metrogon/store"
	"metrogon/store/stock"
)

// oldestSet is how many days eggs may have waited when they are set.
const OldestSet = 60

// AssignCodes gives every living egg that has none, and that is young enough to be set,
// a pencil code, and returns the codes given.
func AssignCodes(ctx context.Context, tx *store.Tx, today time.Time) ([]string, error) {
	eggs, err := stock.On(tx).Unmarked(ctx, today.AddDate(0, 0, -OldestSet))
	if err != nil || len(eggs) == 0 {
		return nil, err
	}
	last, used, err := stock.On(tx).Marks(ctx)
	if err != nil {
		return nil, err
	}
	inUse := make(map[string]bool, len(used))
	for _, code := range used {
		inUse[code] = true
	}
	codes := marks.Next(last, len(eggs), inUse)
	return codes, stock.On(tx).SetMarks(ctx, eggs, codes)
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

func (w *Snapshot) TrayPage(ctx context.Context, tx *farm.Tx, batchID int64) (page TrayPage, err error) {
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
	BatchID int64
	Pen     Pen
	Spot    string // "Upper B4", where it lies on a tray
}

// Code is what is written on the egg, or its number.
func (e PlacedEgg) Code() string { return CodeOf(e.Mark, e.No) }

// EggsInPlace lists the eggs of batches that are still in one machine, in the order of their places; those
// without a place come last, batch by batch.
func (w *Snapshot) EggsInPlace(ctx context.Context, tx *farm.Tx, in ...BatchView) (all []PlacedEgg, err error) {
	if len(in) == 0 {
		return nil, nil
	}
	trays, err := tx.Trays(ctx, in[0].Stands().ID)
	if err != nil {
		return nil, err
	}
	var ids []int64
	for _, v := range in {
		ids = append(ids, v.ID)
	}
	eggs, err := tx.EggsOf(ctx, ids)
	if err != nil {
		return nil, err
	}
	order := map[int64]int{}
	for _, v := range in {
		for _, e := range eggs[v.ID] {
			placed := PlacedEgg{Egg: e, BatchID: v.ID, Pen: w.PenByID[e.PenID]}
			order[e.ID] = len(trays)
			if i := slices.IndexFunc(trays, func(t store.Tray) bool { return e.TrayID != nil && t.ID == *e.TrayID }); i >= 0 {
				order[e.ID], placed.Spot = i, trays[i].Name+" "+Layout(trays[i]).Name(*e.Place)
			}
			all = append(all, placed)
		}
	}
	slices.SortStableFunc(all, func(x, y PlacedEgg) int {
		if by := order[x.ID] - order[y.ID]; by != 0 || order[x.ID] == len(trays) {
			return by
		}
		return cmp.Or(*x.Place-*y.Place, x.No-y.No)
	})
	return all, nil
}
