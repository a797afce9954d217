package season

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	rows "metrogon/store/season"
)

// Move is where a planned batch is to go; what is zero stays.
type Move struct {
	SetOn               time.Time
	SetterID, HatcherID int64
	Pens                map[int64]int // eggs, by pen; nil: as they are
	Eggs                int           // so many in all, of those that there are; 0: as they are
}

// Planned shows one; with a move, as it would be after it, and nothing is kept.
func (b *Service) Planned(
	ctx context.Context, m *farm.Member, id int64, move *Move,
) (page ahead.PlannedPage, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		s, p, err := b.find(ctx, tx, id)
		if err != nil {
			return err
		}
		eggs := s.EggsBut(id)
		if move != nil {
			if p, err = s.move(p, *move, eggs); err != nil {
				return err
			}
		}
		page = s.Page(p, eggs)
		return nil
	})
	return
}

// find reads the scene and a planned batch that is not set yet.
func (b *Service) find(ctx context.Context, tx *farm.Tx, id int64) (*outlook, snapshot.Planned, error) {
	s, err := see(ctx, tx)
	if err != nil {
		return nil, snapshot.Planned{}, err
	}
	s.LayAhead()
	i := slices.IndexFunc(s.Ahead, func(p snapshot.Planned) bool { return p.ID == id })
	if i < 0 {
		return s, snapshot.Planned{}, farm.ErrNone
	}
	return s, s.Ahead[i], nil
}

// move changes a planned batch, with eggs that are there on its new day.
func (s *outlook) move(p snapshot.Planned, to Move, eggs ahead.Supply) (snapshot.Planned, error) {
	if !to.SetOn.IsZero() {
		p.SetOn = to.SetOn
	}
	p.SetterID, p.HatcherID = cmp.Or(to.SetterID, p.SetterID), cmp.Or(to.HatcherID, p.HatcherID)
	if s.W.Rooms[p.HatcherID][p.Species].Hatching == 0 && s.W.Rooms[p.SetterID][p.Species].Hatching > 0 {
		p.HatcherID = p.SetterID
	}
	if to.Pens != nil {
		p.Eggs = nil
		for _, pen := range s.W.Pens { // by name
			if n := to.Pens[pen.ID]; n > 0 {
				p.Eggs = append(p.Eggs, rows.PlannedEggs{PlannedID: p.ID, PenID: pen.ID, LaidOn: p.SetOn, Eggs: n})
			}
		}
	}
	p.Eggs = s.chosen(p, eggs)
	if to.Eggs > 0 {
		p.Eggs = ahead.Fewer(p.Eggs, to.Eggs)
	}
	err := s.W.WorkOut(&p)
	return p, err
}

// chosen are the eggs of a planned batch by lay day, as they are there on its day; what will
// not be there stays planned, as if it were laid on that day.
func (s *outlook) chosen(p snapshot.Planned, eggs ahead.Supply) []rows.PlannedEggs {
	all := eggs.Of(p).ForPlanned(s.Outlook, p, max(0, s.Day(p.SetOn)))
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
func (s *outlook) check(p snapshot.Planned) error {
	var problems farm.Problems
	if p.SetOn.Before(s.Today) {
		problems.Addf("set_on", "%s is over; name a day to come.", p.SetOn.Format("2 Jan 2006"))
	}
	if s.Day(p.SetOn) > ahead.MostDays {
		problems.Addf(
			"set_on", "%s lies too far ahead; it may be within %d days.", p.SetOn.Format("2 Jan 2006"), ahead.MostDays,
		)
	}
	if s.W.Rooms[p.SetterID][p.Species].Setting == 0 {
		problems.Addf("setter", "Pick a machine that takes %s eggs.", wording.Lower(p.Kind.Name))
	}
	if s.W.Rooms[p.HatcherID][p.Species].Hatching == 0 {
		problems.Addf("hatcher", "Pick a machine in which %s eggs can hatch.", wording.Lower(p.Kind.Name))
	}
	for _, e := range p.Eggs {
		if s.W.PenByID[e.PenID].Species != p.Species {
			problems.Addf("pens", "These pens lay eggs of another kind.")
			break
		}
	}
	problems.Count("eggs", "The number of eggs", p.Count, 1, farm.MaxEggs)
	return problems.Err()
}

// Move keeps a move.
func (b *Service) Move(ctx context.Context, req farm.Request, id int64, to Move) (farm.Done, error) {
	return b.change(ctx, req, id, func(s *outlook, p snapshot.Planned) (snapshot.Planned, string, error) {
		moved, err := s.move(p, to, s.EggsBut(id))
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
	return b.change(ctx, req, id, func(_ *outlook, p snapshot.Planned) (snapshot.Planned, string, error) {
		p.Pinned = stays
		if stays {
			return p, p.Label() + " stays where it is when you plan again.", nil
		}
		return p, p.Label() + " may move when you plan again.", nil
	})
}

// Drop takes a planned batch out of the plan.
func (b *Service) Drop(ctx context.Context, req farm.Request, id int64) (farm.Done, error) {
	return b.change(ctx, req, id, func(s *outlook, p snapshot.Planned) (snapshot.Planned, string, error) {
		p.DroppedAt = &s.W.Now
		return p, "Not setting " + p.Label() + ".", nil
	})
}

func (b *Service) change(
	ctx context.Context, req farm.Request, id int64,
	work func(*outlook, snapshot.Planned) (snapshot.Planned, string, error),
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		s, p, err := b.find(ctx, tx, id)
		if err != nil {
			return farm.Done{}, err
		}
		before := ahead.RowsOf(p)
		changed, said, err := work(s, p)
		if err != nil {
			return farm.Done{}, err
		}
		if err := ahead.RowsOf(changed).Save(ctx, tx); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(
			ctx, tx, journal.On(journal.Planned, id),
			journal.Undo{ahead.PlannedBefore.Of(ahead.Kept[ahead.PlannedRows]{ID: id, Before: &before})}, "%s", said,
		)
	})
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
		i := slices.IndexFunc(s.Ahead, func(p snapshot.Planned) bool { return p.ID == id })
		if i < 0 {
			return farm.ErrNone
		}
		due.Planned = s.Ahead[i]
		due.Picks = s.Supply.ForPlanned(s.Outlook, due.Planned, 0)
		return nil
	})
	return
}
