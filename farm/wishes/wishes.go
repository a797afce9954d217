// Package wishes finds the set days for what is wished for in a line: "6 hens for 3 May".
package wishes

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/rates"
	"metrogon/core/species"
	"metrogon/core/wish"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	seasonrows "metrogon/store/season"
)

// Back is what has to be done for a day that is wished for: reckoned back from it.
type Back struct {
	Line    string
	Says    string // as it was understood
	Problem string // what is missing, or why it cannot be
	Options []Option
}

// Option is a batch that would do it.
type Option struct {
	No int
	ahead.PlannedPage
	HatchOn time.Time // a date
	Short   string    // of what was wished for
}

// Service is the room.
type Service struct{ *farm.Service }

// outlook is the farm as planning sees it.
type outlook struct{ *ahead.Outlook }

func see(ctx context.Context, tx *farm.Tx) (*outlook, error) {
	s, err := ahead.Of(ctx, tx)
	return &outlook{s}, err
}

// weeks that "every Friday" looks ahead.
const weeks = 6

// usualSure is how sure so many young are to be, where nobody says, in percent.
const usualSure = 80

// Asked reckons back from a line where the eggs to come are laid already.
func Asked(line string, back *Back) func(*ahead.Outlook) error {
	return func(s *ahead.Outlook) (err error) {
		*back, err = (&outlook{s}).back(line)
		return err
	}
}

// AcceptBack plans what a line asks for: the options of those numbers, all if none is named.
func (b *Service) AcceptBack(
	ctx context.Context, req farm.Request, line string, which []int,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		s, err := see(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		s.LayAhead()
		back, err := s.back(line)
		if err != nil {
			return farm.Done{}, err
		}
		var rows []ahead.PlannedRows
		var said []string
		for _, o := range back.Options {
			if o.Count == 0 || len(which) > 0 && !slices.Contains(which, o.No) {
				continue
			}
			r := ahead.RowsOf(o.Planned)
			r.Pinned, r.Says = true, back.Line
			rows = append(rows, r)
			said = append(said, fmt.Sprintf("%s of %s on %s", wording.Plural(o.Count, "egg"),
				strings.ToLower(o.Kind.Name), o.SetOn.Format("Mon 2 Jan")))
		}
		if len(rows) == 0 {
			return farm.Done{}, farm.Problemf("line", "There is nothing in it to be planned. %s", back.Problem)
		}
		u, about, err := ahead.Add(ctx, tx, rows)
		if err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, about, u, "Planned to set %s.", wording.And(said))
	})
}

// vocabulary is what a line may name on this farm.
func (s *outlook) vocabulary() wish.Words {
	words := wish.Words{Kinds: map[string][]string{}}
	for _, k := range s.Kinds {
		var all []string
		for _, name := range append([]string{k.Name, k.Short, k.Young}, k.Aliases...) {
			all = append(all, name, name+"s")
		}
		switch k.ID {
		case "goose":
			all = append(all, "geese")
		case "muscovy-duck":
			all = append(all, "muscovies")
		}
		words.Kinds[k.ID] = all
	}
	for _, p := range s.W.Pens {
		words.Pens = append(words.Pens, p.Name)
	}
	for _, v := range s.Open {
		words.Batches = append(words.Batches, v.Code)
	}
	return words
}

func (s *outlook) back(line string) (back Back, err error) {
	back.Line = line
	w, err := wish.Read(line, s.Today, s.vocabulary())
	var missing wish.Problem
	if errors.As(err, &missing) {
		back.Problem = string(missing)
		return back, nil
	}
	if err != nil {
		return back, err
	}
	kinds, pens := s.wished(w)
	switch {
	case len(kinds) == 0:
		back.Problem = "Of which kind? None is kept here that was named."
		return back, nil
	case w.Aim == wish.Lockdown:
		i := slices.IndexFunc(s.Open, func(v snapshot.BatchView) bool { return v.Code == w.Batch })
		if i < 0 || s.Open[i].LockedAt != nil {
			back.Problem = w.Batch + " is in lockdown already: nothing can join it."
			return back, nil
		}
		w.On = s.W.Member.Date(s.Open[i].At(calendar.Lockdown))
	}
	back.Says = understood(w, kinds)
	for _, on := range s.dates(w, kinds) {
		for _, kind := range kinds {
			o, problem, err := s.option(w, kind, pens, on)
			if err != nil {
				return back, err
			}
			if problem != "" {
				back.Problem = problem
				continue
			}
			o.No = len(back.Options) + 1
			back.Options = append(back.Options, o)
			// What comes after it finds it planned.
			one := o.Planned
			one.Planned.ID = -int64(o.No)
			s.Ahead = append(s.Ahead, one)
		}
	}
	return back, nil
}

