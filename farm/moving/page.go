package moving

import (
	"context"
	"slices"

	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Page is a batch whose eggs may go elsewhere, and where they may go.
type Page struct {
	snapshot.BatchView
	Pens     []PenLeft
	Trays    []TrayLeft
	Targets  []Target
	Hatchers []snapshot.Place
	Counted  int  // young without their eggs: only the whole batch can go
	Coded    bool // its eggs have pencil codes
}

// PenLeft is a pen with how many of its eggs are left.
type PenLeft struct {
	snapshot.Pen
	Eggs int
}

// TrayLeft is a tray with how many eggs of the batch lie on it.
type TrayLeft struct {
	ID   int64
	Name string
	Eggs int
}

// Target is a machine that takes these eggs.
type Target struct {
	snapshot.Place
	Here     bool   // they stand in it
	Sibling  string // the batch of the same setting that stands there
	NotReady string
	Air      []string // what stands there and does not go with them
}

// Page shows where the eggs of an open batch may go.
func (s *Service) Page(ctx context.Context, m *farm.Member, batchID int64) (page Page, err error) {
	err = snapshot.ReadOpen(ctx, s.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		i := slices.IndexFunc(open, func(v snapshot.BatchView) bool { return v.ID == batchID })
		if i < 0 {
			return farm.ErrNone
		}
		page.BatchView = open[i]
		x := &work{ctx: ctx, tx: tx, w: w, v: open[i], open: open}
		setters, hatchers := w.Places(w.AllStays(open), page.Species)
		page.Hatchers = hatchers
		if page.LockedAt != nil {
			setters = hatchers
		}
		for _, p := range setters {
			t := Target{Place: p, Here: p.ID == page.Stands().ID}
			if other, there := x.sibling(p.ID); there {
				t.Sibling = other.Code
			}
			if !t.Here {
				if t.NotReady, err = w.NotReady(ctx, tx, p.Machine); err != nil {
					return err
				}
				t.Air = x.air(p.Machine, x.hatcher(0, p.Machine))
			}
			page.Targets = append(page.Targets, t)
		}
		eggs, counted, err := tx.EggsAndYoung(ctx, batchID)
		if err != nil {
			return err
		}
		for _, c := range counted {
			page.Counted += c.Young
		}
		trays, err := tx.Trays(ctx, page.Stands().ID)
		if err != nil {
			return err
		}
		page.lying(w, eggs, trays)
		return nil
	})
	return page, err
}

// lying counts the living eggs by pen and tray.
func (p *Page) lying(w *snapshot.Snapshot, eggs []store.Egg, trays []store.Tray) {
	pens, on := map[int64]int{}, map[int64]int{}
	for _, e := range eggs {
		if e.Fate != nil {
			continue
		}
		p.Coded = p.Coded || e.Mark != nil
		pens[e.PenID]++
		if e.TrayID != nil {
			on[*e.TrayID]++
		}
	}
	for _, pen := range w.Pens {
		if n := pens[pen.ID]; n > 0 {
			p.Pens = append(p.Pens, PenLeft{pen, n})
		}
	}
	for _, t := range trays {
		if n := on[t.ID]; n > 0 {
			p.Trays = append(p.Trays, TrayLeft{t.ID, t.Name, n})
		}
	}
}
