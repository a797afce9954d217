package clutch

import (
	"context"
	"slices"
	"strings"
	"time"

	"metrogon/core/machine"
	"metrogon/core/reptile"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	"metrogon/store"
	rows "metrogon/store/clutch"
)

// Shelf is a machine with its boxes.
type Shelf struct {
	snapshot.Machine
	Boxes []BoxCard
	Apart string // which kinds do not go together
	From  float64
	To    float64 // what all of them want; 0 to 0 where they do not go together
}

// BoxCard is a box on a shelf, with its clutches.
type BoxCard struct {
	BoxState
	Clutches []Card
}

// Card is a clutch in the list.
type Card struct {
	snapshot.BatchView
	Dam, Sire string
	Number    int
}

// shelfOf tells which kinds on a shelf go together.
func shelfOf(w *snapshot.Snapshot, x snapshot.Machine, open []snapshot.BatchView) (s Shelf) {
	s.Machine = x
	kinds := wantedOn(x.ID, open)
	s.Apart = reptile.Apart(kinds, w.Member.Units())
	if from, to, ok := reptile.Together(kinds); ok {
		s.From, s.To = from, to
	}
	return s
}

// wantedOn is what the kinds on the shelves of a machine want.
func wantedOn(machineID int64, open []snapshot.BatchView) (kinds []reptile.Wanted) {
	var seen []*species.Profile
	for _, v := range open {
		if v.SetterID != machineID || !v.Kind.IsReptile() || v.Alive == 0 || slices.Contains(seen, v.Kind) {
			continue
		}
		seen = append(seen, v.Kind)
		kinds = append(kinds, reptile.Wanted{
			Name: v.Kind.Name, FromC: v.Kind.TemperatureC.From, ToC: v.Kind.TemperatureC.To,
		})
	}
	return kinds
}

// List is the boxes by shelf, and what was.
type List struct {
	Shelves []Shelf
	Dams    []DamLine
	Closed  []Card
	More    bool // there are older ones
	HasPens bool
	HasBox  bool // a machine for reptiles is there
	Kinds   []*species.Profile
}

// DamLine is a female, with her clutches of this season and when the next may come.
type DamLine struct {
	Name     string
	Species  *species.Profile
	Clutches int
	Last     time.Time
	Next     *NextClutch
}

// pageOf is how many past clutches stand on one page.
const pageOf = 40

// List shows all clutches.
func (s *Service) List(ctx context.Context, m *farm.Member, skip int) (l List, err error) {
	err = snapshot.ReadOpen(ctx, s.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		boxes, err := rows.On(tx).OpenBoxes(ctx)
		if err != nil {
			return err
		}
		flock, err := lineage.Of(ctx, tx, w)
		if err != nil {
			return err
		}
		all, err := rows.On(tx).AllClutches(ctx)
		if err != nil {
			return err
		}
		history := histories(w, flock, all)
		cards := cardsOf(w, flock, history)
		var states []BoxState
		for _, b := range boxes.Boxes {
			states = append(states, stateOf(m, b, boxes.Logs, changesOf(boxes.Changes, b.ID), w.Now))
		}
		l.shelves(w, open, states, cards)
		l.dams(w, history)
		return l.past(ctx, tx, w, cards, skip)
	})
	return l, err
}

// changesOf are those of one box.
func changesOf(all []rows.BoxChange, boxID int64) (at []time.Time) {
	for _, c := range all {
		if c.BoxID == boxID {
			at = append(at, c.At)
		}
	}
	return at
}

// shelves puts the boxes with their clutches onto the shelves of the machines.
func (l *List) shelves(w *snapshot.Snapshot, open []snapshot.BatchView, boxes []BoxState, cards map[int64]card) {
	for _, x := range w.Machines {
		if machine.ID(x.Kind) != machine.ReptileBox {
			continue
		}
		l.HasBox = l.HasBox || x.UntilOn == nil
		shelf := shelfOf(w, x, open)
		for _, b := range boxes {
			box := BoxCard{BoxState: b}
			for _, v := range open {
				if c, ok := cards[v.ID]; ok && c.box == b.ID && b.MachineID == x.ID {
					box.Clutches = append(box.Clutches, Card{v, c.dam, c.sire, c.number})
				}
			}
			if len(box.Clutches) > 0 {
				shelf.Boxes = append(shelf.Boxes, box)
			}
		}
		if len(shelf.Boxes) > 0 {
			l.Shelves = append(l.Shelves, shelf)
		}
	}
}

// dams lists the females that laid in the last months, with when they may lay again.
func (l *List) dams(w *snapshot.Snapshot, history []damHistory) {
	for _, p := range w.Pens {
		kind := w.Kinds[p.Species]
		l.HasPens = l.HasPens || kind != nil && kind.IsReptile() && p.UntilOn == nil && !p.Supplier
	}
	for _, h := range history {
		last := h.clutches[len(h.clutches)-1]
		if w.Now.Sub(last.LaidTo) > 200*24*time.Hour {
			continue
		}
		l.Dams = append(l.Dams, DamLine{h.name, h.kind, last.Number, last.LaidTo, h.next(w, h.kind)})
	}
	slices.SortFunc(l.Dams, func(a, b DamLine) int { return strings.Compare(a.Name, b.Name) })
}

// past lists the clutches that are over.
func (l *List) past(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, cards map[int64]card, skip int) error {
	done, err := w.Views(ctx, tx, func() ([]store.Batch, error) { return rows.On(tx).ClosedClutches(ctx, pageOf+1, skip) })
	for i, v := range done {
		if i == pageOf {
			l.More = true
			break
		}
		c := cards[v.ID]
		l.Closed = append(l.Closed, Card{v, c.dam, c.sire, c.number})
	}
	return err
}

// card is what a list says of a clutch.
type card struct {
	dam, sire string
	number    int
	box       int64
}

func cardsOf(w *snapshot.Snapshot, flock lineage.Flock, history []damHistory) map[int64]card {
	all := map[int64]card{}
	for _, h := range history {
		for _, c := range h.clutches {
			all[c.BatchID] = card{h.name, sireSays(flock, c.Clutch), c.Number, c.BoxID}
		}
	}
	return all
}