// wished are the kinds and pens meant; where none is named, those of the farm's that lay or
// wait in store.
func (s *outlook) wished(w wish.Wish) (kinds []*species.Profile, pens map[int64]bool) {
	pens = map[int64]bool{}
	for _, p := range s.W.Pens {
		if slices.Contains(w.Pens, p.Name) {
			pens[p.ID] = true
		}
	}
	for _, id := range w.Kinds {
		kinds = append(kinds, s.W.Kinds[id])
	}
	for _, p := range s.W.Pens {
		if k := s.W.Kinds[p.Species]; pens[p.ID] && !slices.Contains(kinds, k) && !k.IsReptile() {
			kinds = append(kinds, k)
		}
	}
	if len(kinds) > 0 {
		return kinds, pens
	}
	for _, k := range s.Kinds {
		has := slices.ContainsFunc(s.W.Pens, func(p snapshot.Pen) bool {
			return p.Species == k.ID && (s.Lays[p.ID].PerDay > 0 || len(s.Supply[p.ID]) > 0)
		})
		// Of females that count as pullets hens are meant.
		if has && (!w.Pullets || k.ID == "chicken") && (w.Count == 0 || len(kinds) == 0) {
			kinds = append(kinds, k)
		}
	}
	return kinds, pens
}

func understood(w wish.Wish, kinds []*species.Profile) string {
	var names []string
	for _, k := range kinds {
		names = append(names, strings.ToLower(k.Name))
	}
	what := wording.Capital(wording.And(names))
	if w.Count > 0 {
		young := map[bool]string{false: "young", true: "females"}[w.Pullets]
		what = fmt.Sprintf("%d %s of %s", w.Count, young, wording.And(names))
	}
	switch {
	case w.Every != nil:
		return fmt.Sprintf("%s, %s every %s, for %d weeks", what, aim(w.Aim), w.Every, weeks)
	case w.Aim == wish.Lockdown:
		return fmt.Sprintf("%s, into lockdown with %s on %s", what, w.Batch, w.On.Format("Mon 2 January"))
	}
	return fmt.Sprintf("%s, %s on %s", what, aim(w.Aim), w.On.Format("Mon 2 January"))
}

func aim(a wish.Aim) string {
	return map[wish.Aim]string{wish.Hatch: "to hatch", wish.Out: "out and dry", wish.Set: "to be set"}[a]
}

// dates are the days wished for: one, or the same weekday again and again from the first that
// can be.
func (s *outlook) dates(w wish.Wish, kinds []*species.Profile) (all []time.Time) {
	if w.Every == nil {
		return []time.Time{w.On}
	}
	first := s.Today
	for _, k := range kinds {
		if d, err := s.daysBefore(w, k); err == nil && w.Aim != wish.Set && s.Date(d).After(first) {
			first = s.Date(d)
		}
	}
	for first.Weekday() != *w.Every {
		first = first.AddDate(0, 0, 1)
	}
	for n := range weeks {
		all = append(all, first.AddDate(0, 0, 7*n))
	}
	return all
}

// daysBefore is how many days lie between the set day and the day wished for.
func (s *outlook) daysBefore(w wish.Wish, kind *species.Profile) (int, error) {
	lockdown, pull, err := s.Span(kind)
	switch w.Aim {
	case wish.Set:
		return 0, err
	case wish.Lockdown:
		return lockdown, err
	case wish.Hatch:
		return int(math.Round(kind.HatchDays.At)), err
	}
	return pull, err
}

