package journal

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"metrogon/farm"
)

// Undo is what an action did, step by step in that order. It is kept with the line in
// the journal and taken back in the reverse order. An action that cannot be taken
// back has none.
type Undo []Step

// Step is one thing that an action did, of a Kind.
type Step struct {
	Kind string `json:"kind"`
	Of   any    `json:"of"` // what is needed to take it back
}

// Kind is a kind of step, with how it is taken back.
type Kind[T any] struct{ name string }

// Of is a step of the kind.
func (k Kind[T]) Of(what T) Step { return Step{k.name, what} }

type takenBack func(ctx context.Context, tx *farm.Tx, of json.RawMessage) error

var kinds = map[string]takenBack{}

// NewKind makes a kind of step known, under a name that stays for good: it stands in
// the journal. A room makes its own as package variables.
func NewKind[T any](name string, back func(ctx context.Context, tx *farm.Tx, of T) error) Kind[T] {
	if kinds[name] != nil {
		panic("two kinds of undo step are named " + name)
	}
	kinds[name] = func(ctx context.Context, tx *farm.Tx, raw json.RawMessage) error {
		var of T
		if err := json.Unmarshal(raw, &of); err != nil {
			return fmt.Errorf("undo step %s: %w", name, err)
		}
		return back(ctx, tx, of)
	}
	return Kind[T]{name}
}

type writtenStep struct {
	Kind string
	Of   json.RawMessage
}

// takeBack takes back the steps of a line, the last one first.
func takeBack(ctx context.Context, tx *farm.Tx, undo json.RawMessage) error {
	steps, err := readSteps(undo)
	if err != nil {
		return err
	}
	for _, step := range slices.Backward(steps) {
		back := kinds[step.Kind]
		if back == nil {
			return fmt.Errorf("undo step %q is of no known kind", step.Kind)
		}
		if err := back(ctx, tx, step.Of); err != nil {
			return err
		}
	}
	return nil
}

// firstOrder is the order of steps in lines of the first form, an object with one field
// for each kind; the last one is taken back first.
var firstOrder = []string{
	"drop_batch", "counter", "chore", "stand", "revive", "unsettle", "young", "calls", "response", "weighing", "opened",
	"lies", "care", "put_back", "off_trial", "collections", "drop_parcel", "parcel",
}

// readSteps reads the undo of a line, in the present form or the first one.
func readSteps(undo json.RawMessage) (steps []writtenStep, err error) {
	if bytes.HasPrefix(bytes.TrimSpace(undo), []byte("[")) {
		err = json.Unmarshal(undo, &steps)
		return steps, err
	}
	var fields map[string]json.RawMessage
	if err := json.Unmarshal(undo, &fields); err != nil {
		return nil, err
	}
	for _, kind := range firstOrder {
		if of, ok := fields[kind]; ok {
			steps = append(steps, writtenStep{kind, of})
			delete(fields, kind)
		}
	}
	for kind := range fields {
		return nil, fmt.Errorf("undo step %q is of no known kind", kind)
	}
	return steps, nil
}
