package snapshot

import (
	"context"
	"fmt"
	"math"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/machine"
	"metrogon/core/method"
	"metrogon/core/outcome"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/store"
)

// FateOf is how an egg ended; "" while it has not.
func FateOf(e store.Egg) outcome.Fate {
	if e.Fate == nil {
		return ""
	}
	return outcome.Fate(*e.Fate)
}

// Eggs are those of a batch, by id.
type Eggs map[int64]store.Egg

// OnBatch runs an action on an open batch, with its eggs by id, and afterwards
// brings up to date what is known of their fertility.
func OnBatch(
	ctx context.Context, b *farm.Service, req farm.Request, id int64,
	work func(tx *farm.Tx, batch store.Batch, eggs Eggs) (farm.Done, error),
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Helping, func(tx *farm.Tx) (farm.Done, error) {
		batch, err := tx.Batch(ctx, id)
		if err != nil {
			return farm.Done{}, err
		}
		if batch.ClosedAt != nil {
			return farm.Done{}, farm.Problemf("batch", "%s is closed; take the closing back first.", batch.Code)
		}
		all, err := tx.BatchEggs(ctx, id)
		if err != nil {
			return farm.Done{}, err
		}
		eggs := Eggs{}
		for _, e := range all {
			eggs[e.ID] = e
		}
		done, err := work(tx, batch, eggs)
		if err != nil {
			return done, err
		}
		return done, UpdateFertility(ctx, tx.Tx, id)
	})
}

// UpdateFertility keeps, egg by egg, what the calls and the hatch have told.
func UpdateFertility(ctx context.Context, tx *store.Tx, batchID int64) error {
	eggs, err := tx.BatchEggs(ctx, batchID)
	if err != nil {
		return err
	}
	ids, known := make([]int64, len(eggs)), make([]*bool, len(eggs))
	for i, e := range eggs {
		ids[i] = e.ID
		calls := make([]candling.Call, len(e.Calls))
		for j, c := range e.Calls {
			calls[j] = candling.Call(c)
		}
		if fertile, ok := candling.Fertile(
			calls, FateOf(e) == outcome.Hatched, OpenedAs(e.Fate, e.Stage, e.Opened),
		); ok {
			known[i] = &fertile
		}
	}
	return tx.SetFertile(ctx, ids, known)
}

// OpenedAs is what an egg showed on opening; "" if it was not opened.
func OpenedAs(fate, stage, opened *string) candling.Stage {
	switch {
	case opened != nil:
		return candling.Stage(*opened)
	case fate != nil && outcome.Fate(*fate) == outcome.Unhatched && stage != nil:
		return candling.Stage(*stage)
	}
	return ""
}

// Living checks that these eggs are still in the batch; none at all is a problem.
func Living(ids []int64, eggs Eggs) error {
	if len(ids) == 0 {
		return farm.Problemf("eggs", "Mark the eggs first.")
	}
	for _, id := range ids {
		e, ok := eggs[id]
		if !ok {
			return farm.ErrNone
		}
		if e.Fate != nil {
			return farm.Problemf("eggs", "Egg %d is %s already.", e.No, *e.Fate)
		}
	}
	return nil
}

// When is the moment at which something was done to a batch: the one that was told,
// since people write things down later, or, if none was, now.
func When(tx *farm.Tx, batch store.Batch, told time.Time) (time.Time, error) {
	now := tx.At
	switch {
	case told.IsZero():
		told = now
	case told.After(now.Add(time.Minute)):
		return told, farm.Problemf("when", "%s has not come yet; when was it done?", tx.Member.Moment(told))
	case told.After(now):
		told = now
	}
	if told.Before(batch.SetAt) {
		return told, farm.Problemf("when", "%s was not set before %s, so nothing was done to it %s.",
			batch.Code, tx.Member.Moment(batch.SetAt), tx.Member.Moment(told))
	}
	return told, nil
}

// Egg is one egg of a batch.
type Egg = store.Egg

// BatchView is a batch with all that follows from it.
type BatchView struct {
	store.Batch
	store.Tally
	Kind            *species.Profile
	Setter, Hatcher Machine
	Now             time.Time
	Day             float64 // elapsed days
	HatchDay        float64
	Milestones      []calendar.Milestone
	Method          method.Method
}

// Humidity is the range to hold now.
func (v BatchView) Humidity() species.Figure { return v.Method.Humidity(v.Kind, v.LockedAt != nil) }

// Air tells the temperature to hold where the batch stands, °C, and where it is
// measured.
func (v BatchView) Air() Air {
	c, where := method.Temperature(v.Kind, machine.WithoutFan(v.Stands().Kind), v.LockedAt != nil)
	return Air{c, where}
}

// Air is a temperature to hold.
type Air struct {
	TempC float64
	Where string
}

// LongPast tells that the usual time of the hatch was over two days ago or more, and
// nobody has told of a lockdown: whatever became of the eggs is not written down.
func (v BatchView) LongPast() bool {
	return v.Open() && v.LockedAt == nil && !v.Kind.IsReptile() && v.Alive > 0 && v.Now.After(
		v.Hatch().To.AddDate(0, 0, 2),
	)
}

// Milestone finds the first of a kind.
func (v BatchView) Milestone(kind string) (calendar.Milestone, bool) {
	for _, ms := range v.Milestones {
		if ms.Kind == kind {
			return ms, true
		}
	}
	return calendar.Milestone{}, false
}

// At is the moment of a milestone.
func (v BatchView) At(kind string) time.Time {
	ms, _ := v.Milestone(kind)
	return ms.At
}

