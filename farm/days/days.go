// Package days is what binds the planning besides eggs and machines: days away, machines that are shut, brooders, and
// settings that are never to be proposed.
package days

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	rows "metrogon/store/season"
)

// owner runs a change of what binds the planning.
func (b *Service) owner(
	ctx context.Context, req farm.Request, about journal.Subjects,
	work func(tx *farm.Tx) (journal.Undo, string, error),
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		u, said, err := work(tx)
		if err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, about, u, "%s", said)
	})
}

// Service is the room.
type Service struct{ *farm.Service }

var ofSeason = journal.Subjects{}

// Binds is what binds the planning besides eggs and machines.
type Binds struct {
	Away     []rows.Away
	Closures []ShutMachine
	Brooders []rows.Brooder
	Bans     []BanOf
	Machines []snapshot.Machine
	Today    time.Time
}

// ShutMachine is a machine that takes no eggs for some days.
type ShutMachine struct {
	store.Closure
	Machine snapshot.Machine
}

// BanOf is a setting that the next plan may not make.
type BanOf struct {
	rows.Ban
	Kind    *species.Profile
	Machine snapshot.Machine
}

// Binds lists it.
func (b *Service) Binds(ctx context.Context, m *farm.Member) (all Binds, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		book, err := w.Season(ctx, tx)
		if err != nil {
			return err
		}
		all = Binds{Away: book.Away, Brooders: book.Brooders, Machines: w.Machines, Today: m.Date(w.Now)}
		for _, c := range book.Closures {
			all.Closures = append(all.Closures, ShutMachine{c, w.MachineByID[c.MachineID]})
		}
		for _, x := range book.Bans {
			all.Bans = append(all.Bans, BanOf{x, w.Kinds[x.Species], w.MachineByID[x.MachineID]})
		}
		return nil
	})
	return
}

// AddAway notes days on which some work cannot be done.
func (b *Service) AddAway(ctx context.Context, req farm.Request, a rows.Away) (farm.Done, error) {
	return b.owner(ctx, req, ofSeason, func(tx *farm.Tx) (journal.Undo, string, error) {
		var p farm.Problems
		a.Why = p.Name("why", "What it is for", a.Why, 60, false)
		checkDays(&p, tx, a.FromOn, a.ToOn)
		if len(a.Actions) == 0 {
			p.Addf("actions", "Tick what is not done on those days.")
		}
		for _, x := range a.Actions {
			if !slices.Contains(ahead.Everything, x) {
				p.Addf("actions", "That is no work of a setting: set, lockdown or pull.")
			}
		}
		if err := p.Err(); err != nil {
			return nil, "", err
		}
		id, err := rows.On(tx).SaveAway(ctx, a)
		away := "Away " + farm.Span(a.FromOn, &a.ToOn) + "."
		return journal.Undo{ahead.AwayBack.Of(ahead.Kept[rows.Away]{ID: id})}, away, err
	})
}

func checkDays(p *farm.Problems, tx *farm.Tx, from, to time.Time) {
	latest := tx.At.AddDate(3, 0, 0)
	p.Date("from_on", "The first day", from, latest)
	p.Date("to_on", "The last day", to, latest)
	if to.Before(from) {
		p.Addf("to_on", "The last day comes before the first.")
	}
}

// Close shuts a machine for some days, or until further notice.
func (b *Service) Close(ctx context.Context, req farm.Request, c store.Closure) (farm.Done, error) {
	about := journal.On(journal.Machine, c.MachineID)
	return b.owner(ctx, req, about, func(tx *farm.Tx) (journal.Undo, string, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return nil, "", err
		}
		var p farm.Problems
		c.Why = p.Name("why", "Why", c.Why, 60, false)
		x, ok := w.MachineByID[c.MachineID]
		if !ok {
			p.Addf("machine", "Pick a machine.")
		}
		last := c.FromOn
		if c.ToOn != nil {
			last = *c.ToOn
		}
		checkDays(&p, tx, c.FromOn, last)
		if err := p.Err(); err != nil {
			return nil, "", err
		}
		id, err := rows.On(tx).SaveClosure(ctx, c)
		if err != nil {
			return nil, "", err
		}
		said := fmt.Sprintf("%s takes no eggs %s.", x.Name, farm.Span(c.FromOn, c.ToOn))
		w.Closures = []store.Closure{c}
		open, err := w.OpenBatches(ctx, tx)
		for _, s := range w.Stranded(open) {
			said += " " + s.Eggs()
		}
		return journal.Undo{ahead.ClosureBack.Of(ahead.Kept[store.Closure]{ID: id})}, said, err
	})
}

