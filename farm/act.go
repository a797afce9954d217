package farm

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"metrogon/store"
)

// Tx is one use case's transaction: the farm's records, who is at work, and when.
type Tx struct {
	*store.Tx
	Member *Member
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
		in := b.In(tx, m)
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
	return b.DB.Write(ctx, m.FarmID, func(tx *store.Tx) error { return work(b.In(tx, m)) })
}

// In gives a transaction on the member's farm to a use case.
func (b *Service) In(tx *store.Tx, m *Member) *Tx {
	return &Tx{Tx: tx, Member: m, At: b.Now(), memory: b.memory}
}

// Done says what an action did. Entry is its line in the journal if it can be
// taken back.
type Done struct {
	Said    string
	Entry   int64
	BatchID int64
}

type askedKey struct{}

// Asked keeps in a context what a request asks for, so that its idempotency key
// stands for this alone.
func Asked(ctx context.Context, what string) context.Context {
	sum := sha256.Sum256([]byte(what))
	return context.WithValue(ctx, askedKey{}, hex.EncodeToString(sum[:]))
}

type madeKey struct{}

// MadeAt keeps in a context when something was done that is only sent now.
func MadeAt(ctx context.Context, at time.Time) context.Context {
	return context.WithValue(ctx, madeKey{}, at)
}

// Act runs a use case that changes something: farm by farm one after the other, once
// for each key, and only for whoever has the right that it needs.
func (b *Service) Act(
	ctx context.Context, m *Member, needs Right, key string, work func(*Tx) (Done, error),
) (done Done, err error) {
	if err := m.Refuse(needs); err != nil {
		return done, err
	}
	if uuid.Validate(key) != nil {
		return done, Problemf("key", "This form is broken; open the page again.")
	}
	digest, _ := ctx.Value(askedKey{}).(string)
	err = b.Write(ctx, m, func(tx *Tx) error {
		before, err := tx.Claim(ctx, key, digest, tx.At)
		if err != nil {
			return err
		}
		if before != nil {
			if before.Digest != digest {
				return Problemf("key", "This form was sent before with something else in it; open the page again.")
			}
			return json.Unmarshal([]byte(before.Answer), &done)
		}
		if made, ok := ctx.Value(madeKey{}).(time.Time); ok {
			tx.At = b.Made(made)
		}
		if done, err = work(tx); err != nil {
			return err
		}
		answer, err := json.Marshal(done)
		if err != nil {
			return err
		}
		return tx.Answer(ctx, key, string(answer))
	})
	if err != nil {
		done = Done{}
	}
	return done, checked(err)
}

// OnMachine runs an action on a machine of the farm.
func (b *Service) OnMachine(
	ctx context.Context, m *Member, needs Right, key string, id int64,
	work func(tx *Tx, x Machine) (Done, error),
) (Done, error) {
	return b.Act(ctx, m, needs, key, func(tx *Tx) (Done, error) {
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

// NewKey makes an idempotency key for a form.
func NewKey() string { return uuid.NewString() }
