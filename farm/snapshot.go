package farm

import (
	"context"
	"fmt"
	"strings"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/machine"
	"metrogon/core/method"
	"metrogon/core/outcome"
	"metrogon/core/rates"
	"metrogon/core/season"
	"metrogon/core/species"
	"metrogon/core/storage"
	"metrogon/core/units"
	"metrogon/store"
)

// Snapshot is the farm as it stands: pens, machines and what is in them, and the
// farm's own way with each kind.
type Snapshot struct {
	member   *Member
	now      time.Time
	pens     map[int64]Pen
	penList  []Pen
	machines map[int64]Machine
	list     []Machine
	rooms    map[int64]map[string]Room
	kinds    map[string]*species.Profile // with the farm's own figures
	methods  map[string]method.Method
	open     []BatchView // once asked for
	kept     *store.Upkeep
}

// openBatches are the batches in the machines; they are read once.
func (w *Snapshot) openBatches(ctx context.Context, tx *Tx) (open []BatchView, err error) {
	if w.open == nil {
		w.open, err = w.views(ctx, tx, func() ([]store.Batch, error) { return tx.OpenBatches(ctx) })
	}
	return w.open, err
}

// upkeep is what was cared for since the day began, and the places of storage; read once.
func (w *Snapshot) upkeep(ctx context.Context, tx *Tx) (store.Upkeep, error) {
	if w.kept == nil {
		up, err := tx.Upkeep(ctx, w.dayBegan(), w.now)
		if err != nil {
			return up, err
		}
		w.kept = &up
	}
	return *w.kept, nil
}

func (tx *Tx) snapshot(ctx context.Context) (*Snapshot, error) {
	all, err := tx.Barn(ctx)
	if err != nil {
		return nil, err
	}
	w := &Snapshot{member: tx.Member, now: tx.At, pens: map[int64]Pen{}, penList: all.Pens, machines: map[int64]Machine{}, list: all.Machines,
		rooms: map[int64]map[string]Room{}, kinds: map[string]*species.Profile{}, methods: map[string]method.Method{}}
	for _, p := range all.Pens {
		w.pens[p.ID] = p
	}
	for _, x := range all.Machines {
		w.machines[x.ID], w.rooms[x.ID] = x, map[string]Room{}
	}
	for _, r := range all.Rooms {
		w.rooms[r.MachineID][r.Species] = r
	}
	own := map[string][]species.Change{}
	for _, f := range all.Figures {
		own[f.Species] = append(own[f.Species], species.Change{Figure: f.Figure, At: f.At, From: f.Low, To: f.High, Days: f.Days})
	}
	for _, p := range species.All() {
		w.kinds[p.ID] = p
		if len(own[p.ID]) == 0 {
			continue
		}
		// A change that a later version of the shipped profile contradicts is
		// passed over, and shows as such where figures are changed.
		if mine, err := p.With(own[p.ID]); err == nil {
			w.kinds[p.ID] = mine
		}
	}
	for _, x := range all.Methods {
		w.methods[x.Species] = method.Method{School: method.School(x.School), HandTurns: x.HandTurns, Washing: method.Washing(x.Washing), Mistings: x.Mistings, CoolMin: x.CoolMin}
	}
	return w, nil
}

// kind finds a species by its id or alias, with the farm's own figures.
func (w *Snapshot) kind(id string) (*species.Profile, error) {
	p, err := species.Find(id)
	if err != nil {
		return nil, err
	}
	return w.kinds[p.ID], nil
}

// method is the farm's way with a kind.
func (w *Snapshot) method(id string) method.Method {
	if m, ok := w.methods[id]; ok {
		return m
	}
	return method.Default()
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
	Method          method.Method
}

// Humidity is the range to hold now.
func (v BatchView) Humidity() species.Figure { return v.Method.Humidity(v.Kind, v.LockedAt != nil) }

