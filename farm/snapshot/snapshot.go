// Package snapshot is the farm as it stands in one transaction: pens, machines and
// figures of kinds (Snapshot), batches with their dates and counts (BatchView), which
// stands where when (placement.go), what each pen's eggs promise (beliefs.go) and did
// (rates.go). Each is worked out here alone; rooms and pages ask.
package snapshot

import (
	"cmp"
	"context"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/marks"
	"metrogon/core/method"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/store"
	"metrogon/store/breeders"
	"metrogon/store/people"
	seasonrows "metrogon/store/season"
	stockrows "metrogon/store/stock"
	"metrogon/store/upkeep"
)

// The farm's records as they are kept.
type (
	Pen     = store.Pen
	Machine = store.Machine
	Room    = store.Room
	Bird    = breeders.Bird
	Person  = people.Member
)

func CompareKinds(a, b *species.Profile) int {
	place := func(p *species.Profile) int {
		return slices.IndexFunc(species.All(), func(o *species.Profile) bool { return o.ID == cmp.Or(p.Like(), p.ID) })
	}
	return cmp.Or(place(a)-place(b), cmp.Compare(a.ID, b.ID))
}

// Snapshot is the farm as it stands: pens, machines and what is in them, and the
// farm's own way with each kind.
type Snapshot struct {
	Member      *farm.Member
	Now         time.Time
	PenByID     map[int64]Pen
	Pens        []Pen
	MachineByID map[int64]Machine
	Machines    []Machine
	Rooms       map[int64]map[string]Room
	Closures    []Closure                   // of machines, that are not over
	Kinds       map[string]*species.Profile // with the farm's own figures
	LookAhead   int                         // for how many days chores are asked for; 0: as many as Today shows
	methods     map[string]method.Method
	batches     []BatchView // once asked for
	kept        *upkeep.Upkeep
	season      *seasonrows.Season
	stock       []stockrows.Stock
	hatch       hatchRead
	parcels     struct {
		all  []ParcelView
		most int
	}
}

// daysAhead is how far ahead Today shows chores.
const daysAhead = 3

// Soon is the last calendar date of which chores are asked for.
func (w *Snapshot) Soon() time.Time {
	return w.Member.Date(w.Now).AddDate(0, 0, cmp.Or(w.LookAhead, daysAhead))
}

// OpenBatches are the batches in the machines; they are read once.
func (w *Snapshot) OpenBatches(ctx context.Context, tx *farm.Tx) (open []BatchView, err error) {
	if w.batches == nil {
		w.batches, err = w.Views(ctx, tx, func() ([]store.Batch, error) { return tx.OpenBatches(ctx) })
	}
	return w.batches, err
}

// Stock is what is in store by pen and lay day; it is read once.
func (w *Snapshot) Stock(ctx context.Context, tx *farm.Tx) (stock []stockrows.Stock, err error) {
	if w.stock == nil {
		w.stock, err = stockrows.On(tx).Stock(ctx, w.Now)
	}
	return w.stock, err
}

// OpenRead are the batches in the machines, once they were read.
func (w *Snapshot) OpenRead() []BatchView { return w.batches }

// Upkeep is what was cared for since the day began, and the places of storage; read once.
func (w *Snapshot) Upkeep(ctx context.Context, tx *farm.Tx) (upkeep.Upkeep, error) {
	if w.kept == nil {
		up, err := upkeep.On(tx).Upkeep(ctx, w.DayBegan(), w.Now)
		if err != nil {
			return up, err
		}
		w.kept = &up
	}
	return *w.kept, nil
}

// Of reads the farm as it stands; once where nothing is changed.
func Of(ctx context.Context, tx *farm.Tx) (*Snapshot, error) {
	return farm.Once(tx, snapshotKey{}, func() (*Snapshot, error) { return read(ctx, tx) })
}

type snapshotKey struct{}

