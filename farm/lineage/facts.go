package lineage

import (
	"context"
	"maps"
	"slices"
	"time"

	"metrogon/core/breeding"
	"metrogon/core/outcome"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/store/breeders"
)

// Fact is the eggs of one pen in one batch that share all by which rates are told apart, with
// what follows of it.
type Fact struct {
	breeders.Fact
	Batch *breeders.BatchFacts
	SetOn time.Time     // the day of setting
	Age   int           // days that they had waited then
	Sire  breeding.Sire // who can have sired them
	Dam   int64         // the hen, where she is a bird with a name; 0: not known
}

// Facts are all eggs that were ever set, the oldest batches first.
type Facts struct {
	ByKind  map[string][]*Fact // by species, but for those on trial
	Eggs    map[string]int     // set, by species
	Batches []breeders.BatchFacts
	SetOn   map[int64]time.Time // by batch
	Ledger  snapshot.Ledger
	Flock   Flock
	whole   map[snapshot.GroupKey]cell
}

// cell is all eggs of a pen in a batch.
type cell struct {
	eggs int
	told snapshot.Told
}

type factsKey struct{}

// ReadFacts reads all eggs that were ever set; what is read is shared, nobody changes it.
func ReadFacts(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot) (*Facts, error) {
	ledger, err := snapshot.ReadLedger(ctx, tx)
	if err != nil {
		return nil, err
	}
	return farm.Recall(ctx, tx, factsKey{}, func() (*Facts, error) {
		rows, batches, err := breeders.On(tx).Facts(ctx)
		if err != nil {
			return nil, err
		}
		if err := whereTheyStoodLongest(ctx, tx, batches); err != nil {
			return nil, err
		}
		flock, err := Of(ctx, tx, w)
		if err != nil {
			return nil, err
		}
		return newFacts(w, rows, batches, ledger, flock), nil
	})
}

// whereTheyStoodLongest counts a batch that was moved, or left another, for the machine in which its eggs
// turned longest: so each egg counts for one machine, and the rates of machines add up.
func whereTheyStoodLongest(ctx context.Context, tx *farm.Tx, batches []breeders.BatchFacts) error {
	of := map[int64]*breeders.BatchFacts{}
	for i, b := range batches {
		if b.MovedEgg != nil {
			of[*b.MovedEgg] = &batches[i]
		}
	}
	if len(of) == 0 {
		return nil
	}
	legs, err := tx.EggLegs(ctx, slices.Collect(maps.Keys(of)))
	stood := map[int64]map[int64]time.Duration{}
	for _, l := range legs {
		to := tx.At
		if l.ToAt != nil {
			to = *l.ToAt
		}
		if stood[l.EggID] == nil {
			stood[l.EggID] = map[int64]time.Duration{}
		}
		if !l.Hatching {
			stood[l.EggID][l.MachineID] += to.Sub(l.FromAt)
		}
	}
	for egg, b := range of {
		longest := stood[egg][b.SetterID]
		for machine, long := range stood[egg] {
			if long > longest || long == longest && machine < b.SetterID {
				b.SetterID, longest = machine, long
			}
		}
	}
	return err
}

