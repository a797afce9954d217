package season

import (
	"slices"
	"strings"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/choice"
	"metrogon/core/rates"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	rows "metrogon/store/season"
)

// PlannedPage is one planned batch with all that follows from where it is.
type PlannedPage struct {
	snapshot.Planned
	Pens      []PenCount
	Troubles  []Trouble
	Cures     []Cure
	Setters   []snapshot.Machine
	Hatchers  []snapshot.Machine
	Young     float64 // expected; 9 times in 10 between Low and High
	Low, High int
	Promises  []Promise // that get of it
	There     int       // of its eggs, in store or to be laid by its day
	Due       bool      // to be set today, or late
}

// LockOn is when it goes into lockdown.
func (p PlannedPage) LockOn() time.Time { return p.At(calendar.Lockdown) }

// PullOn is when its young are pulled.
func (p PlannedPage) PullOn() time.Time { return p.At(calendar.Pull) }

// PenCount is a pen's part of a planned batch.
type PenCount struct {
	snapshot.Pen
	Eggs  int // planned
	There int // of these, there by its day
	Store int // of those, in store now
}

// eggsBut is what the other planned batches leave; 0: what all leave.
func (s *Outlook) eggsBut(id int64) supply {
	eggs := s.supply.copy()
	for _, p := range s.ahead {
		if p.ID != id {
			eggs.forPlanned(s, p, max(0, s.day(p.SetOn)))
		}
	}
	return eggs
}

func (s *Outlook) page(p snapshot.Planned, eggs supply) (page PlannedPage) {
	page = PlannedPage{
		Planned: p, Setters: s.machinesFor(p.Kind, false), Hatchers: s.machinesFor(p.Kind, true),
		Due: !p.SetOn.After(s.today),
	}
	y := s.yard()
	if page.Troubles = s.against(y, p, eggs); len(page.Troubles) > 0 {
		page.Cures = s.cures(y, p, eggs)
	}
	there := eggs.of(p).forPlanned(s, p, max(0, s.day(p.SetOn)))
	for _, e := range p.Eggs {
		i := slices.IndexFunc(page.Pens, func(x PenCount) bool { return x.ID == e.PenID })
		if i < 0 {
			i = len(page.Pens)
			page.Pens = append(page.Pens, PenCount{Pen: s.w.PenByID[e.PenID]})
		}
		page.Pens[i].Eggs += e.Eggs
	}
	for i := range page.Pens {
		x := &page.Pens[i]
		for _, e := range there {
			if e.PenID == x.ID {
				x.There += e.Eggs
				x.Store += e.Eggs * farm.OneIf(!e.LaidOn.After(s.today))
			}
		}
		page.There += x.There
	}
	slices.SortFunc(page.Pens, func(a, b PenCount) int { return strings.Compare(a.Name, b.Name) })
	young := s.expect(p.Eggs, s.w.Member.Date(p.SetAt))
	page.Young, page.Low, page.High = young.Mean(), young.Quantile(0.05), young.Quantile(0.95)
	for _, o := range s.cover() {
		if slices.ContainsFunc(o.From, func(c Cover) bool { return c.PlannedID == p.ID }) {
			page.Promises = append(page.Promises, o)
		}
	}
	return page
}

// expect is the distribution of the young of eggs set together on a date, as Set reckons it.
func (s *Outlook) expect(eggs []rows.PlannedEggs, on time.Time) rates.Young {
	var lots []choice.Lot
	take := make([]int, len(eggs))
	rho := 0.0
	for i, e := range eggs {
		kind := s.w.Kinds[s.w.PenByID[e.PenID].Species]
		x := s.beliefs[kind.ID]
		rho, take[i] = x.Rho, e.Eggs
		lots = append(lots, choice.Lot{
			Pen: e.PenID, Young: x.Young[e.PenID], Keeps: x.Keeps(kind, max(0, farm.AgeDays(e.LaidOn, on))),
		})
	}
	return choice.Expect(lots, take, rho)
}