func read(ctx context.Context, tx *farm.Tx) (*Snapshot, error) {
	all, err := tx.Setup(ctx, tx.Member.Date(tx.At))
	if err != nil {
		return nil, err
	}
	tx.EggsAre(all.EggsVersion)
	w := &Snapshot{
		Member: tx.Member, Now: tx.At, PenByID: map[int64]Pen{}, Pens: all.Pens, MachineByID: map[int64]Machine{},
		Machines: all.Machines, Rooms: map[int64]map[string]Room{}, methods: map[string]method.Method{},
		Closures: all.Closures,
	}
	for _, p := range all.Pens {
		w.PenByID[p.ID] = p
	}
	for _, x := range all.Machines {
		w.MachineByID[x.ID], w.Rooms[x.ID] = x, map[string]Room{}
	}
	for _, r := range all.Rooms {
		w.Rooms[r.MachineID][r.Species] = r
	}
	w.Kinds = kinds(tx.Member.Offered(), all.Figures)
	w.roomsLike()
	for _, x := range all.Methods {
		w.methods[x.Species] = method.Method{
			School: method.School(x.School), HandTurns: x.HandTurns, Washing: method.Washing(x.Washing),
			Mistings: x.Mistings, CoolMin: x.CoolMin, Late: method.Late(x.LateMist),
		}
	}
	return w, nil
}

// kinds are all species, with the farm's own figures.
func kinds(offered []*species.Profile, figures []store.Figure) map[string]*species.Profile {
	all := map[string]*species.Profile{}
	own := map[string][]species.Change{}
	for _, f := range figures {
		own[f.Species] = append(own[f.Species], species.Change{
			Figure: f.Figure, At: f.At, From: f.Low, To: f.High, Days: f.Days, Source: f.Source,
		})
	}
	for _, p := range offered {
		all[p.ID] = p
		if len(own[p.ID]) == 0 {
			continue
		}
		// A change that a later version of the shipped profile contradicts is
		// passed over, and shows as such where figures are changed.
		if mine, err := p.With(own[p.ID]); err == nil {
			all[p.ID] = mine
		}
	}
	return all
}

// Kind finds a species by its id or alias, with the farm's own figures.
func (w *Snapshot) Kind(id string) (*species.Profile, error) {
	p, err := species.Find(id)
	if err != nil {
		return nil, err
	}
	if mine := w.Kinds[p.ID]; mine != nil {
		return mine, nil
	}
	return p, nil // a kind of the farm's own that it has no more
}

// IsReptiles tells that a pen keeps reptiles: their eggs are clutches, and never in store.
func (w *Snapshot) IsReptiles(p Pen) bool {
	kind, err := w.Kind(p.Species)
	return err == nil && kind.IsReptile()
}

// roomsLike gives kinds of the farm's own the room of those that they are like, where a machine has none of
// their own.
func (w *Snapshot) roomsLike() {
	for _, id := range w.Member.OwnKinds {
		own := w.Kinds[id]
		for _, rooms := range w.Rooms {
			if r, there := rooms[own.Like()]; there && rooms[id].Species == "" {
				r.Species = id
				rooms[id] = r
			}
		}
	}
}

// MethodRow is a way with a kind as it is kept.
func MethodRow(species string, way method.Method) store.Method {
	return store.Method{
		Species: species, School: string(way.School), HandTurns: way.HandTurns, Washing: string(way.Washing),
		Mistings: way.Mistings, CoolMin: way.CoolMin, LateMist: string(way.Late),
	}
}

// WayRow is a way with a batch as it is kept.
func WayRow(way method.Method) store.Way {
	return store.Way{
		School: string(way.School), HandTurns: way.HandTurns, Mistings: way.Mistings, CoolMin: way.CoolMin,
		LateMist: string(way.Late),
	}
}

// WayOf is the way with a batch: its own, or where nobody chose one that of its kind.
func (w *Snapshot) WayOf(batch store.Batch) method.Method {
	of := w.Method(batch.Species)
	if batch.Way.School == "" {
		return of
	}
	return method.Method{
		School: method.School(batch.School), HandTurns: batch.HandTurns, Washing: of.Washing, Mistings: batch.Mistings,
		CoolMin: batch.CoolMin, Late: method.Late(batch.LateMist),
	}
}

// WayIn is the way with a kind in a machine, which may have a school of its own.
func (w *Snapshot) WayIn(species string, x Machine) method.Method {
	way := w.Method(species)
	if x.School != "" {
		way.School = method.School(x.School)
	}
	return way
}

// Method is the farm's way with a kind.
func (w *Snapshot) Method(id string) method.Method {
	if m, ok := w.methods[id]; ok {
		return m
	}
	return method.Default()
}

func (w *Snapshot) DayBegan() time.Time {
	return calendar.WallTime{}.On(w.Now, 0, w.Member.Place)
}

// Band is a pen's own, the same for good: by its place among the farm's pens in
// the order in which they were made.
func (w *Snapshot) Band(penID int64) marks.Band {
	n := 0
	for _, p := range w.Pens {
		if p.ID < penID {
			n++
		}
	}
	return marks.BandOf(n)
}
