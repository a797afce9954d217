package farm

import (
	"context"
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/rates"
	"metrogon/core/season"
	"metrogon/core/species"
	"metrogon/store"
)

// barn is the farm as it stands: pens, machines and what is in them.
type barn struct {
	member   *Member
	now      time.Time
	pens     map[int64]Pen
	penList  []Pen
	machines map[int64]Machine
	list     []Machine
	rooms    map[int64]map[string]Room
}

func (b *Books) barn(ctx context.Context, tx *store.Tx, m *Member) (*barn, error) {
	w := &barn{member: m, now: b.Now(), pens: map[int64]Pen{}, machines: map[int64]Machine{}, rooms: map[int64]map[string]Room{}}
	var err error
	if w.penList, err = tx.Pens(ctx); err != nil {
		return nil, err
	}
	for _, p := range w.penList {
		w.pens[p.ID] = p
	}
	if w.list, err = tx.Machines(ctx); err != nil {
		return nil, err
	}
	for _, x := range w.list {
		w.machines[x.ID], w.rooms[x.ID] = x, map[string]Room{}
	}
	rooms, err := tx.Rooms(ctx)
	for _, r := range rooms {
		w.rooms[r.MachineID][r.Species] = r
	}
	return w, err
}

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

func (v BatchView) at(kind string) time.Time {
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

// view works a batch out. Its id and counts are joined by views.
func (w *barn) view(batch store.Batch) (BatchView, error) {
	kind, err := species.Find(batch.Species)
	if err != nil {
		return BatchView{}, err
	}
	plan := calendar.Batch{Species: kind, SetAt: batch.SetAt, Zone: w.member.Place, Counting: w.member.Counting(),
		StorageDays: batch.StorageDays, Bantam: batch.Bantam, ChoreAt: &w.member.Hour}
	if batch.TempC != nil {
		plan.TempC = *batch.TempC
	}
	v := BatchView{Batch: batch, Kind: kind, Now: w.now, Day: max(0, calendar.Elapsed(batch.SetAt, w.now)),
		Setter: w.machines[batch.SetterID], Hatcher: w.machines[batch.HatcherID]}
	if v.Milestones, err = calendar.Schedule(plan); err != nil {
		return v, err
	}
	v.HatchDay = v.Hatch().Day
	return v, nil
}

// views works out the batches that find returns, with their counts.
func (w *barn) views(ctx context.Context, tx *store.Tx, find func() ([]store.Batch, error)) ([]BatchView, error) {
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
		if all[i], err = w.view(x); err != nil {
			return nil, err
		}
		all[i].Tally = tallies[x.ID]
	}
	return all, nil
}

// keptShare of eggs set is expected to reach lockdown after candling [common
// practice]; once a batch was candled, its own count stands.
const keptShare = 0.85

// stays tells where a batch is when: in its setter until lockdown, in its
// hatcher until it is pulled. What is late takes room until now.
func (w *barn) stays(v BatchView) []season.Stay {
	alive := float64(v.Alive)
	if v.ClosedAt != nil {
		alive = float64(v.Eggs)
	}
	out := v.at(calendar.Pull)
	if v.ClosedAt != nil {
		out = *v.ClosedAt
	} else if out.Before(w.now) {
		out = w.now
	}
	stay := func(machine int64, phase season.Phase, from, to time.Time, eggs float64, room int) season.Stay {
		return season.Stay{BatchID: v.ID, Code: v.Code, MachineID: machine, Phase: phase, From: from, To: to, Eggs: eggs, Room: room}
	}
	if v.Kind.IsReptile() {
		return []season.Stay{stay(v.SetterID, season.Resting, v.SetAt, out, alive, w.rooms[v.SetterID][v.Species].Setting)}
	}
	shut := v.at(calendar.Lockdown)
	switch {
	case v.LockedAt != nil:
		shut = *v.LockedAt
	case v.ClosedAt != nil && v.ClosedAt.Before(shut):
		shut = *v.ClosedAt
	case v.ClosedAt == nil && shut.Before(w.now):
		shut = w.now
	}
	if out.Before(shut) {
		out = shut
	}
	reach := alive
	if v.CandledAt == nil && v.LockedAt == nil {
		reach *= keptShare
	}
	return []season.Stay{
		stay(v.SetterID, season.Turning, v.SetAt, shut, alive, w.rooms[v.SetterID][v.Species].Setting),
		stay(v.HatcherID, season.Locked, shut, out, reach, w.rooms[v.HatcherID][v.Species].Hatching),
	}
}

// Clash is a clash in words, with the cure where there is a plain one.
type Clash struct {
	season.Clash
	Machine Machine
	Says    string
}

// clashes lists those that are not over yet.
func (w *barn) clashes(stays []season.Stay) (all []Clash) {
	for _, c := range season.Clashes(stays) {
		if !c.To.After(w.now) {
			continue
		}
		machine := w.machines[c.Stay.MachineID]
		all = append(all, Clash{c, machine, c.Why(machine.Name, w.member.ShortDay)})
	}
	return
}

// ShortDay writes a moment's date on the farm.
func (m *Member) ShortDay(at time.Time) string { return at.In(m.Place).Format("Mon 2 Jan") }

// beliefs gives for each pen what is believed of its hatch of set: its own
// record on top of a weak start at the mean of its species on this farm (worth
// four eggs), or of Jeffreys' prior where the farm has no record of the species.
func (w *barn) beliefs(records []store.Record) map[int64]rates.Beta {
	set, hatched := map[string]int{}, map[string]int{}
	for _, r := range records {
		s := w.pens[r.PenID].Species
		set[s] += r.SetClosed
		hatched[s] += r.HatchedClosed
	}
	by := map[int64]rates.Beta{}
	for id, p := range w.pens {
		by[id] = rates.Jeffreys
		if n := set[p.Species]; n >= 20 {
			mean := (float64(hatched[p.Species]) + 0.5) / (float64(n) + 1)
			by[id] = rates.Beta{A: 4 * mean, B: 4 * (1 - mean)}
		}
	}
	for _, r := range records {
		by[r.PenID] = by[r.PenID].After(r.HatchedClosed, r.SetClosed)
	}
	return by
}

func number(f float64) string { return strconv.FormatFloat(math.Round(f*10)/10, 'f', -1, 64) }

func plural(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %ss", n, one)
}

func lower(s string) string { return strings.ToLower(s[:1]) + s[1:] }
