package farm

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/machine"
	"metrogon/core/method"
	"metrogon/core/readiness"
	"metrogon/core/wording"
	"metrogon/store"
)

// Round is daily work on a batch: how often, and how often it was done today.
type Round struct {
	BatchView
	method.Task
	Done  int
	Last  *time.Time
	Title string
}

// rounds lists today's daily work on the open batches.
func (w *Snapshot) rounds(open []BatchView, care []store.Care) (all []Round) {
	for _, v := range open {
		if v.Alive == 0 {
			continue
		}
		for _, task := range v.Method.Daily(v.Kind, v.Day, v.Setter.ByHand, v.LockedAt != nil) {
			r := Round{BatchView: v, Task: task, Title: taskTitle(task, v)}
			for _, c := range care {
				if c.BatchID != nil && *c.BatchID == v.ID && c.Kind == task.Kind && !c.At.Before(w.DayBegan()) {
					r.Done++
					r.Last = &c.At
				}
			}
			all = append(all, r)
		}
	}
	return
}

func taskTitle(t method.Task, v BatchView) string {
	switch t.Kind {
	case method.Turn:
		return fmt.Sprintf("Turn %s by hand", wording.Plural(v.Alive, "egg"))
	case method.Cool:
		return fmt.Sprintf("Cool %s", wording.Plural(v.Alive, "egg"))
	}
	return fmt.Sprintf("Mist %s", wording.Plural(v.Alive, "egg"))
}

var caredFor = map[string]string{method.Turn: "turned by hand", method.Cool: "cooled", method.Mist: "misted"}

// Care notes that a batch was turned, cooled or misted.
func (b *Service) Care(ctx context.Context, m *Member, key string, batchID int64, kind string) (Done, error) {
	return b.OnBatch(ctx, m, key, batchID, func(tx *Tx, batch store.Batch, _ map[int64]store.Egg) (Done, error) {
		_, v, err := tx.Viewed(ctx, batch)
		if err != nil {
			return Done{}, err
		}
		if !slices.ContainsFunc(v.Method.Daily(v.Kind, v.Day, v.Setter.ByHand, v.LockedAt != nil), func(t method.Task) bool { return t.Kind == kind }) {
			return Done{}, Problemf("kind", "%s does not need this now.", batch.Code)
		}
		return RecordCare(ctx, tx, store.Care{Kind: kind, BatchID: &batchID}, "%s %s.", batch.Code, caredFor[kind])
	})
}

// StepPrefix marks the care of a machine as a step of making it ready.
const StepPrefix = "ready:"

// Ready tells how far a machine is from taking eggs. A kind that is not known
// is an error.
func (w *Snapshot) Ready(x Machine, up store.Upkeep, running bool) (readiness.State, error) {
	kind, err := machine.Find(x.Kind)
	if err != nil {
		return readiness.State{}, err
	}
	ticked := map[string]time.Time{}
	var emptied time.Time
	for _, c := range up.Last {
		if step, ok := strings.CutPrefix(c.Kind, StepPrefix); ok && c.MachineID != nil && *c.MachineID == x.ID {
			ticked[step] = c.At
		}
	}
	for _, e := range up.Emptied {
		if e.MachineID == x.ID {
			emptied = e.At
		}
	}
	needed := time.Duration(w.Member.WarmHours) * time.Hour
	return readiness.Judge(kind, x.ByHand, ticked, emptied, running, needed, w.Now), nil
}

// HasEggs tells whether eggs of an open batch stand in a machine.
func HasEggs(open []BatchView, machineID int64) bool {
	return slices.ContainsFunc(open, func(v BatchView) bool { return v.Stands().ID == machineID && v.Alive > 0 })
}

// MadeReady notes steps of making a machine ready.
func (b *Service) MadeReady(ctx context.Context, m *Member, key string, machineID int64, steps ...string) (Done, error) {
	return b.Act(ctx, m, key, func(tx *Tx) (Done, error) {
		w, err := tx.Snapshot(ctx)
		if err != nil {
			return Done{}, err
		}
		x, ok := w.MachineByID[machineID]
		if !ok {
			return Done{}, ErrNone
		}
		kind, err := machine.Find(x.Kind)
		if err != nil {
			return Done{}, err
		}
		var ids []int64
		for _, done := range steps {
			step, err := kind.Step(done, x.ByHand)
			if err != nil {
				return Done{}, Problemf("step", "%s.", wording.Capital(err.Error()))
			}
			id, err := tx.AddCare(ctx, store.Care{Kind: StepPrefix + step.ID, MachineID: &machineID, At: w.Now}, m.PersonID)
			if err != nil {
				return Done{}, err
			}
			ids = append(ids, id)
		}
		if len(ids) == 0 {
			return Done{}, Problemf("step", "Mark what is done.")
		}
		return Record(ctx, tx, On("machine", machineID), Undo{DropCare.Of(ids)},
			"%s: %s of making ready done.", x.Name, wording.Plural(len(ids), "step"))
	})
}
