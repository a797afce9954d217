package stock

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/marks"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/store"
	rows "metrogon/store/stock"
)

// Whys are why eggs leave the store other than to be set, in the words of the trade.
var Whys = []string{"eaten", "sold", "given away", "broken", "old", "other"}

// Out is eggs that are taken out of the store.
type Out struct {
	Marks  []string // their pencil codes; or
	PenID  int64    // so many of a pen and lay day
	LaidOn time.Time
	Eggs   int
	Why    string
	Who    string   // to whom
	Price  *float64 // of all together, where it is wanted
}

// TakeOut takes eggs out of the store, and says which codes went, so that pencil, hens and records agree.
func (b *Service) TakeOut(ctx context.Context, req farm.Request, out Out) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		if err := out.check(tx); err != nil {
			return farm.Done{}, err
		}
		eggs, err := rows.On(tx).PickStored(ctx, out.Marks, out.PenID, out.LaidOn, out.Eggs)
		if err != nil {
			return farm.Done{}, err
		}
		if err := out.missing(eggs); err != nil {
			return farm.Done{}, err
		}
		var ids []int64
		about := journal.Subjects{}
		for _, e := range eggs {
			ids = append(ids, e.ID)
			if !slices.ContainsFunc(about, func(s store.Subject) bool { return s.ID == e.PenID }) {
				about = about.And(journal.Pen, e.PenID)
			}
		}
		id, err := rows.On(tx).TakeOut(
			ctx, ids, rows.EggOut{At: tx.At, Why: out.Why, Who: out.Who, Price: out.Price}, req.PersonID,
		)
		if err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, about, journal.Undo{dropOut.Of(id), putBack.Of(ids)}, "%s", out.says(eggs))
	})
}

// check judges what was asked for, and reads the codes.
func (o *Out) check(tx *farm.Tx) error {
	var p farm.Problems
	for i, typed := range o.Marks {
		mark, ok := marks.Read(typed)
		if !ok {
			p.Addf("codes", "%.12q is no pencil code.", typed)
		}
		o.Marks[i] = mark
	}
	if len(o.Marks) == 0 {
		p.Count("eggs", "The number of eggs", o.Eggs, 1, farm.MaxEggs)
		p.Date("date", "The day of laying", o.LaidOn, tx.Member.Date(tx.At))
	}
	if !slices.Contains(Whys, o.Why) {
		p.Addf("why", "Say why they are taken out.")
	}
	o.Who = p.Name("who", "To whom they went", o.Who, 60, false)
	if o.Price != nil {
		p.Measure("price", "The price", o.Price, 0, 100000, "")
	}
	return p.Err()
}

// missing tells which of the eggs asked for are not in store.
func (o Out) missing(eggs []rows.PickedEgg) error {
	var gone []string
	for _, mark := range o.Marks {
		if !slices.ContainsFunc(eggs, func(e rows.PickedEgg) bool { return e.Mark != nil && *e.Mark == mark }) {
			gone = append(gone, mark)
		}
	}
	switch {
	case len(gone) > 0:
		return farm.Problemf("codes", "Not in store: %s.", strings.Join(gone, ", "))
	case len(eggs) == 0:
		return farm.Problemf("eggs", "There are none of these eggs in store any more.")
	case len(o.Marks) == 0 && len(eggs) < o.Eggs:
		return farm.Problemf("eggs", "Only %d of these eggs are in store; %d were to go.", len(eggs), o.Eggs)
	}
	return nil
}

// says tells what went, by its codes.
func (o Out) says(eggs []rows.PickedEgg) string {
	var codes []string
	for _, e := range eggs {
		if e.Mark != nil {
			codes = append(codes, *e.Mark)
		}
	}
	says := fmt.Sprintf("%s taken out of the store, %s", wording.Plural(len(eggs), "egg"), o.Why)
	if o.Who != "" {
		says += " to " + o.Who
	}
	if o.Price != nil {
		says += fmt.Sprintf(" for %.2f", *o.Price)
	}
	if n := len(codes); n > 0 && n <= 12 {
		says += ": " + strings.Join(codes, ", ")
	} else if n > 12 {
		says += fmt.Sprintf(": %s to %s", codes[0], codes[n-1])
	}
	return says + "."
}

var dropOut = journal.NewKind("egg_out", func(ctx context.Context, tx *farm.Tx, id int64) error {
	return rows.On(tx).DropOut(ctx, id)
})

// Outs lists what left the store lately.
func (b *Service) Outs(ctx context.Context, m *farm.Member) (all []rows.EggOut, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		all, err = rows.On(tx).Outs(ctx, 30)
		return err
	})
	return all, err
}
