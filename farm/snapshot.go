package farm

import (
	"context"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/machine"
	"metrogon/core/method"
	"metrogon/core/outcome"
	"metrogon/core/rates"
	"metrogon/core/season"
	"metrogon/core/species"
	"metrogon/core/storage"
	"metrogon/store"
)

// Snapshot is the farm as it stands: pens, machines and what is in them, and the
// farm's own way with each kind.
type Snapshot struct {
	Member      *Member
	Now         time.Time
	PenByID     map[int64]Pen
	Pens        []Pen
	MachineByID map[int64]Machine
	Machines    []Machine
	Rooms       map[int64]map[string]Room
	Kinds       map[string]*species.Profile // with the farm's own figures
	methods     map[string]method.Method
	batches     []BatchView // once asked for
	kept        *store.Upkeep
}

// Open are the batches in the machines; they are read once.
func (w *Snapshot) Open(ctx context.Context, tx *Tx) (open []BatchView, err error) {
	if w.batches == nil {
		w.batches, err = w.Views(ctx, tx, func() ([]store.Batch, error) { return tx.OpenBatches(ctx) })
	}
	return w.batches, err
}

// Upkeep is what was cared for since the day began, and the places of storage; read once.
func (w *Snapshot) Upkeep(ctx context.Context, tx *Tx) (store.Upkeep, error) {
	if w.kept == nil {
		up, err := tx.Upkeep(ctx, w.DayBegan(), w.Now)
		if err != nil {
			return up, err
		}
		w.kept = &up
	}
	return *w.kept, nil
}

func (tx *Tx) Snapshot(ctx context.Context) (*Snapshot, error) {
	all, err := tx.Setup(ctx)
	if err != nil {
		return nil, err
	}
	w := &Snapshot{Member: tx.Member, Now: tx.At, PenByID: map[int64]Pen{}, Pens: all.Pens, MachineByID: map[int64]Machine{}, Machines: all.Machines,
		Rooms: map[int64]map[string]Room{}, Kinds: map[string]*species.Profile{}, methods: map[string]method.Method{}}
	for _, p := range all.Pens {
		w.PenByID[p.ID] = p
	}
	for _, x := range all.Machines {
		w.MachineByID[x.ID], w.Rooms[x.ID] = x, map[string]Room{}
	}
	for _, r := range all.Rooms {
		w.Rooms[r.MachineID][r.Species] = r
	}
	own := map[string][]species.Change{}
	for _, f := range all.Figures {
		own[f.Species] = append(own[f.Species], species.Change{Figure: f.Figure, At: f.At, From: f.Low, To: f.High, Days: f.Days})
	}
	for _, p := range species.All() {
		w.Kinds[p.ID] = p
		if len(own[p.ID]) == 0 {
			continue
		}
		// A change that a later version of the shipped profile contradicts is
		// passed over, and shows as such where figures are changed.
		if mine, err := p.With(own[p.ID]); err == nil {
			w.Kinds[p.ID] = mine
		}
	}
	for _, x := range all.Methods {
		w.methods[x.Species] = method.Method{School: method.School(x.School), HandTurns: x.HandTurns, Washing: method.Washing(x.Washing), Mistings: x.Mistings, CoolMin: x.CoolMin}
	}
	return w, nil
}

// Kind finds a species by its id or alias, with the farm's own figures.
func (w *Snapshot) Kind(id string) (*species.Profile, error) {
	p, err := species.Find(id)
	if err != nil {
		return nil, err
	}
	return w.Kinds[p.ID], nil
}

// Method is the farm's way with a kind.
func (w *Snapshot) Method(id string) method.Method {
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

// View works a batch out. Its id and counts are joined by views.
func (w *Snapshot) View(batch store.Batch) (BatchView, error) {
	kind, err := w.Kind(batch.Species)
	if err != nil {
		return BatchView{}, err
	}
	plan := calendar.Batch{Species: kind, SetAt: batch.SetAt, Zone: w.Member.Place, Counting: w.Member.Counting(),
		StorageDays: batch.StorageDays, Bantam: batch.Bantam, ChoreAt: &w.Member.Hour}
	if batch.TempC != nil {
		plan.TempC = *batch.TempC
	}
	v := BatchView{Batch: batch, Kind: kind, Method: w.Method(kind.ID), Now: w.Now, Day: max(0, calendar.Elapsed(batch.SetAt, w.Now)),
		Setter: w.MachineByID[batch.SetterID], Hatcher: w.MachineByID[batch.HatcherID]}
	if v.Milestones, err = calendar.Schedule(plan); err != nil {
		return v, err
	}
	v.HatchDay = v.Hatch().Day
	return v, nil
}

// Viewed works a batch out, with the farm as it stands.
func (tx *Tx) Viewed(ctx context.Context, batch store.Batch) (*Snapshot, BatchView, error) {
	w, err := tx.Snapshot(ctx)
	if err != nil {
		return nil, BatchView{}, err
	}
	v, err := w.View(batch)
	return w, v, err
}

// Views works out the batches that find returns, with their counts.
func (w *Snapshot) Views(ctx context.Context, tx *Tx, find func() ([]store.Batch, error)) ([]BatchView, error) {
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
		if all[i], err = w.View(x); err != nil {
			return nil, err
		}
		all[i].Tally = tallies[x.ID]
	}
	return all, nil
}

// keptShare of eggs set is expected to reach lockdown after candling [common
// practice]; once a batch was candled, its own count stands.
const KeptShare = 0.85