// Hatch is the expected moment with its usual span.
func (v BatchView) Hatch() calendar.Milestone {
	ms, _ := v.Milestone(calendar.Hatch)
	return ms
}

// Open tells whether it is still in a machine.
func (v BatchView) Open() bool { return v.ClosedAt == nil }

// Hatching tells whether the time of pips and young has come.
func (v BatchView) Hatching() bool {
	pip, _ := v.Milestone(calendar.ExternalPip)
	return v.LockedAt != nil || !v.Now.Before(pip.From)
}

// Stands is the machine in which the batch is now.
func (v BatchView) Stands() Machine {
	if v.LockedAt != nil {
		return v.Hatcher
	}
	return v.Setter
}

// View works a batch out as it was planned; Views joins its counts.
func (w *Snapshot) View(batch store.Batch) (BatchView, error) { return w.view(batch, store.Tally{}) }

func (w *Snapshot) view(batch store.Batch, hatching store.Tally) (BatchView, error) {
	kind, err := w.Kind(batch.Species)
	if err != nil {
		return BatchView{}, err
	}
	if batch.CameAt.IsZero() { // it is not set yet
		batch.CameAt = batch.SetAt
	}
	plan := calendar.Batch{Species: kind, SetAt: batch.SetAt, Zone: w.Member.Place, Counting: w.Member.Counting(),
		StorageDays: batch.StorageDays, Bantam: batch.Bantam, ChoreAt: &w.Member.Hour,
		UnsureDays: batch.UnsureDays, LateH: batch.LateH}
	if batch.TempC != nil {
		plan.TempC = *batch.TempC
	}
	if batch.DueAt != nil {
		plan.Due = &species.Figure{
			At:   calendar.Elapsed(batch.SetAt, *batch.DueAt),
			From: calendar.Elapsed(batch.SetAt, *batch.DueFrom), To: calendar.Elapsed(batch.SetAt, *batch.DueTo),
		}
	}
	plan.OffsetC, plan.OffsetDays = warmBy(batch)
	if hatching.FirstOut != nil {
		plan.FirstOut = *hatching.FirstOut
	}
	if hatching.PippedAt != nil {
		plan.LastPip = *hatching.PippedAt
	}
	v := BatchView{Batch: batch, Tally: hatching, Kind: kind, Method: w.WayOf(batch), Now: w.Now, Day: max(
		0, calendar.Elapsed(batch.SetAt, w.Now),
	),
		Setter: w.MachineByID[batch.SetterID], Hatcher: w.MachineByID[batch.HatcherID]}
	if v.Milestones, err = calendar.Schedule(plan); err != nil {
		return v, err
	}
	plan.Leave(v.Milestones)
	v.HatchDay = v.Hatch().Day
	return v, nil
}

// mostWarmC is the most by which readings move a date: beyond it something else is wrong.
const mostWarmC = 2

// warmBy is by how much readings say that a batch was too warm, and over how many days; nothing where that is no more
// than instruments are sure of.
func warmBy(b store.Batch) (offsetC, days float64) {
	if b.OffsetC == nil || b.OffsetSure == nil || b.OffsetDays == nil || math.Abs(*b.OffsetC) <= *b.OffsetSure {
		return 0, 0
	}
	return max(-mostWarmC, min(mostWarmC, *b.OffsetC)), *b.OffsetDays
}

// Probed says how warm the batch was by its probes, and what follows; "" where nobody knows.
func (v BatchView) Probed(m *farm.Member) string {
	if v.OffsetC == nil || v.OffsetSure == nil || v.OffsetDays == nil {
		return ""
	}
	u := m.Units()
	says := fmt.Sprintf("%s ± %s beside what they want, over %.1f days", u.Difference(*v.OffsetC), u.Width(*v.OffsetSure),
		*v.OffsetDays)
	offset, days := warmBy(v.Batch)
	switch hours := math.Round(24 * calendar.EarlierDays(offset, days)); {
	case offset == 0:
		return says + ": no more than instruments are sure of"
	case hours > 0:
		return fmt.Sprintf("%s: %.0f h earlier, the dates allow for it", says, hours)
	case hours < 0:
		return fmt.Sprintf("%s: %.0f h later, the dates allow for it", says, -hours)
	}
	return says
}

// Viewed works a batch out, with the farm as it stands.
func Viewed(ctx context.Context, tx *farm.Tx, batch store.Batch) (*Snapshot, BatchView, error) {
	w, err := Of(ctx, tx)
	if err != nil {
		return nil, BatchView{}, err
	}
	v, err := w.View(batch)
	return w, v, err
}

// Tallied works a batch out with its counts.
func Tallied(ctx context.Context, tx *farm.Tx, batch store.Batch) (BatchView, error) {
	w, err := Of(ctx, tx)
	if err != nil {
		return BatchView{}, err
	}
	all, err := w.Views(ctx, tx, func() ([]store.Batch, error) { return []store.Batch{batch}, nil })
	if err != nil {
		return BatchView{}, err
	}
	return all[0], nil
}

// Views works out the batches that find returns, with their counts.
func (w *Snapshot) Views(ctx context.Context, tx *farm.Tx, find func() ([]store.Batch, error)) ([]BatchView, error) {
	batches, err := find()
	if err != nil {
		return nil, err
	}
	ids := make([]int64, len(batches))
	for i, x := range batches {
		ids[i] = x.ID
	}
	tallies, err := tx.Tallies(ctx, ids)
	if err != nil {
		return nil, err
	}
	all := make([]BatchView, len(batches))
	for i, x := range batches {
		if all[i], err = w.view(x, tallies[x.ID]); err != nil {
			return nil, err
		}
	}
	return all, nil
}
