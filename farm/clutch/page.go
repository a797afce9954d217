package clutch

import (
	"cmp"
	"context"
	"slices"
	"time"

	"metrogon/core/candling"
	"metrogon/core/machine"
	"metrogon/core/outcome"
	"metrogon/core/reptile"
	"metrogon/farm"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	"metrogon/store"
	clutchrows "metrogon/store/clutch"
)

// EggView is an egg in its place.
type EggView struct {
	store.Egg
	Spot, Stuck int
	Signs       []reptile.Sign // of the last look
	SeenAt      *time.Time
	Looks       int
	PippedAt    *time.Time
	Cause       string
	MayOpen     bool
	Beside      bool // it is of another clutch in the same box
}

// MassView is a weighing of eggs with what it tells.
type MassView struct {
	clutchrows.ClutchMass
	EachG       float64
	Share       float64 // of the first
	Grown       float64
	Least, Most float64 // of the corridor
	Says        string
}

// Page is one clutch.
type Page struct {
	snapshot.BatchView
	Clutch     clutchrows.Clutch
	Dam, Sire  string
	Pen        snapshot.Pen
	Number     int // of the season, of its dam
	Next       *NextClutch
	Box        BoxState
	Beside     []snapshot.BatchView // other clutches in the box
	Shelf      Shelf
	Lying      []EggView // in their places, with those of other clutches
	Warmth     snapshot.Warmth
	Forecast   reptile.Forecast
	Warm       bool // the forecast could be made
	Curves     []reptile.Point
	Shifted    []Shift // half a degree cooler and warmer
	Steering   []reptile.Steps
	NoSteering string
	Stage      reptile.Stage
	Expect     string
	Masses     []MassView
	Young      []clutchrows.Hatchling
	Why        []reptile.Reason // of what did not hatch, where something is known
	Journal    []store.Entry
	Notes      []store.Note
	Machines   []snapshot.Machine // to whose shelves the box may go
}

// Shift is what follows if all that is to come is warmer by so much.
type Shift struct {
	ByC float64
	reptile.Forecast
}

// Clutch shows one clutch.
func (s *Service) Clutch(ctx context.Context, m *farm.Member, id int64) (page Page, err error) {
	err = snapshot.ReadOpen(ctx, s.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		rows, err := clutchrows.On(tx).ClutchRows(ctx, []int64{id})
		if err != nil {
			return err
		}
		if len(rows.Clutches) == 0 {
			return farm.ErrNone
		}
		page.Clutch = rows.Clutches[0]
		done, err := w.Views(ctx, tx, func() ([]store.Batch, error) { return tx.BatchesByID(ctx, []int64{id}) })
		if err != nil {
			return err
		}
		page.BatchView = done[0]
		page.boxed(w, open, rows)
		if err := page.warmed(ctx, tx, w, rows); err != nil {
			return err
		}
		eggs, err := tx.BatchEggs(ctx, id)
		if err != nil {
			return err
		}
		page.laid(eggs, rows)
		page.weighed(rows)
		page.Young = rows.Young
		page.Why = page.why()
		if err := page.parents(ctx, tx, w, eggs, rows.All); err != nil {
			return err
		}
		log, err := tx.BatchLog(ctx, page.Batch, 30, 20)
		page.Journal, page.Notes = log.Lines, log.Notes
		for _, x := range w.Machines {
			if machine.ID(x.Kind) == machine.ReptileBox && x.UntilOn == nil && x.ID != page.SetterID {
				page.Machines = append(page.Machines, x)
			}
		}
		return err
	})
	return page, err
}

// boxed adds the box, what else lies in it, and its shelf.
func (p *Page) boxed(w *snapshot.Snapshot, open []snapshot.BatchView, rows clutchrows.ClutchRows) {
	box := snapshot.BoxOf(rows, p.Clutch)
	p.Box = stateOf(w.Member, box, rows.Logs, changesOf(rows.Changes, box.ID), w.Now)
	for _, v := range open {
		if v.ID != p.ID && slices.ContainsFunc(rows.Others, func(c clutchrows.Clutch) bool { return c.BatchID == v.ID }) {
			p.Beside = append(p.Beside, v)
		}
	}
	p.Shelf = shelfOf(w, w.MachineByID[p.SetterID], open)
}

// warmed adds what the temperatures tell.
func (p *Page) warmed(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, rows clutchrows.ClutchRows) (err error) {
	if p.Warmth, err = w.Warmth(ctx, tx, p.Batch, snapshot.BoxOf(rows, p.Clutch), rows.Temps); err != nil {
		return err
	}
	now := w.Now
	if p.ClosedAt != nil {
		now = *p.ClosedAt
	}
	course, sure := p.Warmth.Course.Until(now), p.Warmth.Sure
	f, err := course.Forecast(now, sure)
	if err != nil {
		return nil // nothing hatches so cool; the page says what is planned
	}
	p.Forecast, p.Warm = f, true
	p.Stage, p.Expect = reptile.StageAt(f.Grown), reptile.Expect(p.Kind, f.Grown)
	if !p.Open() || p.Alive == 0 || f.Grown >= 1 {
		return nil
	}
	p.Curves = course.Curves(now, sure)
	for _, by := range []float64{-0.5, 0, 0.5} {
		if shifted, err := course.Shifted(now, by).Forecast(now, sure); err == nil {
			p.Shifted = append(p.Shifted, Shift{by, shifted})
		}
	}
	for _, goal := range reptile.Goals {
		steps, why := course.Steer(now, goal, sure)
		if why == "" {
			p.Steering = append(p.Steering, steps)
		} else if goal != reptile.Soonest {
			p.NoSteering = why
		}
	}
	return nil
}