// stillThere is until when a batch stands where it was put last: as planned, but
// what is late stands there until somebody says otherwise, for a day more at least.
func (w *Snapshot) stillThere(planned time.Time) time.Time {
	if planned.After(w.Now) {
		return planned
	}
	return w.Now.Add(calendar.Day)
}

// Stays tells where a batch is when: in its setter until lockdown, in its
// hatcher until it is pulled.
func (w *Snapshot) Stays(v BatchView) []season.Stay {
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
		return []season.Stay{stay(v.SetterID, season.Resting, v.SetAt, out, alive, w.Rooms[v.SetterID][v.Species].Setting)}
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
		reach *= KeptShare
	}
	return []season.Stay{
		stay(v.SetterID, season.Turning, v.SetAt, shut, alive, w.Rooms[v.SetterID][v.Species].Setting),
		stay(v.HatcherID, season.Locked, shut, out, reach, w.Rooms[v.HatcherID][v.Species].Hatching),
	}
}

// Clash is a clash in words, with the cure where there is a plain one.
type Clash struct {
	season.Clash
	Machine Machine
	Says    string
}

// Clashes lists those that are not over yet.
func (w *Snapshot) Clashes(stays []season.Stay) (all []Clash) {
	for _, c := range season.Clashes(stays) {
		if !c.To.After(w.Now) {
			continue
		}
		machine := w.MachineByID[c.Stay.MachineID]
		all = append(all, Clash{c, machine, c.Why(machine.Name, w.Member.ShortDay)})
	}
	return
}

// ShortDay writes a moment's date on the farm.
func (m *Member) ShortDay(at time.Time) string { return at.In(m.Place).Format("Mon 2 Jan") }

// Beliefs are what is believed of the eggs of each pen, and what waiting
// leaves of them.
type Beliefs struct {
	Young  map[int64]rates.Beta // share of young of a fresh egg set, by pen
	curves map[string]storage.Curve
}

// Keeps is the share of a fresh egg's hatch that is left at an age in days.
func (x Beliefs) Keeps(kind *species.Profile, age int) float64 {
	if c, ok := x.curves[kind.ID]; ok {
		return c.Relative(float64(age))
	}
	return storage.Relative(kind, float64(age))
}

// AgeRecords are what eggs of one kind did by the days that they had waited.
type AgeRecords struct {
	rows   []store.AgeRecord
	groups map[GroupKey]store.Group
}

type GroupKey struct {
	PenID, BatchID int64
	Trial          bool
}

func GroupsByKey(groups []store.Group) map[GroupKey]store.Group {
	by := map[GroupKey]store.Group{}
	for _, g := range groups {
		by[GroupKey{g.PenID, g.BatchID, g.Trial}] = g
	}
	return by
}

func ReadAges(ctx context.Context, tx *Tx, species string) (r AgeRecords, err error) {
	rows, groups, err := tx.RecordsByAge(ctx, species)
	return AgeRecords{rows, GroupsByKey(groups)}, err
}

// part is a row with the group that it belongs to, if there is one.
func (r AgeRecords) part(row store.AgeRecord) outcome.Part {
	g := r.groups[GroupKey{row.PenID, row.BatchID, false}]
	return outcome.Part{Eggs: row.Set, Hatched: row.Hatched, Counted: row.Counted, Of: GroupOf(g)}
}

// Beliefs come from the farm's records: of each pen its own on top of a
// weak start at the mean of its species on this farm (worth four eggs), or of
// Jeffreys' prior where the farm has no record of the species. An egg that was
// set old counts as the part of a fresh one that waiting left of it. Bought eggs
// have a start of their own, since about half of the hatch of home eggs is
// normal for them [common practice].
func (w *Snapshot) Beliefs(records AgeRecords) Beliefs {
	x := Beliefs{map[int64]rates.Beta{}, map[string]storage.Curve{}}
	type source struct {
		species  string
		supplier bool
	}
	set, hatched := map[source]float64{}, map[source]float64{}
	of := func(penID int64) source { return source{w.PenByID[penID].Species, w.PenByID[penID].Supplier} }
	for _, r := range records.rows {
		kind, ok := w.Kinds[w.PenByID[r.PenID].Species]
		if !ok {
			continue
		}
		if _, ok := x.curves[kind.ID]; !ok {
			own, _ := w.OwnByAge(records, kind.ID)
			x.curves[kind.ID] = storage.Blend(kind, own)
		}
		young, _ := records.part(r).Share()
		set[of(r.PenID)] += float64(r.Set) * x.Keeps(kind, r.Age)
		hatched[of(r.PenID)] += young
	}
	mean := func(s source) (float64, bool) {
		return (hatched[s] + .5) / (max(set[s], hatched[s]) + 1), set[s] >= 20
	}
	for id := range w.PenByID {
		s := of(id)
		x.Young[id] = rates.Jeffreys
		m, known := mean(s)
		if !known && s.supplier {
			if m, known = mean(source{s.species, false}); known {
				m /= 2
			}
		}
		if known {
			x.Young[id] = rates.Beta{A: 4 * m, B: 4 * (1 - m)}
		}
	}
	for _, r := range records.rows {
		b, kind := x.Young[r.PenID], w.Kinds[w.PenByID[r.PenID].Species]
		if kind == nil {
			continue
		}
		young, _ := records.part(r).Share()
		x.Young[r.PenID] = rates.Beta{A: b.A + young, B: b.B + max(0, float64(r.Set)*x.Keeps(kind, r.Age)-young)}
	}
	return x
}

// Expect is how many young eggs of a pen and age should give.
func (x Beliefs) Expect(kind *species.Profile, penID int64, age, eggs int) float64 {
	return float64(eggs) * x.Young[penID].Mean() * x.Keeps(kind, age)
}
