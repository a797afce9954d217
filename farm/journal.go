package farm

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"metrogon/store"
)

// subjects are what an action is about: taking back goes in reverse order for
// each of them.
type subjects []store.Subject

func on(kind string, id int64) subjects { return subjects{{Kind: kind, ID: id}} }

func (s subjects) and(kind string, id int64) subjects {
	return append(s, store.Subject{Kind: kind, ID: id})
}

// batch is the batch in whose list the line stands; 0 for none.
func (s subjects) batch() int64 {
	for _, one := range s {
		if one.Kind == "batch" {
			return one.ID
		}
	}
	return 0
}

// undo is what taking an action back has to do.
type undo struct {
	Collections []int64          `json:"collections,omitempty"` // drop
	PutBack     []int64          `json:"put_back,omitempty"`    // eggs, into the store
	OffTrial    []int64          `json:"off_trial,omitempty"`   // eggs, back among the rejects
	DropBatch   int64            `json:"drop_batch,omitempty"`
	Calls       []int64          `json:"calls,omitempty"`    // drop
	Revive      []int64          `json:"revive,omitempty"`   // eggs of a batch
	Young       []int64          `json:"young,omitempty"`    // counts, drop
	Unsettle    int64            `json:"unsettle,omitempty"` // a batch whose counts count again
	Stand       *store.Batch     `json:"stand,omitempty"`    // as the batch stood
	Chore       *store.ChoreDone `json:"chore,omitempty"`
	Counter     *counterBefore   `json:"counter,omitempty"`
	Care        []int64          `json:"care,omitempty"`   // drop
	Lies        []store.Lie      `json:"lies,omitempty"`   // as eggs lay
	Parcel      *store.Parcel    `json:"parcel,omitempty"` // as it stood
	DropParcel  int64            `json:"drop_parcel,omitempty"`
	Weighing    int64            `json:"weighing,omitempty"` // drop
	Response    int64            `json:"response,omitempty"` // drop
	Opened      []int64          `json:"opened,omitempty"`   // shut again
}

type counterBefore struct {
	Machine int64
	Started *time.Time
}

// wrote puts a line into the journal and returns what was done.
func (b *Books) wrote(
	ctx context.Context, tx *store.Tx, m *Member, about subjects, u *undo, format string, args ...any,
) (Done, error) {
	done := Done{Said: fmt.Sprintf(format, args...), BatchID: about.batch()}
	line := store.Line{PersonID: m.PersonID, BatchID: done.BatchID, About: about, At: b.Now(), Said: done.Said}
	if u != nil {
		var err error
		if line.Undo, err = json.Marshal(u); err != nil {
			return done, err
		}
	}
	id, err := tx.Write(ctx, line)
	if u != nil {
		done.Entry = id
	}
	return done, err
}

// Undo takes the action of a journal line back, if nothing that came after it on
// one of its subjects still stands.
func (b *Books) Undo(ctx context.Context, m *Member, key string, entryID int64) (Done, error) {
	return b.act(ctx, m, key, func(tx *store.Tx) (Done, error) {
		e, err := tx.Entry(ctx, entryID)
		if err != nil {
			return Done{}, err
		}
		if e.Undone || e.Undo == nil {
			return Done{}, problem("entry", "This was taken back already.")
		}
		later, err := tx.InTheWay(ctx, entryID)
		if err != nil {
			return Done{}, err
		}
		if later != "" {
			return Done{}, problem("entry", "Take back first what was done after it: %s", later)
		}
		var u undo
		if err := json.Unmarshal(e.Undo, &u); err != nil {
			return Done{}, err
		}
		about, err := tx.Subjects(ctx, entryID)
		if err != nil {
			return Done{}, err
		}
		done := Done{Said: "Taken back: " + e.Said}
		if e.BatchID != nil && u.DropBatch == 0 {
			done.BatchID = *e.BatchID
		}
		if err := u.apply(ctx, tx); err != nil {
			return Done{}, err
		}
		if done.BatchID != 0 {
			if err := KnowFertile(ctx, tx, done.BatchID); err != nil {
				return Done{}, err
			}
		}
		_, err = tx.Write(ctx, store.Line{
			PersonID: m.PersonID, BatchID: done.BatchID, About: about, At: b.Now(), Said: done.Said, Undoes: entryID,
		})
		return done, err
	})
}

