package season

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/choice"
	"metrogon/core/rates"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
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

// Move is where a planned batch is to go; what is zero stays.
type Move struct {
	SetOn               time.Time
	SetterID, HatcherID int64
	Pens                map[int64]int // eggs, by pen; nil: as they are
	Eggs                int           // so many in all, of those that there are; 0: as they are
}

// Planned shows one; with a move, as it would be after it, and nothing is kept.
func (b *Service) Planned(ctx context.Context, m *farm.Member, id int64, move *Move) (page PlannedPage, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		s, p, err := b.find(ctx, tx, id)
		if err != nil {
			return err
		}
		eggs := s.eggsBut(id)
		if move != nil {
			if p, err = s.move(p, *move, eggs); err != nil {
				return err
			}
		}
		page = s.page(p, eggs)
		return nil
	})
	return
}

// find reads the scene and a planned batch that is not set yet.
func (b *Service) find(ctx context.Context, tx *farm.Tx, id int64) (*scene, snapshot.Planned, error) {
	s, err := see(ctx, tx)
	if err != nil {
		return nil, snapshot.Planned{}, err
	}
	s.layAhead()
	i := slices.IndexFunc(s.ahead, func(p snapshot.Planned) bool { return p.ID == id })
	if i < 0 {
		return s, snapshot.Planned{}, farm.ErrNone
	}
	return s, s.ahead[i], nil
}

// eggsBut is what the other planned batches leave; 0: what all leave.
func (s *scene) eggsBut(id int64) supply {
	eggs := s.supply.copy()
	for _, p := range s.ahead {
		if p.ID != id {
			eggs.forPlanned(s, p, max(0, s.day(p.SetOn)))
		}
	}
	return eggs
}