func newFacts(
	w *snapshot.Snapshot, rows []breeders.Fact, batches []breeders.BatchFacts, ledger snapshot.Ledger, flock Flock,
) *Facts {
	all := &Facts{
		ByKind: map[string][]*Fact{}, Eggs: map[string]int{}, Batches: batches, SetOn: map[int64]time.Time{},
		Ledger: ledger, Flock: flock, whole: map[snapshot.GroupKey]cell{},
	}
	for id, of := range ledger.ByPen {
		for _, t := range of {
			all.whole[snapshot.GroupKey{PenID: id, BatchID: t.BatchID}] = cell{t.Eggs, t}
		}
	}
	byID := make(map[int64]*breeders.BatchFacts, len(batches))
	for i := range batches {
		byID[batches[i].ID], all.SetOn[batches[i].ID] = &batches[i], w.Member.Date(batches[i].SetAt)
	}
	type laid struct {
		pen, dam int64
		on       time.Time
	}
	sires := map[laid]breeding.Sire{}
	for _, r := range rows {
		batch := byID[r.BatchID]
		if r.Trial {
			continue
		}
		f := &Fact{Fact: r, Batch: batch, SetOn: all.SetOn[r.BatchID]}
		f.Age = max(0, farm.AgeDays(r.LaidOn, f.SetOn))
		f.Dam = flock.Dam(r.PenID, r.Hen)
		at := laid{r.PenID, f.Dam, r.LaidOn}
		sire, known := sires[at]
		if !known {
			sire = flock.SireOf(w, r.PenID, f.Dam, r.LaidOn)
			sires[at] = sire
		}
		f.Sire = sire
		all.ByKind[f.Batch.Species] = append(all.ByKind[f.Batch.Species], f)
		all.Eggs[f.Batch.Species] += f.Eggs
	}
	return all
}

// Of gives the eggs of one pen, the oldest batches first.
func (a *Facts) Of(pen snapshot.Pen) (rows []*Fact) {
	for _, f := range a.ByKind[pen.Species] {
		if f.PenID == pen.ID {
			rows = append(rows, f)
		}
	}
	return rows
}

// Told is what some of the facts tell, batch by batch, the oldest first; and of how many eggs
// nothing is known of their own hatch, since young were counted of them together with others.
// Where they are all eggs of their pen in a batch, it is what every page tells of these.
func (a *Facts) Told(w *snapshot.Snapshot, rows []*Fact) (told []snapshot.Told, leftOut int) {
	for len(rows) > 0 {
		key := snapshot.GroupKey{PenID: rows[0].PenID, BatchID: rows[0].BatchID}
		n, eggs := 0, 0
		for n < len(rows) && rows[n].PenID == key.PenID && rows[n].BatchID == key.BatchID {
			eggs += rows[n].Eggs
			n++
		}
		if whole := a.whole[key]; whole.eggs == eggs {
			told = append(told, whole.told)
		} else if kind := w.Kinds[rows[0].Batch.Species]; kind != nil {
			t, out := tellPart(kind, rows[:n], a.Ledger.Groups[key])
			told, leftOut = append(told, t), leftOut+out
		}
		rows = rows[n:]
	}
	return told, leftOut
}

func tellPart(kind *species.Profile, rows []*Fact, g breeders.Group) (snapshot.Told, int) {
	closed := rows[0].Batch.Closed
	r := breeders.Record{PenID: rows[0].PenID, BatchID: rows[0].BatchID}
	counted := 0
	for _, f := range rows {
		r.Set += f.Eggs
		r.Examined += f.Examined
		r.Fertile += f.Fertile
		r.HatchedUnseen += f.HatchedUnseen
		counted += f.Counted
		if closed {
			r.SetClosed += f.Eggs
			r.HatchedClosed += f.Hatched
			r.FertileClosed += f.Fertile - f.CountedFertile
			r.HatchedFertile += f.HatchedFertile
		}
	}
	return TellPart(kind, r, counted, closed, g)
}

// TellPart is what is told of a part of a pen's eggs in a batch, of which counted are of the group
// whose own end nobody saw; and how many of them tell nothing of hatch.
func TellPart(
	kind *species.Profile, r breeders.Record, counted int, closed bool, g breeders.Group,
) (snapshot.Told, int) {
	part := outcome.Part{Eggs: r.Set, Hatched: r.HatchedClosed, Counted: counted, Of: snapshot.GroupOf(g)}
	_, _, leftOut := part.Known()
	if leftOut == 0 {
		return snapshot.Tell(kind, r, closed, g), 0
	}
	r.SetClosed, r.HatchedClosed, r.FertileClosed, r.HatchedFertile = 0, 0, 0, 0
	return snapshot.Tell(kind, r, closed, breeders.Group{}), leftOut
}
