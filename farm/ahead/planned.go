package ahead

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

// EggsBut is what the other planned batches leave; 0: what all leave.
func (s *Outlook) EggsBut(id int64) Supply {
	eggs := s.Supply.Copy()
	for _, p := range s.Ahead {
		if p.ID != id {
			eggs.ForPlanned(s, p, max(0, s.Day(p.SetOn)))
		}
	}
	return eggs
}

func (s *Outlook) Page(p snapshot.Planned, eggs Supply) (page PlannedPage) {
	page = PlannedPage{
		Planned: p, Setters: s.MachinesFor(p.Kind, false), Hatchers: s.MachinesFor(p.Kind, true),
		Due: !p.SetOn.After(s.Today),
	}
	y := s.Yard()
	if page.Troubles = s.Against(y, p, eggs); len(page.Troubles) > 0 {
		page.Cures = s.Cures(y, p, eggs)
	}
	there := eggs.Of(p).ForPlanned(s, p, max(0, s.Day(p.SetOn)))
	for _, e := range p.Eggs {
		i := slices.IndexFunc(page.Pens, func(x PenCount) bool { return x.ID == e.PenID })
		if i < 0 {
			i = len(page.Pens)
			page.Pens = append(page.Pens, PenCount{Pen: s.W.PenByID[e.PenID]})
		}
		page.Pens[i].Eggs += e.Eggs
	}
	for i := range page.Pens {
		x := &page.Pens[i]
		for _, e := range there {
			if e.PenID == x.ID {
				x.There += e.Eggs
				x.Store += e.Eggs * farm.OneIf(!e.LaidOn.After(s.Today))
			}
		}
		page.There += x.There
	}
	slices.SortFunc(page.Pens, func(a, b PenCount) int { return strings.Compare(a.Name, b.Name) })
	young := s.expect(p.Eggs, s.W.Member.Date(p.SetAt))
	page.Young, page.Low, page.High = young.Mean(), young.Quantile(0.05), young.Quantile(0.95)
	for _, o := range s.Cover() {
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
		kind := s.W.Kinds[s.W.PenByID[e.PenID].Species]
		x := s.Beliefs[kind.ID]
		rho, take[i] = x.Rho, e.Eggs
		lots = append(lots, choice.Lot{
			Pen: e.PenID, Young: x.Young[e.PenID], Keeps: x.Keeps(kind, max(0, farm.AgeDays(e.LaidOn, on))),
		})
	}
	return choice.Expect(lots, take, rho)
}
