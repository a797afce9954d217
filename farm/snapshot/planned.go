package snapshot

import (
	"context"
	"time"

	"metrogon/core/season"
	"metrogon/farm"
	"metrogon/store"
	seasonrows "metrogon/store/season"
)

// Planned is a batch that is to be set, worked out as if it were.
type Planned struct {
	seasonrows.Planned
	BatchView // set on its day at the hour of chores, today if that day is over
	Eggs      []seasonrows.PlannedEggs
	For       []seasonrows.PlannedFor
	Count     int // eggs
}

// Label names it: it has no code before it is set.
func (p Planned) Label() string { return p.Kind.Short + ", " + p.SetOn.Format("2 Jan") }

// Day is the date for which it is planned.
func (p Planned) Day() time.Time { return p.SetOn }

// Late tells that its day is over.
func (p Planned) Late(m *farm.Member) bool { return p.SetOn.Before(m.Date(p.Now)) }

// plannedIDs keeps the stays of planned batches apart from those of real ones.
const plannedIDs = 1 << 40

// StayID is the batch id of its stays.
func (p Planned) StayID() int64 { return plannedIDs + p.ID }

// PlannedID tells of which planned batch a stay is, 0: of none.
func PlannedID(stay season.Stay) int64 { return max(0, stay.BatchID-plannedIDs) }

// Stays are those of a planned batch.
func (p Planned) Stays(w *Snapshot) []season.Stay {
	all := w.Stays(p.BatchView)
	for i := range all {
		all[i].BatchID, all[i].Code = p.StayID(), p.Label()
	}
	return all
}

// Season reads what is to come, once.
func (w *Snapshot) Season(ctx context.Context, tx *farm.Tx) (seasonrows.Season, error) {
	if w.season == nil {
		all, err := seasonrows.On(tx).Season(ctx, w.Member.Date(w.Now))
		if err != nil {
			return all, err
		}
		w.season = &all
	}
	return *w.season, nil
}

// Ahead are the planned batches that are not set yet, by day.
func (w *Snapshot) Ahead(ctx context.Context, tx *farm.Tx) (all []Planned, err error) {
	book, err := w.Season(ctx, tx)
	if err != nil {
		return nil, err
	}
	for _, p := range book.Ahead {
		one := Planned{Planned: p}
		for _, e := range book.Eggs {
			if e.PlannedID == p.ID {
				one.Eggs = append(one.Eggs, e)
			}
		}
		for _, f := range book.For {
			if f.PlannedID == p.ID {
				one.For = append(one.For, f)
			}
		}
		if err := w.WorkOut(&one); err != nil {
			return nil, err
		}
		all = append(all, one)
	}
	return all, nil
}

// WorkOut reckons a planned batch's days and places from its eggs.
func (w *Snapshot) WorkOut(p *Planned) (err error) {
	p.Count = 0
	days, bantam := 0, true
	for _, e := range p.Eggs {
		p.Count += e.Eggs
		days += e.Eggs * max(0, farm.AgeDays(e.LaidOn, p.SetOn))
		bantam = bantam && w.PenByID[e.PenID].Bantam
	}
	batch := store.Batch{
		Code: "planned", Species: p.Species, Bantam: bantam && p.Count > 0, SetterID: p.SetterID,
		HatcherID: p.HatcherID, SetAt: w.SetMoment(p.SetOn),
	}
	if p.Count > 0 {
		batch.StorageDays = float64(days) / float64(p.Count)
	}
	if p.BatchView, err = w.View(batch); err != nil {
		return err
	}
	p.BatchView.Tally = store.Tally{Eggs: p.Count, Alive: p.Count}
	return nil
}

// SetMoment is when eggs are set that are planned for a date: at the hour of chores; what is
// late is set now.
func (w *Snapshot) SetMoment(on time.Time) time.Time {
	y, mo, d := on.Date()
	noon := time.Date(y, mo, d, 12, 0, 0, 0, w.Member.Place)
	return farm.Latest(w.Member.Hour.On(noon, 0, w.Member.Place), w.Now)
}

// PlannedStays are those of all planned batches but one; 0: of all.
func (w *Snapshot) PlannedStays(all []Planned, but int64) (stays []season.Stay) {
	for _, p := range all {
		if p.ID != but {
			stays = append(stays, p.Stays(w)...)
		}
	}
	return stays
}

// Records of planning that other rooms show as they are kept.
type (
	Order       = seasonrows.Order
	Away        = seasonrows.Away
	Closure     = store.Closure
	Brooder     = seasonrows.Brooder
	Ban         = seasonrows.Ban
	PlannedEggs = seasonrows.PlannedEggs
)