// apply does what there is to do, in an order in which nothing still leans on what
// is dropped.
func (u undo) apply(ctx context.Context, tx *store.Tx) error {
	for _, step := range []func(context.Context, *store.Tx) error{u.gathered, u.laid, u.looked, u.ended, u.stood} {
		if err := step(ctx, tx); err != nil {
			return err
		}
	}
	return nil
}

// gathered takes back what came into store or left it.
func (u undo) gathered(ctx context.Context, tx *store.Tx) error {
	if u.Parcel != nil { // lets go of its collection, which is dropped below
		if err := tx.SaveParcel(ctx, *u.Parcel); err != nil {
			return err
		}
	}
	if u.DropParcel != 0 {
		if err := tx.DropParcel(ctx, u.DropParcel); err != nil {
			return err
		}
	}
	if len(u.Collections) > 0 {
		n, err := tx.DropCollections(ctx, u.Collections)
		if err != nil {
			return err
		}
		if n < len(u.Collections) {
			return problem("entry", "Some of these eggs were set or taken out meanwhile.")
		}
	}
	if len(u.OffTrial) > 0 {
		n, err := tx.OffTrial(ctx, u.OffTrial)
		if err != nil {
			return err
		}
		if n < len(u.OffTrial) {
			return problem("entry", "Some of these eggs were set or taken out meanwhile.")
		}
	}
	if len(u.PutBack) > 0 {
		return tx.PutBack(ctx, u.PutBack)
	}
	return nil
}

// laid takes back care and places.
func (u undo) laid(ctx context.Context, tx *store.Tx) error {
	if len(u.Care) > 0 {
		if err := tx.DropCare(ctx, u.Care); err != nil {
			return err
		}
	}
	if len(u.Lies) > 0 {
		return tx.Lay(ctx, u.Lies)
	}
	return nil
}

// looked takes back what was seen, weighed and read.
func (u undo) looked(ctx context.Context, tx *store.Tx) error {
	if len(u.Opened) > 0 {
		if _, err := tx.Open(ctx, u.Opened, ""); err != nil {
			return err
		}
	}
	if u.Weighing != 0 {
		if err := tx.DropWeighing(ctx, u.Weighing); err != nil {
			return err
		}
	}
	if u.Response != 0 {
		if err := tx.DropResponse(ctx, u.Response); err != nil {
			return err
		}
	}
	if len(u.Calls) > 0 {
		return tx.DropCalls(ctx, u.Calls)
	}
	return nil
}

// ended takes back how eggs ended.
func (u undo) ended(ctx context.Context, tx *store.Tx) error {
	if len(u.Young) > 0 {
		if err := tx.DropYoung(ctx, u.Young); err != nil {
			return err
		}
	}
	if u.Unsettle != 0 {
		if _, err := tx.SettleYoung(ctx, u.Unsettle, false); err != nil {
			return err
		}
	}
	if len(u.Revive) > 0 {
		_, err := tx.End(ctx, u.Revive, "", "", time.Time{})
		return err
	}
	return nil
}

// stood puts a batch, its chores and its machine back as they stood.
func (u undo) stood(ctx context.Context, tx *store.Tx) error {
	if u.Stand != nil {
		if err := tx.MoveBatch(ctx, *u.Stand); err != nil {
			return err
		}
	}
	if u.Chore != nil {
		if err := tx.MarkUndone(ctx, u.Chore.BatchID, u.Chore.Kind, u.Chore.Day); err != nil {
			return err
		}
	}
	if u.Counter != nil {
		if err := tx.StartCounter(ctx, u.Counter.Machine, u.Counter.Started); err != nil {
			return err
		}
	}
	if u.DropBatch != 0 {
		return tx.DropBatch(ctx, u.DropBatch)
	}
	return nil
}
