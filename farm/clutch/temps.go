package clutch

import (
	"context"
	"fmt"
	"time"

	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/store"
	clutchrows "metrogon/store/clutch"
)

// Warming is a temperature that a clutch is kept at from a moment on, which may be to come.
type Warming struct {
	Temp
	From  time.Time // zero: now
	Until time.Time // zero: until something else was set; else what held before holds again
	All   bool      // also the other clutches on the same shelf
}

// farAhead is how far ahead temperatures are planned.
const farAhead = 400 * 24 * time.Hour

// SetTemp keeps how warm a clutch is. What was planned after now gives way to what is set from now on; what is put
// right in the past leaves what came after it.
func (s *Service) SetTemp(
	ctx context.Context, req farm.Request, batchID int64, x Warming,
) (farm.Done, error) {
	if err := req.Refuse(farm.Keeping); err != nil {
		return farm.Done{}, err
	}
	return s.on(ctx, req, batchID, func(c *at) (farm.Done, error) {
		if err := x.checkTimes(ctx, c); err != nil {
			return farm.Done{}, err
		}
		batches := []store.Batch{c.v.Batch}
		if x.All {
			open, err := c.tx.OpenBatches(ctx)
			if err != nil {
				return farm.Done{}, err
			}
			for _, b := range open {
				if b.SetterID == c.v.SetterID && b.ID != c.v.ID && b.TempC != nil {
					batches = append(batches, b)
				}
			}
		}
		var u temps
		about := journal.Subjects{}
		for _, b := range batches {
			if err := x.keep(ctx, c.tx, b, &u); err != nil {
				return farm.Done{}, err
			}
			about = about.And(journal.Batch, b.ID)
		}
		for _, b := range batches {
			if err := settle(ctx, c.tx, c.w, b.ID); err != nil {
				return farm.Done{}, err
			}
		}
		return journal.Record(ctx, c.tx, about, journal.Undo{tempsBefore.Of(u)}, "%s.", x.says(c, len(batches)))
	})
}

// checkTimes says what is wrong with when and how warm.
func (x *Warming) checkTimes(ctx context.Context, c *at) error {
	var p farm.Problems
	if x.From.IsZero() {
		x.From = c.tx.At
	}
	x.From = farm.Latest(x.From, c.v.SetAt)
	x.Temp.check(c.tx.Request, &p, c.w, c.v.Kind)
	switch {
	case x.From.After(c.tx.At.Add(farAhead)):
		p.Addf("from", "That is more than a year ahead.")
	case x.Until.After(c.tx.At.Add(farAhead)):
		p.Addf("until", "That is more than a year ahead.")
	case !x.Until.IsZero() && !x.Until.After(x.From):
		p.Addf("until", "It ends before it begins.")
	}
	return p.Err()
}

// says tells what was set.
func (x Warming) says(c *at, clutches int) string {
	u := c.tx.Member.Units()
	says := u.Temp(x.C)
	if x.NightC != nil {
		says += fmt.Sprintf(", %s by night", u.Temp(*x.NightC))
	}
	says += " from " + c.tx.Member.Moment(x.From)
	if !x.Until.IsZero() {
		says += " to " + c.tx.Member.Moment(x.Until)
	}
	if clutches > 1 {
		return fmt.Sprintf("%s, %d clutches: %s", c.v.Setter.Name, clutches, says)
	}
	return c.v.Code + ": " + says
}

// keep writes it down for one clutch.
func (x Warming) keep(ctx context.Context, tx *farm.Tx, b store.Batch, u *temps) error {
	rows, err := clutchrows.On(tx).ClutchTemps(ctx, []int64{b.ID})
	if err != nil {
		return err
	}
	from := farm.Latest(x.From, b.SetAt)
	if !x.Until.IsZero() && !x.Until.After(from) {
		return nil // it was over before these were laid
	}
	var gone []int64
	before := x.row(b.ID, from)
	for _, r := range rows {
		if !r.FromAt.After(from) {
			before = r
		}
		within := !r.FromAt.Before(from) && !x.Until.IsZero() && !r.FromAt.After(x.Until)
		if within {
			before = r
		}
		planned := x.Until.IsZero() && r.FromAt.After(tx.At) && !r.FromAt.Before(from)
		if within || planned || r.FromAt.Equal(from) {
			gone = append(gone, r.ID)
		}
	}
	taken, err := clutchrows.On(tx).TakeTemps(ctx, gone)
	if err != nil {
		return err
	}
	u.Taken = append(u.Taken, taken...)
	add := []clutchrows.ClutchTemp{x.row(b.ID, from)}
	if !x.Until.IsZero() {
		again := before
		again.FromAt = x.Until
		add = append(add, again)
	}
	for _, r := range add {
		r.Planned = r.FromAt.After(tx.At)
		id, err := clutchrows.On(tx).AddClutchTemp(ctx, r, tx.Member.PersonID)
		if err != nil {
			return err
		}
		u.Added = append(u.Added, id)
	}
	return nil
}

// Plan keeps two temperatures, one from now until a moment, and another from then on.
func (s *Service) Plan(
	ctx context.Context, req farm.Request, batchID int64, now Temp, until time.Time, later Temp,
) (farm.Done, error) {
	if err := req.Refuse(farm.Keeping); err != nil {
		return farm.Done{}, err
	}
	return s.on(ctx, req, batchID, func(c *at) (farm.Done, error) {
		first, second := Warming{Temp: now}, Warming{Temp: later, From: until}
		for _, x := range []*Warming{&first, &second} {
			if err := x.checkTimes(ctx, c); err != nil {
				return farm.Done{}, err
			}
		}
		if !until.After(c.tx.At) {
			return farm.Done{}, farm.Problemf("until", "That is over already; look again what is proposed.")
		}
		var u temps
		for _, x := range []Warming{first, second} {
			if err := x.keep(ctx, c.tx, c.v.Batch, &u); err != nil {
				return farm.Done{}, err
			}
		}
		if err := settle(ctx, c.tx, c.w, batchID); err != nil {
			return farm.Done{}, err
		}
		return c.record(journal.Undo{tempsBefore.Of(u)}, "%s until %s, then %s.", req.Units().Temp(now.C),
			req.Moment(until), req.Units().Temp(later.C))
	})
}