// option finds the batch of a kind for a day: the eggs for it, and where it fits best.
func (s *outlook) option(
	w wish.Wish, kind *species.Profile, pens map[int64]bool, on time.Time,
) (o Option, problem string, err error) {
	days, err := s.daysBefore(w, kind)
	if err != nil {
		return o, "", err
	}
	setOn := on.AddDate(0, 0, -days)
	if setOn.Before(s.Today) {
		return o, fmt.Sprintf(
			"%s would have to have been set on %s. The first day that can be is %s.",
			wording.Capital(strings.ToLower(kind.Name)), setOn.Format("Mon 2 January"), s.Date(days).Format("Mon 2 January"),
		), nil
	}
	eggs := s.EggsBut(0)
	p := snapshot.Planned{Planned: seasonrows.Planned{Species: kind.ID, SetOn: setOn, Pinned: true}}
	free := map[int64]int{}
	for _, pen := range s.W.Pens {
		if pen.Species == kind.ID && (len(pens) == 0 || pens[pen.ID] || !s.anyOf(pens, kind)) {
			free[pen.ID] = eggs.Free(pen.ID, s.Day(setOn), ahead.MaxAge(kind))
		}
	}
	for pen, n := range s.enough(w, kind, free) {
		p.Eggs = append(p.Eggs, eggs.Copy().Take(pen, s.Day(setOn), ahead.MaxAge(kind), n, nil)...)
	}
	slices.SortFunc(p.Eggs, func(a, b seasonrows.PlannedEggs) int {
		return cmp.Or(cmp.Compare(a.PenID, b.PenID), a.LaidOn.Compare(b.LaidOn))
	})
	if p, err = s.place(p, kind, eggs); err != nil {
		return o, "", err
	}
	if p.Setter.ID == 0 {
		return o, fmt.Sprintf("No machine sets and hatches %s.", strings.ToLower(kind.Name)), nil
	}
	o = Option{PlannedPage: s.Page(p, eggs)}
	o.HatchOn = s.W.Member.Date(p.At(calendar.Hatch))
	o.short(w)
	return o, "", nil
}

// anyOf tells whether one of these pens lays eggs of a kind.
func (s *outlook) anyOf(pens map[int64]bool, kind *species.Profile) bool {
	for id := range pens {
		if s.W.PenByID[id].Species == kind.ID {
			return true
		}
	}
	return false
}

// enough are the eggs of each pen that are wanted: all, or as many as bring the young that are
// asked for as surely as is usual, from each pen its share.
func (s *outlook) enough(w wish.Wish, kind *species.Profile, free map[int64]int) map[int64]int {
	all := 0
	for _, n := range free {
		all += n
	}
	if w.Count == 0 || all == 0 {
		return free
	}
	sure := func(n int) bool {
		var lots []rates.Lot
		for pen, eggs := range share(free, n, all) {
			y := s.Beliefs[kind.ID].Young[pen]
			if w.Pullets {
				y = y.Scaled(0.5)
			}
			lots = append(lots, rates.Lot{Eggs: eggs, Belief: y})
		}
		return rates.Expect(lots, s.Beliefs[kind.ID].Rho, true).AtLeast(w.Count) >= usualSure/100.0
	}
	low, high := 0, all
	for high-low > 1 {
		if n := (low + high) / 2; sure(n) {
			high = n
		} else {
			low = n
		}
	}
	return share(free, high, all)
}

// share takes n of all eggs, from each pen in proportion.
func share(free map[int64]int, n, all int) map[int64]int {
	out, before, taken := map[int64]int{}, 0, 0
	ids := make([]int64, 0, len(free))
	for id := range free {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	for _, id := range ids {
		before += free[id]
		if upTo := n * before / all; upTo > taken {
			out[id], taken = upTo-taken, upTo
		}
	}
	return out
}

// place finds the machines in which most of the eggs fit without a clash, and leaves the rest
// in store; where nothing fits, those that are roomiest, so that it can be said why.
func (s *outlook) place(p snapshot.Planned, kind *species.Profile, eggs ahead.Supply) (snapshot.Planned, error) {
	y := s.Yard()
	var best snapshot.Planned
	most := -1
	for _, x := range s.MachinesFor(kind, false) {
		for _, h := range s.MachinesFor(kind, true) {
			one := p
			one.SetterID, one.HatcherID = x.ID, h.ID
			if err := s.W.WorkOut(&one); err != nil {
				return p, err
			}
			n := one.Count
			if len(s.Against(y, one, eggs)) > 0 {
				n = s.Most(y, one, eggs)
			}
			if n > most {
				best, most = one, n
			}
		}
	}
	if most < ahead.FewestEggs || most >= best.Count {
		return best, nil
	}
	return s.On(best, ahead.Cure{Eggs: most})
}

// short tells what an option lacks of what was wished for.
func (o *Option) short(w wish.Wish) {
	switch {
	case o.Count == 0:
		o.Short = "No eggs will be there that are young enough."
	case w.Count > 0 && w.Pullets && o.Young/2 < float64(w.Count):
		o.Short = fmt.Sprintf("Expect about %.0f females of the %d.", o.Young/2, w.Count)
	case w.Count > 0 && !w.Pullets && o.Young < float64(w.Count):
		o.Short = fmt.Sprintf("Expect about %.0f of the %d.", o.Young, w.Count)
	}
}
