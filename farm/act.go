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
	// still tells that nothing is changed in this transaction: what was read of the farm stays so.
	still bool
	read  map[any]any
	// version is of the farm's eggs, once it was read.
	version *int64
}

// Read runs a use case that changes nothing.
func (b *Service) Read(ctx context.Context, m *Member, work func(*Tx) error) error {
	return b.DB.Read(ctx, m.FarmID, func(tx *store.Tx) error {
		in := b.In(tx, Request{Member: m})
		in.still = true
		return work(in)
	})
}

// Once reads what a transaction reads again and again, if it changes nothing: the key is of a type of its own.
func Once[K comparable, V any](tx *Tx, key K, read func() (V, error)) (V, error) {
	if known, ok := tx.read[key].(V); ok && tx.still {
		return known, nil
	}
	found, err := read()
	if err == nil {
		if tx.read == nil {
			tx.read = map[any]any{}
		}
		tx.read[key] = found
	}
	return found, err
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

// Ping tells whether the database answers.
func (b *Service) Ping(ctx context.Context) error { return b.DB.Ping(ctx) }