// laid puts the eggs in their places.
func (p *Page) laid(eggs []store.Egg, rows clutchrows.ClutchRows) {
	places := map[int64]clutchrows.ClutchEgg{}
	for _, e := range rows.Eggs {
		places[e.EggID] = e
		if e.BatchID != p.ID {
			p.Lying = append(p.Lying, EggView{Spot: e.Spot, Stuck: e.Stuck, Beside: true})
		}
	}
	for _, e := range eggs {
		v := EggView{Egg: e, Spot: -1, MayOpen: mayOpen(p.BatchView, e)}
		if at, ok := places[e.ID]; ok {
			v.Spot, v.Stuck = at.Spot, at.Stuck
		}
		for _, s := range rows.Signs {
			if s.EggID != e.ID {
				continue
			}
			if v.SeenAt == nil || s.At.After(*v.SeenAt) {
				v.Signs, v.Looks = nil, v.Looks+1
			}
			v.SeenAt, v.Signs = &s.At, append(v.Signs, reptile.Sign(s.Sign))
		}
		for _, pip := range rows.Pips {
			if *pip.EggID == e.ID {
				v.PippedAt = &pip.At
			}
		}
		for _, c := range rows.Causes {
			if c.EggID == e.ID {
				v.Cause = c.Cause
			}
		}
		p.Lying = append(p.Lying, v)
	}
	slices.SortStableFunc(p.Lying, func(a, b EggView) int { return cmp.Compare(a.Spot, b.Spot) })
}

// weighed adds what weighings of eggs tell.
func (p *Page) weighed(rows clutchrows.ClutchRows) {
	for i, x := range rows.Masses {
		v := MassView{ClutchMass: x, EachG: x.MassG / float64(x.Eggs), Share: 1}
		v.Grown = p.Warmth.Course.Grown(x.At)
		v.Least, v.Most = reptile.Corridor(p.Kind, v.Grown)
		if i > 0 {
			v.Share = v.EachG / p.Masses[0].EachG
			v.Says = reptile.Weight(p.Kind, v.Grown, v.Share)
		}
		p.Masses = append(p.Masses, v)
	}
}

// why lists what may have cost those that were lost, by what is known of the whole clutch.
func (p *Page) why() []reptile.Reason {
	kept := reptile.Kept{LostShare: p.Box.MostLost, OverG: p.Box.MostOver, AiredDays: p.Box.LongShut}
	if len(p.Box.Weighings) < 2 {
		kept.LostShare, kept.OverG = nil, nil
	}
	for _, r := range p.Warmth.Course.Readings {
		if r.TempC >= p.Kind.DangerC.From {
			kept.HotH++
		}
		if r.TempC < p.Kind.TemperatureC.From-0.25 && !(p.Kind.Diapause.Rests() && r.TempC < p.Kind.Diapause.BelowC) {
			kept.ColdH++
		}
	}
	bad, lost, stage := 0, 0, candling.Stage("")
	for _, e := range p.Lying {
		if e.Fate == nil || e.Beside {
			continue
		}
		bad += farm.OneIf(snapshot.FateOf(e.Egg) == outcome.Removed)
		if snapshot.FateOf(e.Egg) == outcome.Unhatched && e.Stage != nil && *e.Stage != string(candling.Infertile) {
			lost++
			if at := candling.Stage(*e.Stage); slices.Index(candling.Stages, at) > slices.Index(candling.Stages, stage) {
				stage = at
			}
		}
		for _, s := range e.Signs {
			kept.Dented = kept.Dented || s == reptile.Dented && p.Warmth.Course.Grown(*e.SeenAt) < 0.85
			kept.Sweaty = kept.Sweaty || s == reptile.Sweating && p.Warmth.Course.Grown(*e.SeenAt) < 0.85
		}
	}
	if bad+lost == 0 {
		return nil
	}
	kept.DeadBeside = bad
	return reptile.Why(stage, kept, p.Warmth.Course.Reader)
}

// parents names who laid and sired, which clutch of the season it is, and when the next may come.
func (p *Page) parents(
	ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, eggs []store.Egg, all []clutchrows.LaidClutch,
) error {
	flock, err := lineage.Of(ctx, tx, w)
	if err != nil {
		return err
	}
	if len(eggs) > 0 {
		p.Pen = w.PenByID[eggs[0].PenID]
	}
	p.Dam, p.Sire = p.Pen.Name, sireSays(flock, p.Clutch)
	if p.Clutch.DamID != nil {
		p.Dam = flock.Birds[*p.Clutch.DamID].Name
	}
	history := histories(w, flock, all)
	for i := range history {
		h := &history[i]
		if j := slices.IndexFunc(h.clutches, func(c laidClutch) bool { return c.BatchID == p.ID }); j >= 0 {
			p.Number = h.clutches[j].Number
			p.Next = h.next(w, p.Kind)
		}
	}
	return nil
}
