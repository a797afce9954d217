package farm

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"metrogon/store"
)

// Tx is one use case's transaction: the farm's records, who asks for what, and when it was done.
type Tx struct {
	*store.Tx
	Request
	At     time.Time
	memory *memory
	// still tells that nothing is changed in this transaction, and so, once read, the
	// version of the farm's eggs.
	still       bool
	seen        *Snapshot // the farm as it stands, once it was read
	version     int64
	versionRead bool
}

// Read runs a use case that changes nothing.
func (b *Service) Read(ctx context.Context, m *Member, work func(*Tx) error) error {
	return b.DB.Read(ctx, m.FarmID, func(tx *store.Tx) error {
		in := b.In(tx, Request{Member: m})
		in.still = true
		return work(in)
	})
}

// ReadOpen is Read on the farm as it stands, with the batches in its machines.
func (b *Service) ReadOpen(
	ctx context.Context, m *Member, work func(tx *Tx, w *Snapshot, open []BatchView) error,
) error {
	return b.Read(ctx, m, func(tx *Tx) error {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return err
		}
		open, err := w.OpenBatches(ctx, tx)
		if err != nil {
			return err
		}
		return work(tx, w, open)
	})
}

// Part is what a page shows of one room.
type Part func(ctx context.Context, tx *Tx, w *Snapshot, open []BatchView) error

// ReadParts reads the parts of a page, which see the farm of one moment.
func (b *Service) ReadParts(ctx context.Context, m *Member, parts ...Part) error {
	return b.ReadOpen(ctx, m, func(tx *Tx, w *Snapshot, open []BatchView) error {
		for _, part := range parts {
			if err := part(ctx, tx, w, open); err != nil {
				return err
			}
		}
		return nil
	})
}

// ForFile marks the reading that is done in a context as for a file: whoever waits for an archive, a sheet or a report
// takes his turn with others who do, and leaves pages their way.
func ForFile(ctx context.Context) context.Context { return store.As(ctx, store.Files) }

// Write runs work that changes something and has a key of its own kind.
func (b *Service) Write(ctx context.Context, m *Member, work func(*Tx) error) error {
	return b.DB.Write(ctx, m.FarmID, func(tx *store.Tx) error { return work(b.In(tx, Request{Member: m, Sure: true})) })
}

// In gives a transaction on the farm of whoever asks to a use case.
func (b *Service) In(tx *store.Tx, req Request) *Tx {
	return &Tx{Tx: tx, Request: req, At: b.Now(), memory: b.memory}
}

// Subject is what an action is about: its kind (package journal lists them) and its number.
type Subject = store.Subject

// Done says what an action did. Entry is its line in the journal if it can be
// taken back; Subject is what it made or changed.
type Done struct {
	Said    string
	Entry   int64
	Subject Subject
}

// Of is the number of what was made or changed, 0 if that is of another kind.
func (d Done) Of(kind string) int64 {
	if d.Subject.Kind != kind {
		return 0
	}
	return d.Subject.ID
}

// Act runs a use case that changes something: farm by farm one after the other, once
// for each key, and only for whoever has the right that it needs.
func (b *Service) Act(
	ctx context.Context, req Request, needs Right, work func(*Tx) (Done, error),
) (done Done, err error) {
	if err := req.Refuse(needs); err != nil {
		return done, err
	}
	if uuid.Validate(req.Key) != nil {
		return done, Problemf("key", "This form is broken; open the page again.")
	}
	err = b.DB.Write(ctx, req.FarmID, func(on *store.Tx) error {
		tx := b.In(on, req)
		before, err := tx.Claim(ctx, req.Key, req.Digest, tx.At)
		if err != nil {
			return err
		}
		if before != nil {
			if before.Digest != req.Digest {
				return Problemf("key", "This form was sent before with something else in it; open the page again.")
			}
			return json.Unmarshal([]byte(before.Answer), &done)
		}
		if !req.MadeAt.IsZero() {
			tx.At = b.Made(req.MadeAt)
		}
		if done, err = work(tx); err != nil {
			return err
		}
		answer, err := json.Marshal(done)
		if err != nil {
			return err
		}
		return tx.Answer(ctx, req.Key, string(answer))
	})
	if err != nil {
		done = Done{}
	}
	return done, checked(err)
}

// OnMachine runs an action on a machine of the farm.
func (b *Service) OnMachine(
	ctx context.Context, req Request, needs Right, id int64,
	work func(tx *Tx, x Machine) (Done, error),
) (Done, error) {
	return b.Act(ctx, req, needs, func(tx *Tx) (Done, error) {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return Done{}, err
		}
		x, ok := w.MachineByID[id]
		if !ok {
			return Done{}, ErrNone
		}
		return work(tx, x)
	})
}

// Ping tells whether the database answers.
func (b *Service) Ping(ctx context.Context) error { return b.DB.Ping(ctx) }
