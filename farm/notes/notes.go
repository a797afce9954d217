// Package notes keeps what was noticed of a machine or a batch and what happened to it, with its time and
// length, so that it can tell later why eggs fared as they did.
package notes

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Service holds the use cases.
type Service struct{ *farm.Service }

// Note is one of them.
type Note = store.Note

// Kind is what a note is about.
type Kind struct{ ID, Name string }

// Kinds are all of them.
var Kinds = []Kind{
	{"note", "Something noticed"}, {"lid", "Lid or door ajar"}, {"dry", "Water dry"}, {"cold", "Too cold"},
	{"hot", "Too hot"}, {"power", "Power cut"}, {"jolt", "Knocked or moved"},
}

// Name of a kind.
func Name(id string) string {
	if i := slices.IndexFunc(Kinds, func(k Kind) bool { return k.ID == id }); i >= 0 {
		return Kinds[i].Name
	}
	return id
}

const mostShown = 20

// OfMachine reads a machine's, the newest first.
func OfMachine(machineID int64, all *[]Note) snapshot.Part {
	return func(ctx context.Context, tx *farm.Tx, _ *snapshot.Snapshot, _ []snapshot.BatchView) (err error) {
		*all, err = tx.MachineNotes(ctx, machineID, mostShown)
		return err
	}
}

// Add keeps a note; its time is when it began, zero: now.
func (b *Service) Add(ctx context.Context, req farm.Request, n Note) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		of, about, err := subject(ctx, tx, n)
		if err != nil {
			return farm.Done{}, err
		}
		var p farm.Problems
		n.Says = p.Name("says", "The note", n.Says, 500, n.Kind == "note")
		if Name(n.Kind) == n.Kind {
			p.Addf("was", "Pick what it was.")
		}
		if n.Minutes != nil {
			p.Count("minutes", "The number of minutes", *n.Minutes, 1, 20160)
		}
		p.Temp(req.Units(), "worst", "The temperature", n.TempC, 0, 50)
		switch {
		case n.At.IsZero():
			n.At = tx.At
		case n.At.After(tx.At.Add(time.Minute)):
			p.Addf("when", "%s has not come yet; when did it begin?", req.Moment(n.At))
		case n.At.Before(tx.At.AddDate(-2, 0, 0)):
			p.Addf("when", "%s is long ago; it may be within two years.", req.Moment(n.At))
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		n.PersonID = &req.PersonID
		id, err := tx.AddNote(ctx, n)
		if err != nil {
			return farm.Done{}, err
		}
		return journal.Record(
			ctx, tx, about, journal.Undo{dropNote.Of(id)}, "%s: %s.", of, wording.Lower(Says(n, req.Member)),
		)
	})
}

// subject is what a note is of, by its name.
func subject(ctx context.Context, tx *farm.Tx, n Note) (of string, about journal.Subjects, err error) {
	if n.BatchID != nil {
		batch, err := tx.Batch(ctx, *n.BatchID)
		return batch.Code, journal.On(journal.Batch, batch.ID), err
	}
	w, err := snapshot.Of(ctx, tx)
	if err != nil {
		return "", nil, err
	}
	if n.MachineID == nil || w.MachineByID[*n.MachineID].ID == 0 {
		return "", nil, farm.ErrNone
	}
	x := w.MachineByID[*n.MachineID]
	return x.Name, journal.On(journal.Machine, x.ID), nil
}

// Says writes a note in one line.
func Says(n Note, m *farm.Member) string {
	says := Name(n.Kind)
	if n.Kind == "note" {
		says = n.Says
	}
	if n.Minutes != nil {
		says += ", " + lasted(*n.Minutes)
	}
	if n.TempC != nil {
		says += ", " + m.Units().Temp(*n.TempC)
	}
	if n.Kind != "note" && n.Says != "" {
		says += ": " + n.Says
	}
	return says
}

func lasted(minutes int) string {
	if minutes < 120 {
		return fmt.Sprintf("%d min", minutes)
	}
	return fmt.Sprintf("%.1f h", float64(minutes)/60)
}

var dropNote = journal.NewKind("note", func(ctx context.Context, tx *farm.Tx, id int64) error {
	return tx.DropNote(ctx, id)
})
