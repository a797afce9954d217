package snapshot

import (
	"fmt"
	"slices"

	"metrogon/core/outcome"
	"metrogon/farm"
	"metrogon/store"
	"metrogon/store/breeders"
)

// PenEggs are a batch's eggs of one pen; those on trial stand apart.
type PenEggs struct {
	Pen
	Trial   bool
	Eggs    []store.Egg
	Alive   int // still in the machine, as far as young were counted
	Hatched int
	Counted int // of Hatched, young of which nobody saw from which egg they came
	Rates
}

// Label names them.
func (p PenEggs) Label() string {
	if p.Trial {
		return p.Name + ", on trial"
	}
	return p.Name
}

// Field names what belongs to them in a form.
func (p PenEggs) Field() string {
	if p.Trial {
		return fmt.Sprintf("%d-trial", p.ID)
	}
	return fmt.Sprint(p.ID)
}

// Left are the eggs whose end nobody has told yet, one by one.
func (p PenEggs) Left() (all []store.Egg) {
	for _, e := range p.Eggs {
		if e.Fate == nil {
			all = append(all, e)
		}
	}
	return
}

func (w *Snapshot) ByPen(eggs []store.Egg, counted []store.Young, v BatchView) (pens []PenEggs) {
	for _, e := range eggs {
		i := slices.IndexFunc(pens, func(p PenEggs) bool { return p.ID == e.PenID && p.Trial == e.Trial })
		if i < 0 {
			i = len(pens)
			pens = append(pens, PenEggs{Pen: w.PenByID[e.PenID], Trial: e.Trial})
		}
		p := &pens[i]
		p.Eggs = append(p.Eggs, e)
		switch FateOf(e) {
		case "":
			p.Alive++
		case outcome.Hatched:
			p.Hatched++
		}
	}
	for i := range pens {
		p := &pens[i]
		for _, c := range counted {
			if c.PenID == p.ID && c.Trial == p.Trial {
				p.Counted = c.Young
			}
		}
		p.Hatched += p.Counted
		p.Alive = max(0, p.Alive-p.Counted)
		r, g := p.Record(v.ClosedAt != nil)
		p.Rates = RatesOf(v.Kind, r, v.ClosedAt != nil, g)
	}
	return
}

// Record counts what the eggs of a pen did in one batch, with the group whose own end
// nobody saw.
func (p PenEggs) Record(closed bool) (r breeders.Record, g breeders.Group) {
	g.Young = p.Counted
	for _, e := range p.Eggs {
		fate := FateOf(e)
		if fate == outcome.Broken { // by hand: it counts against nobody
			continue
		}
		fertile := e.Fertile != nil && *e.Fertile
		r.Set++
		r.Examined += farm.OneIf(e.Fertile != nil)
		r.Fertile += farm.OneIf(fertile)
		r.HatchedUnseen += farm.OneIf(e.Fertile == nil && fate == outcome.Hatched)
		if !closed {
			continue
		}
		r.SetClosed++
		r.HatchedClosed += farm.OneIf(fate == outcome.Hatched)
		if fate == outcome.Counted {
			g.Counted++
			g.Fertile += farm.OneIf(fertile)
			g.Unknown += farm.OneIf(e.Fertile == nil)
			continue
		}
		r.FertileClosed += farm.OneIf(fertile)
		r.HatchedFertile += farm.OneIf(fertile && fate == outcome.Hatched)
	}
	return r, g
}
