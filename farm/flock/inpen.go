package flock

import (
	"context"
	"fmt"
	"time"

	"gonum.org/v1/gonum/stat/distuv"

	"metrogon/core/breeding"
	"metrogon/farm"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	"metrogon/store/breeders"
	"metrogon/store/stock"
)

// PenBird is a bird in a pen, now or before.
type PenBird struct {
	breeders.Bird
	Stay breeders.BirdStay
	// Change is what follows of a male's coming, as long as it matters; nil: it does no more.
	Change *breeding.Change
	Others []string // males whose eggs may still be among his
}

// SireSpan is days in a row on which the sires of eggs are as sure.
type SireSpan struct {
	From, To time.Time // both included
	How      breeding.Certainty
	Names    []string
}

// InPen are the birds of a pen, with whose its eggs are.
type InPen struct {
	Birds   []PenBird // here now: males first
	Before  []PenBird // the last to leave first
	Unnamed struct{ Males, Females int }
	Spans   []SireSpan
	HenAge  float64 // mean age in years of its named hens whose hatch date is known; 0: of none
	Fell    string  // that laying fell when a male came in
	Choices []breeders.Bird
}

// The sires of eggs are drawn for so many days back and ahead.
const (
	spanBack  = 56
	spanAhead = 28
)

// inPen tells of the birds of one pen.
func inPen(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, pen snapshot.Pen) (in InPen, err error) {
	f, err := lineage.Of(ctx, tx, w)
	if err != nil {
		return in, err
	}
	today := w.Member.Date(w.Now)
	in.fill(w, f, pen, today)
	in.Spans = spansOf(w, f, pen, today)
	if c := lastChange(in, today); c != nil {
		in.Fell, err = fell(ctx, tx, f, pen, *c, today)
	}
	return in, err
}

func (in *InPen) fill(w *snapshot.Snapshot, f lineage.Flock, pen snapshot.Pen, today time.Time) {
	in.Unnamed.Males, in.Unnamed.Females = pen.Males, pen.Females
	here := map[int64]bool{}
	years, aged := 0.0, 0.0
	changes := f.Changes(w, pen.ID)
	for _, s := range f.Stays {
		if s.PenID != pen.ID {
			continue
		}
		b := PenBird{Bird: f.Birds[s.BirdID], Stay: s}
		if s.UntilOn != nil {
			in.Before = append([]PenBird{b}, in.Before...)
			continue
		}
		here[s.BirdID] = true
		if s.Sex == lineage.Male {
			in.Unnamed.Males--
			b.Change = matters(changes, s, today)
			if b.Change != nil {
				for _, o := range b.Change.Others {
					b.Others = append(b.Others, f.MaleName(w, o))
				}
			}
			in.Birds = append([]PenBird{b}, in.Birds...)
			continue
		}
		in.Unnamed.Females--
		in.Birds = append(in.Birds, b)
		if b.HatchedOn != nil {
			years += lineage.AgeYears(b.Bird, today)
			aged++
		}
	}
	if aged > 0 {
		in.HenAge = years / aged
	}
	in.Unnamed.Males, in.Unnamed.Females = max(0, in.Unnamed.Males), max(0, in.Unnamed.Females)
	for _, b := range f.ByName {
		if b.Species == pen.Species && b.GoneOn == nil && !here[b.ID] {
			in.Choices = append(in.Choices, b)
		}
	}
}

// matters gives what follows of a male's coming, until his eggs are surely his.
func matters(changes []breeding.Change, s breeders.BirdStay, today time.Time) *breeding.Change {
	for _, c := range changes {
		if c.Male == s.BirdID && c.From.Equal(s.FromOn) && (c.Surely.IsZero() || c.Surely.After(today)) {
			return &c
		}
	}
	return nil
}

// spansOf tells of each day about now how sure the sires of its eggs are.
func spansOf(w *snapshot.Snapshot, f lineage.Flock, pen snapshot.Pen, today time.Time) (all []SireSpan) {
	if len(f.Changes(w, pen.ID)) == 0 {
		return nil
	}
	for d := -spanBack; d <= spanAhead; d++ {
		day := today.AddDate(0, 0, d)
		sire := f.SireOf(w, pen.ID, 0, day)
		n := len(all)
		var names []string
		for _, m := range sire.Males {
			names = append(names, f.MaleName(w, m))
		}
		if n > 0 && all[n-1].How == sire.How && fmt.Sprint(all[n-1].Names) == fmt.Sprint(names) {
			all[n-1].To = day
			continue
		}
		all = append(all, SireSpan{day, day, sire.How, names})
	}
	return all
}

// lastChange is the male that came last, if others were there before and it is not long ago.
func lastChange(in InPen, today time.Time) *PenBird {
	var last *PenBird
	for i, b := range in.Birds {
		if b.Stay.Sex == lineage.Male && farm.AgeDays(b.Stay.FromOn, today) <= spanBack &&
			(last == nil || b.Stay.FromOn.After(last.Stay.FromOn)) {
			last = &in.Birds[i]
		}
	}
	return last
}

// Days of laying that are compared before and after a male came in, and at least [common practice].
const (
	layingDays  = 14
	leastLaying = 4
)

// fell tells that a pen lays much less since a male came in: so few eggs in so many days come fewer than
// two times in a hundred where nothing changed (Poisson, the days before taken as they were).
func fell(
	ctx context.Context, tx *farm.Tx, f lineage.Flock, pen snapshot.Pen, b PenBird, today time.Time,
) (string, error) {
	after := min(farm.AgeDays(b.Stay.FromOn, today), layingDays)
	if after < leastLaying {
		return "", nil
	}
	count := func(from, to time.Time) (int, error) {
		all, err := stock.On(tx).Laying(ctx, from, to)
		for _, s := range all {
			if s.PenID == pen.ID {
				return s.Eggs, err
			}
		}
		return 0, err
	}
	before, err := count(b.Stay.FromOn.AddDate(0, 0, -layingDays), b.Stay.FromOn)
	if err != nil || before < layingDays/2 {
		return "", err
	}
	since, err := count(b.Stay.FromOn.AddDate(0, 0, 1), b.Stay.FromOn.AddDate(0, 0, 1+after))
	if err != nil {
		return "", err
	}
	usual := float64(before) / layingDays * float64(after)
	if float64(since) > usual/2 || (distuv.Poisson{Lambda: usual}).CDF(float64(since)) > 0.02 {
		return "", nil
	}
	return fmt.Sprintf("Since %s came in the pen lays %.1f eggs a day; before it were %.1f. A rough or a new male "+
		"can do that: watch the hens.", b.Name, float64(since)/float64(after), float64(before)/layingDays), nil
}