// SaveBrooder makes a brooder or changes one.
func (b *Service) SaveBrooder(ctx context.Context, req farm.Request, br rows.Brooder) (farm.Done, error) {
	return b.owner(ctx, req, ofSeason, func(tx *farm.Tx) (journal.Undo, string, error) {
		var p farm.Problems
		br.Name = p.Name("name", "The brooder's name", br.Name, 60, true)
		p.Count("places", "Its places", br.Places, 1, 100000)
		if err := p.Err(); err != nil {
			return nil, "", err
		}
		before := ahead.Kept[rows.Brooder]{ID: br.ID}
		if br.ID != 0 {
			all, err := rows.On(tx).Season(ctx, tx.Member.Date(tx.At))
			if err != nil {
				return nil, "", err
			}
			i := slices.IndexFunc(all.Brooders, func(x rows.Brooder) bool { return x.ID == br.ID })
			if i < 0 {
				return nil, "", farm.ErrNone
			}
			before.Before = &all.Brooders[i]
		}
		id, err := rows.On(tx).SaveBrooder(ctx, br)
		if err != nil {
			return nil, "", farm.Taken(err, "name", "There is a brooder of that name already.")
		}
		before.ID = id
		return journal.Undo{ahead.BrooderBack.Of(before)}, fmt.Sprintf("%s holds %d chicks.", br.Name, br.Places), nil
	})
}

// DropAway takes days away back.
func (b *Service) DropAway(ctx context.Context, req farm.Request, id int64) (farm.Done, error) {
	return dropOne(ctx, b, req, "away", id, func(s rows.Season) []rows.Away { return s.Away },
		func(a rows.Away) (int64, journal.Step, string) {
			was := ahead.Kept[rows.Away]{ID: a.ID, Before: &a}
			return a.ID, ahead.AwayBack.Of(was), "Home again " + farm.Span(a.FromOn, &a.ToOn) + "."
		})
}

// DropClosure opens a machine again.
func (b *Service) DropClosure(ctx context.Context, req farm.Request, id int64) (farm.Done, error) {
	return dropOne(ctx, b, req, "closures", id, func(s rows.Season) []store.Closure { return s.Closures },
		func(c store.Closure) (int64, journal.Step, string) {
			return c.ID, ahead.ClosureBack.Of(ahead.Kept[store.Closure]{ID: c.ID, Before: &c}), "The machine takes eggs again."
		})
}

// DropBrooder forgets a brooder.
func (b *Service) DropBrooder(ctx context.Context, req farm.Request, id int64) (farm.Done, error) {
	return dropOne(ctx, b, req, "brooders", id, func(s rows.Season) []rows.Brooder { return s.Brooders },
		func(x rows.Brooder) (int64, journal.Step, string) {
			again := x
			again.ID = 0
			was := ahead.Kept[rows.Brooder]{ID: x.ID, Before: &again}
			return x.ID, ahead.BrooderBack.Of(was), x.Name + " is no brooder any more."
		})
}

// DropBan lets the next plan make a setting again.
func (b *Service) DropBan(ctx context.Context, req farm.Request, id int64) (farm.Done, error) {
	return dropOne(ctx, b, req, "bans", id, func(s rows.Season) []rows.Ban { return s.Bans },
		func(x rows.Ban) (int64, journal.Step, string) {
			return x.ID, ahead.BanBack.Of(ahead.Kept[rows.Ban]{ID: x.ID, Before: &x}), "The next plan may set that again."
		})
}

func dropOne[T any](
	ctx context.Context, b *Service, req farm.Request, table string, id int64, of func(rows.Season) []T,
	step func(T) (int64, journal.Step, string),
) (farm.Done, error) {
	return b.owner(ctx, req, ofSeason, func(tx *farm.Tx) (journal.Undo, string, error) {
		all, err := rows.On(tx).Season(ctx, tx.Member.Date(tx.At).AddDate(-5, 0, 0))
		if err != nil {
			return nil, "", err
		}
		for _, row := range of(all) {
			if n, back, said := step(row); n == id {
				return journal.Undo{back}, said, rows.On(tx).DropOf(ctx, table, id)
			}
		}
		return nil, "", farm.ErrNone
	})
}