// Air tells the temperature to hold where the batch stands, °C, and where it is
// measured.
func (v BatchView) Air() Air {
	c, where := method.Temperature(v.Kind, v.Stands().Kind == string(machine.StillAir))
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
	return v.Open() && v.LockedAt == nil && !v.Kind.IsReptile() && v.Alive > 0 && v.Now.After(v.Hatch().To.AddDate(0, 0, 2))
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
func (w *Snapshot) view(batch store.Batch) (BatchView, error) {
	kind, err := w.kind(batch.Species)
	if err != nil {
		return BatchView{}, err
	}
	plan := calendar.Batch{Species: kind, SetAt: batch.SetAt, Zone: w.member.Place, Counting: w.member.Counting(),
		StorageDays: batch.StorageDays, Bantam: batch.Bantam, ChoreAt: &w.member.Hour}
	if batch.TempC != nil {
		plan.TempC = *batch.TempC
	}
	v := BatchView{Batch: batch, Kind: kind, Method: w.method(kind.ID), Now: w.now, Day: max(0, calendar.Elapsed(batch.SetAt, w.now)),
		Setter: w.machines[batch.SetterID], Hatcher: w.machines[batch.HatcherID]}
	if v.Milestones, err = calendar.Schedule(plan); err != nil {
		return v, err
	}
	v.HatchDay = v.Hatch().Day
	return v, nil
}

// viewed works a batch out, with the farm as it stands.
func (tx *Tx) viewed(ctx context.Context, batch store.Batch) (*Snapshot, BatchView, error) {
	w, err := tx.snapshot(ctx)
	if err != nil {
		return nil, BatchView{}, err
	}
	v, err := w.view(batch)
	return w, v, err
}

// views works out the batches that find returns, with their counts.
func (w *Snapshot) views(ctx context.Context, tx *Tx, find func() ([]store.Batch, error)) ([]BatchView, error) {
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

// stillThere is until when a batch stands where it was put last: as planned, but
// what is late stands there until somebody says otherwise, for a day more at least.
func (w *Snapshot) stillThere(planned time.Time) time.Time {
	if planned.After(w.now) {
		return planned
	}
	return w.now.Add(calendar.Day)
}

// stays tells where a batch is when: in its setter until lockdown, in its
// hatcher until it is pulled.
func (w *Snapshot) stays(v BatchView) []season.Stay {
	alive := float64(v.Alive)
	if v.ClosedAt != nil {
		alive = float64(v.Eggs)
	}
	out := w.stillThere(v.at(calendar.Pull))
	if v.ClosedAt != nil {
		out = *v.ClosedAt
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
	case v.ClosedAt == nil:
		shut = w.stillThere(shut)
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
func (w *Snapshot) clashes(stays []season.Stay) (all []Clash) {
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

// expectations are what is believed of the eggs of each pen, and what waiting
// leaves of them.
type expectations struct {
	young  map[int64]rates.Beta // share of young of a fresh egg set, by pen
	curves map[string]storage.Curve
}

// keeps is the share of a fresh egg's hatch that is left at an age in days.
func (x expectations) keeps(kind *species.Profile, age int) float64 {
	if c, ok := x.curves[kind.ID]; ok {
		return c.Relative(float64(age))
	}
	return storage.Relative(kind, float64(age))
}

// ageRecords are what eggs of one kind did by the days that they had waited.
type ageRecords struct {
	rows   []store.AgeRecord
	groups map[groupKey]store.Group
}

type groupKey struct {
	pen, batch int64
	trial      bool
}

func byKey(groups []store.Group) map[groupKey]store.Group {
	by := map[groupKey]store.Group{}
	for _, g := range groups {
		by[groupKey{g.PenID, g.BatchID, g.Trial}] = g
	}
	return by
}

func readAges(ctx context.Context, tx *Tx, species string) (r ageRecords, err error) {
	rows, groups, err := tx.RecordsByAge(ctx, species)
	return ageRecords{rows, byKey(groups)}, err
}

// part is a row with the group that it belongs to, if there is one.
func (r ageRecords) part(row store.AgeRecord) outcome.Part {
	g := r.groups[groupKey{row.PenID, row.BatchID, false}]
	return outcome.Part{Eggs: row.Set, Hatched: row.Hatched, Counted: row.Counted, Of: groupOf(g)}
}

// expectations come from the farm's records: of each pen its own on top of a
// weak start at the mean of its species on this farm (worth four eggs), or of
// Jeffreys' prior where the farm has no record of the species. An egg that was
// set old counts as the part of a fresh one that waiting left of it. Bought eggs
// have a start of their own, since about half of the hatch of home eggs is
// normal for them [common practice].
func (w *Snapshot) expectations(records ageRecords) expectations {
	x := expectations{map[int64]rates.Beta{}, map[string]storage.Curve{}}
	type source struct {
		species  string
		supplier bool
	}
	set, hatched := map[source]float64{}, map[source]float64{}
	of := func(penID int64) source { return source{w.pens[penID].Species, w.pens[penID].Supplier} }
	for _, r := range records.rows {
		kind, ok := w.kinds[w.pens[r.PenID].Species]
		if !ok {
			continue
		}
		if _, ok := x.curves[kind.ID]; !ok {
			own, _ := w.ownByAge(records, kind.ID)
			x.curves[kind.ID] = storage.Blend(kind, own)
		}
		young, _ := records.part(r).Share()
		set[of(r.PenID)] += float64(r.Set) * x.keeps(kind, r.Age)
		hatched[of(r.PenID)] += young
	}
	mean := func(s source) (float64, bool) {
		return (hatched[s] + .5) / (max(set[s], hatched[s]) + 1), set[s] >= 20
	}
	for id := range w.pens {
		s := of(id)
		x.young[id] = rates.Jeffreys
		m, known := mean(s)
		if !known && s.supplier {
			if m, known = mean(source{s.species, false}); known {
				m /= 2
			}
		}
		if known {
			x.young[id] = rates.Beta{A: 4 * m, B: 4 * (1 - m)}
		}
	}
	for _, r := range records.rows {
		b, kind := x.young[r.PenID], w.kinds[w.pens[r.PenID].Species]
		if kind == nil {
			continue
		}
		young, _ := records.part(r).Share()
		x.young[r.PenID] = rates.Beta{A: b.A + young, B: b.B + max(0, float64(r.Set)*x.keeps(kind, r.Age)-young)}
	}
	return x
}

// expect is how many young eggs of a pen and age should give.
func (x expectations) expect(kind *species.Profile, penID int64, age, eggs int) float64 {
	return float64(eggs) * x.young[penID].Mean() * x.keeps(kind, age)
}

func number(f float64) string { return units.Number(f) }

func plural(n int, one string) string {
	if n == 1 || one == "young" {
		return fmt.Sprintf("%d %s", n, one)
	}
	return fmt.Sprintf("%d %ss", n, one)
}

func lower(s string) string { return strings.ToLower(s[:1]) + s[1:] }
