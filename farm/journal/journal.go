package journal

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// What an action may be about.
const (
	Batch   = "batch"
	Pen     = "pen"
	Parcel  = "parcel"
	Machine = "machine"
	Place   = "place"
	Person  = "person"
	Order   = "order"
	Planned = "planned"
	Plan    = "plan"
	Season  = "season" // days away, closed machines, brooders
	Bird    = "bird"
	Brood   = "brood" // a group of young
	Brooder = "brooder"
	Gauge   = "instrument"
	Alarm   = "alarm"
	Box     = "box" // of reptiles' eggs
)

// Subjects are what an action is about: taking back goes in reverse order for
// each of them.
type Subjects []store.Subject

// On is one subject.
func On(kind string, id int64) Subjects { return Subjects{{Kind: kind, ID: id}} }

// And adds another.
func (s Subjects) And(kind string, id int64) Subjects {
	return append(s, store.Subject{Kind: kind, ID: id})
}

// first is the batch in whose list the line stands, or else what is named first.
func (s Subjects) first() (first farm.Subject) {
	if i := slices.IndexFunc(s, func(one farm.Subject) bool { return one.Kind == Batch }); i >= 0 {
		return s[i]
	}
	if len(s) > 0 {
		return s[0]
	}
	return first
}

// Record puts a line into the journal and returns what was done. With a nil undo it
// cannot be taken back.
func Record(
	ctx context.Context, tx *farm.Tx, about Subjects, u Undo, format string, args ...any,
) (farm.Done, error) {
	done := farm.Done{Said: fmt.Sprintf(format, args...), Subject: about.first()}
	line := store.Line{
		PersonID: tx.Member.PersonID, BatchID: done.Of(Batch), About: about, At: tx.At, Said: done.Said,
	}
	if u != nil {
		var err error
		if line.Undo, err = json.Marshal(u); err != nil {
			return done, err
		}
	}
	id, err := tx.AddEntry(ctx, line)
	if u != nil {
		done.Entry = id
	}
	return done, err
}

// helpersDay is for how long a helper may take back what he did.
const helpersDay = 24 * time.Hour

// TakeBack takes the action of a journal line back, if nothing that came after it on
// one of its subjects still stands.
func TakeBack(ctx context.Context, b *farm.Service, req farm.Request, entryID int64) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		e, err := tx.Entry(ctx, entryID)
		if err != nil {
			return farm.Done{}, err
		}
		if !req.May(farm.Keeping) && (e.PersonID != req.PersonID || tx.At.Sub(e.At) > helpersDay) {
			return farm.Done{}, farm.Problemf(
				"entry", "A helper takes back what he did himself, within a day. A keeper or an owner can take this back.",
			)
		}
		if e.Undone || e.Undo == nil {
			return farm.Done{}, farm.Problemf("entry", "This was taken back already.")
		}
		later, err := tx.InTheWay(ctx, entryID)
		if err != nil {
			return farm.Done{}, err
		}
		if later != "" {
			return farm.Done{}, farm.Problemf("entry", "Take back first what was done after it: %s", later)
		}
		return undone(ctx, tx, e)
	})
}

// TakeBackIn takes a line back as a part of other work, if it still stands.
func TakeBackIn(ctx context.Context, tx *farm.Tx, entryID int64) error {
	e, err := tx.Entry(ctx, entryID)
	if err != nil || e.Undone || e.Undo == nil {
		return err
	}
	_, err = undone(ctx, tx, e)
	return err
}

// TakeBackAll takes the action of a line back with all that leans on it, the newest first.
func TakeBackAll(
	ctx context.Context, b *farm.Service, req farm.Request, entryID int64, shown []int64,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (done farm.Done, err error) {
		all, err := tx.Leaning(ctx, entryID)
		if err != nil {
			return done, err
		}
		if len(all) == 0 {
			return done, farm.ErrNone
		}
		for _, e := range all {
			if !slices.Contains(shown, e.ID) {
				return done, farm.Problemf("entry", "Something else was done meanwhile: %s Look again.", e.Said)
			}
			if e.Undone || e.Undo == nil {
				return done, farm.Problemf("entry", "This was taken back already, or cannot be: %s", e.Said)
			}
			if done, err = undone(ctx, tx, e); err != nil {
				if p, typed := farm.AsProblems(err); typed {
					return done, farm.Problemf("entry", "%s %s", e.Said, p.Error())
				}
				return done, err
			}
		}
		if n := len(all) - 1; n > 0 {
			done.Said = fmt.Sprintf("%s, and %s after it.", strings.TrimSuffix(done.Said, "."), wording.Plural(n, "line"))
		}
		return done, nil
	})
}

// undone takes a line back and writes that down.
func undone(ctx context.Context, tx *farm.Tx, e store.Entry) (done farm.Done, err error) {
	about, err := tx.Subjects(ctx, e.ID)
	if err != nil {
		return done, err
	}
	if err := takeBack(ctx, tx, e.Undo); err != nil {
		return done, err
	}
	done = farm.Done{Said: "Taken back: " + e.Said}
	if e.BatchID != nil {
		id, err := refresh(ctx, tx, *e.BatchID)
		if err != nil {
			return farm.Done{}, err
		}
		if id != 0 {
			done.Subject = farm.Subject{Kind: Batch, ID: id}
		}
	}
	_, err = tx.AddEntry(ctx, store.Line{
		PersonID: tx.Member.PersonID, BatchID: done.Of(Batch), About: about, At: tx.At, Said: done.Said, Undoes: e.ID,
	})
	return done, err
}

// refresh brings up to date what is known of the eggs of a batch, and gives its
// id; 0 if the batch itself was taken back.
func refresh(ctx context.Context, tx *farm.Tx, batchID int64) (int64, error) {
	batches, err := tx.BatchesByID(ctx, []int64{batchID})
	if err != nil || len(batches) == 0 {
		return 0, err
	}
	return batchID, snapshot.UpdateFertility(ctx, tx.Tx, batchID)
}