func (s *scene) page(p snapshot.Planned, eggs supply) (page PlannedPage) {
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
func (s *scene) expect(eggs []rows.PlannedEggs, on time.Time) rates.Young {
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

// move changes a planned batch, with eggs that are there on its new day.
func (s *scene) move(p snapshot.Planned, to Move, eggs supply) (snapshot.Planned, error) {
	if !to.SetOn.IsZero() {
		p.SetOn = to.SetOn
	}
	p.SetterID, p.HatcherID = cmp.Or(to.SetterID, p.SetterID), cmp.Or(to.HatcherID, p.HatcherID)
	if s.w.Rooms[p.HatcherID][p.Species].Hatching == 0 && s.w.Rooms[p.SetterID][p.Species].Hatching > 0 {
		p.HatcherID = p.SetterID
	}
	if to.Pens != nil {
		p.Eggs = nil
		for _, pen := range s.w.Pens { // by name
			if n := to.Pens[pen.ID]; n > 0 {
				p.Eggs = append(p.Eggs, rows.PlannedEggs{PlannedID: p.ID, PenID: pen.ID, LaidOn: p.SetOn, Eggs: n})
			}
		}
	}
	p.Eggs = s.chosen(p, eggs)
	if to.Eggs > 0 {
		p.Eggs = fewer(p.Eggs, to.Eggs)
	}
	err := s.w.WorkOut(&p)
	return p, err
}

// chosen are the eggs of a planned batch by lay day, as they are there on its day; what will
// not be there stays planned, as if it were laid on that day.
func (s *scene) chosen(p snapshot.Planned, eggs supply) []rows.PlannedEggs {
	all := eggs.of(p).forPlanned(s, p, max(0, s.day(p.SetOn)))
	for _, e := range p.Eggs {
		lacks := 0
		for _, o := range p.Eggs {
			lacks += o.Eggs * farm.OneIf(o.PenID == e.PenID)
		}
		at := -1
		for i, o := range all {
			if o.PenID != e.PenID {
				continue
			}
			lacks -= o.Eggs
			if o.LaidOn.Equal(p.SetOn) {
				at = i
			}
		}
		switch {
		case lacks <= 0:
		case at >= 0:
			all[at].Eggs += lacks
		default:
			all = append(all, rows.PlannedEggs{PenID: e.PenID, LaidOn: p.SetOn, Eggs: lacks})
		}
	}
	return all
}

// check judges a planned batch as it was typed.
func (s *scene) check(p snapshot.Planned) error {
	var problems farm.Problems
	if p.SetOn.Before(s.today) {
		problems.Addf("set_on", "%s is over; name a day to come.", p.SetOn.Format("2 Jan 2006"))
	}
	if s.day(p.SetOn) > mostDays {
		problems.Addf("set_on", "%s lies too far ahead; it may be within %d days.", p.SetOn.Format("2 Jan 2006"), mostDays)
	}
	if s.w.Rooms[p.SetterID][p.Species].Setting == 0 {
		problems.Addf("setter", "Pick a machine that takes %s eggs.", wording.Lower(p.Kind.Name))
	}
	if s.w.Rooms[p.HatcherID][p.Species].Hatching == 0 {
		problems.Addf("hatcher", "Pick a machine in which %s eggs can hatch.", wording.Lower(p.Kind.Name))
	}
	for _, e := range p.Eggs {
		if s.w.PenByID[e.PenID].Species != p.Species {
			problems.Addf("pens", "These pens lay eggs of another kind.")
			break
		}
	}
	problems.Count("eggs", "The number of eggs", p.Count, 1, farm.MaxEggs)
	return problems.Err()
}

// Move keeps a move.
func (b *Service) Move(ctx context.Context, req farm.Request, id int64, to Move) (farm.Done, error) {
	return b.change(ctx, req, id, func(s *scene, p snapshot.Planned) (snapshot.Planned, string, error) {
		moved, err := s.move(p, to, s.eggsBut(id))
		if err != nil {
			return p, "", err
		}
		if err := s.check(moved); err != nil {
			return p, "", err
		}
		moved.Pinned = true // by hand: planning again leaves it there
		said := fmt.Sprintf(
			"%s: now %s on %s in %s, to hatch in %s.", p.Label(), wording.Plural(moved.Count, "egg"),
			moved.SetOn.Format("Mon 2 Jan"), moved.Setter.Name, moved.Hatcher.Name,
		)
		return moved, said, nil
	})
}

// Pin says whether planning again leaves a planned batch where it is.
func (b *Service) Pin(ctx context.Context, req farm.Request, id int64, stays bool) (farm.Done, error) {
	return b.change(ctx, req, id, func(_ *scene, p snapshot.Planned) (snapshot.Planned, string, error) {
		p.Pinned = stays
		if stays {
			return p, p.Label() + " stays where it is when you plan again.", nil
		}
		return p, p.Label() + " may move when you plan again.", nil
	})
}

// Drop takes a planned batch out of the plan.
func (b *Service) Drop(ctx context.Context, req farm.Request, id int64) (farm.Done, error) {
	return b.change(ctx, req, id, func(s *scene, p snapshot.Planned) (snapshot.Planned, string, error) {
		p.DroppedAt = &s.w.Now
		return p, "Not setting " + p.Label() + ".", nil
	})
}

func (b *Service) change(
	ctx context.Context, req farm.Request, id int64,
	work func(*scene, snapshot.Planned) (snapshot.Planned, string, error),
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		s, p, err := b.find(ctx, tx, id)
		if err != nil {
			return farm.Done{}, err
		}
		before := rowsOf(p)
		changed, said, err := work(s, p)
		if err != nil {
			return farm.Done{}, err
		}
		if err := rowsOf(changed).save(ctx, tx); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(
			ctx, tx, journal.On(journal.Planned, id),
			journal.Undo{plannedBefore.Of(kept[plannedRows]{id, &before})}, "%s", said,
		)
	})
}

// add keeps new planned batches and gives the steps that take them back.
func add(ctx context.Context, tx *farm.Tx, all []plannedRows) (u journal.Undo, about journal.Subjects, err error) {
	for _, r := range all {
		r.ID = 0
		id, err := rows.On(tx).SavePlanned(ctx, r.Planned)
		if err != nil {
			return nil, nil, err
		}
		if err := rows.On(tx).SetPlannedEggs(ctx, id, r.Eggs); err != nil {
			return nil, nil, err
		}
		if err := rows.On(tx).SetPlannedFor(ctx, id, r.For); err != nil {
			return nil, nil, err
		}
		u = append(u, plannedBefore.Of(kept[plannedRows]{ID: id}))
		about = about.And(journal.Planned, id)
	}
	return u, about, nil
}

// ToSet is what a planned batch takes today: the eggs that are there.
type ToSet struct {
	snapshot.Planned
	Picks []rows.PlannedEggs
}

// Due gives the eggs with which a planned batch is set now.
func (b *Service) Due(ctx context.Context, m *farm.Member, id int64) (due ToSet, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		s, err := see(ctx, tx)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(s.ahead, func(p snapshot.Planned) bool { return p.ID == id })
		if i < 0 {
			return farm.ErrNone
		}
		due.Planned = s.ahead[i]
		due.Picks = s.supply.forPlanned(s, due.Planned, 0)
		return nil
	})
	return
}
