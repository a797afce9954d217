package stock

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	stockrows "metrogon/store/stock"
)

// Gathered is a collection with what depends on it.
type Gathered struct {
	stockrows.Gathered
	Set  []stockrows.SetFrom // batches in which eggs of it were set
	Pens []snapshot.Pen      // from which it may have been
}

// Gathered finds a collection, to be put right.
func (b *Service) Gathered(ctx context.Context, m *farm.Member, id int64) (g Gathered, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		g, err = gatheredOf(ctx, tx, w, id)
		return err
	})
	return g, err
}

func gatheredOf(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, id int64) (g Gathered, err error) {
	if g.Gathered, err = stockrows.On(tx).Gathered(ctx, id); err != nil {
		return g, err
	}
	for _, p := range w.Pens {
		if p.Species == g.Species && (!p.Supplier || p.ID == g.PenID) {
			g.Pens = append(g.Pens, p)
		}
	}
	g.Set, err = stockrows.On(tx).SetFrom(ctx, id)
	return g, err
}

// Depends says in a sentence what depends on a collection; "" if nothing does.
func (g Gathered) Depends(m *farm.Member) string {
	var parts []string
	set := 0
	for _, s := range g.Set {
		parts = append(parts, fmt.Sprintf("%d %s in %s", s.Eggs, "on "+m.ShortDay(s.SetAt), s.Code))
		set += s.Eggs
	}
	said := ""
	if set > 0 {
		said = fmt.Sprintf("%d of these eggs were set: %s.", set, wording.And(parts))
	}
	if gone := g.Away - set; gone > 0 {
		said = strings.TrimSpace(fmt.Sprintf("%s %s left the store.", said, wording.Plural(gone, "egg")))
	}
	return said
}

// Correction is a collection as it was in truth.
type Correction struct {
	PenID     int64
	LaidOn    time.Time
	Eggs      int // sound ones
	Hen, Note string
}

// struck are rows of eggs that were taken off a collection.
type struck struct{ Rows json.RawMessage }

// Steps of putting a collection right.
var (
	gatheringBefore = journal.NewKind("gathering", func(ctx context.Context, tx *farm.Tx, g stockrows.Gathering) error {
		return stockrows.On(tx).PutRight(ctx, g)
	})
	addedEggs = journal.NewKind("added_eggs", func(ctx context.Context, tx *farm.Tx, ids []int64) error {
		n, err := stockrows.On(tx).ForgetEggs(ctx, ids)
		if err == nil && n < len(ids) {
			err = errMeanwhile
		}
		return err
	})
	struckEggs = journal.NewKind("struck_eggs", func(ctx context.Context, tx *farm.Tx, s struck) error {
		return stockrows.On(tx).RestoreEggs(ctx, s.Rows)
	})
)

// PutRight corrects a collection: its pen, day, hen, note, and how many sound eggs there were. Eggs that
// were set already stay where they are and come from the pen and day that it has now.
func (b *Service) PutRight(
	ctx context.Context, req farm.Request, id int64, c Correction,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (done farm.Done, err error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return done, err
		}
		g, err := gatheredOf(ctx, tx, w, id)
		if err != nil {
			return done, err
		}
		after, err := c.check(req.Member, w, g)
		if err != nil {
			return done, err
		}
		back := journal.Undo{gatheringBefore.Of(g.Gathering)}
		if err := stockrows.On(tx).PutRight(ctx, after); err != nil {
			return done, err
		}
		said := []string{fmt.Sprintf("Put right: %s.", change(w, g, after, c.Eggs))}
		switch more := c.Eggs - g.Eggs; {
		case more > 0:
			ids, err := stockrows.On(tx).AddEggs(ctx, id, more)
			if err != nil {
				return done, err
			}
			codes, err := snapshot.AssignCodes(ctx, tx.Tx, req.Date(b.Now()))
			if err != nil {
				return done, err
			}
			back, said = append(back, addedEggs.Of(ids)), append(said, toMark(codes)...)
		case more < 0:
			rows, err := stockrows.On(tx).StrikeEggs(ctx, id, -more)
			if err != nil {
				return done, err
			}
			back = append(back, struckEggs.Of(struck{rows}))
		}
		about := journal.On(journal.Pen, g.PenID)
		if after.PenID != g.PenID {
			about = about.And(journal.Pen, after.PenID)
		}
		for _, s := range g.Set {
			about = about.And(journal.Batch, s.BatchID)
		}
		return journal.Record(ctx, tx, about, back, "%s", strings.Join(said, " "))
	})
}

func (c Correction) check(m *farm.Member, w *snapshot.Snapshot, g Gathered) (after stockrows.Gathering, err error) {
	var p farm.Problems
	after = g.Gathering
	after.PenID, after.LaidOn, after.Hen = c.PenID, c.LaidOn, p.Name("hen", "The hen", c.Hen, 30, false)
	after.Note = gathering(&p, c.LaidOn, c.Eggs, g.Rejected, c.Note, m.Date(w.Now))
	if pen, ok := w.PenByID[c.PenID]; !ok || pen.Species != g.Species {
		p.Addf("pen", "Pick the pen of the same kind that the eggs are from.")
	}
	if c.Eggs < g.Away {
		p.Addf("eggs", "%s %s at least.", g.Depends(m), wording.Plural(g.Away, "egg"))
	}
	for _, s := range g.Set {
		if c.LaidOn.After(m.Date(s.SetAt)) {
			p.Addf("date", "%d of these eggs were set in %s on %s, before that day.", s.Eggs, s.Code, m.ShortDay(s.SetAt))
		}
	}
	if after == g.Gathering && c.Eggs == g.Eggs {
		p.Addf("eggs", "Nothing is changed.")
	}
	return after, p.Err()
}

// change says what a collection was, and what it is now.
func change(w *snapshot.Snapshot, before Gathered, after stockrows.Gathering, eggs int) string {
	say := func(g stockrows.Gathering, eggs int) string {
		said := fmt.Sprintf("%s from %s, laid %s", wording.Plural(eggs, "egg"), w.PenByID[g.PenID].Name,
			g.LaidOn.Format("2 Jan"))
		if g.Hen != "" {
			said += ", hen " + g.Hen
		}
		return said
	}
	return say(before.Gathering, before.Eggs) + " → " + say(after, eggs)
}
