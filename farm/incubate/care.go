package incubate

import (
	"context"
	"fmt"
	"slices"
	"time"

	"metrogon/core/machine"
	"metrogon/core/method"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Round is daily work on a batch: how often, and how often it was done today.
type Round struct {
	snapshot.BatchView
	method.Task
	Done  int
	Last  *time.Time
	Title string
}

// rounds lists today's daily work on the open batches.
func rounds(w *snapshot.Snapshot, open []snapshot.BatchView, care []store.Care) (all []Round) {
	for _, v := range open {
		if v.Alive == 0 || machine.Broody(v.Stands().Kind) {
			continue
		}
		for _, task := range v.Method.Daily(v.Kind, v.Day, v.Setter.ByHand, v.LockedAt != nil) {
			if task.Kind != method.Turn && sheltersOthers(w.OpenRead(), v) {
				task.Says = "Take its trays out for that: others stand in the same machine. " + task.Says
			}
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

// sheltersOthers tells whether eggs that are neither misted nor cooled stand beside a batch.
func sheltersOthers(open []snapshot.BatchView, v snapshot.BatchView) bool {
	return slices.ContainsFunc(open, func(o snapshot.BatchView) bool {
		return o.ID != v.ID && o.Alive > 0 && o.Stands().ID == v.Stands().ID && !o.Want(o.LockedAt != nil).Care
	})
}

func taskTitle(t method.Task, v snapshot.BatchView) string {
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
func (b *Service) Care(ctx context.Context, req farm.Request, batchID int64, kind string) (farm.Done, error) {
	return snapshot.OnBatch(ctx, b.Service, req, batchID,
		func(tx *farm.Tx, batch store.Batch, _ snapshot.Eggs) (farm.Done, error) {
			_, v, err := snapshot.Viewed(ctx, tx, batch)
			if err != nil {
				return farm.Done{}, err
			}
			if !slices.ContainsFunc(
				v.Method.Daily(v.Kind, v.Day, v.Setter.ByHand, v.LockedAt != nil),
				func(t method.Task) bool { return t.Kind == kind },
			) {
				return farm.Done{}, farm.Problemf("kind", "%s does not need this now.", batch.Code)
			}
			return journal.RecordCare(
				ctx, tx, store.Care{Kind: kind, BatchID: &batchID}, "%s %s.", batch.Code, caredFor[kind],
			)
		})
}
