package clutch

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/machine"
	"metrogon/core/method"
	"metrogon/core/reptile"
	"metrogon/core/species"
	"metrogon/core/units"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	"metrogon/store"
	"metrogon/store/books"
	clutchrows "metrogon/store/clutch"
	"metrogon/store/stock"
)

// Whose eggs they are.
const (
	SiredOne     = "one"
	SiredSeveral = "several"
	SiredStored  = "stored" // sperm of an earlier mating
	SiredUnknown = "unknown"
)

// Found is a clutch that was laid or found.
type Found struct {
	PenID, DamID     int64 // DamID 0: nobody of the pen by name
	Sired            string
	SireID           int64
	LaidFrom, LaidTo time.Time // laid between the two; LaidFrom zero: at LaidTo
	Good, Slugs      int
	Stuck            []int // sizes of groups that stick together
	Marked           bool
	MassG            *float64 // of the good ones together
	Temp             Temp
	Rest             bool // with the cool rest of its kind
	Permit           string
	BoxID            int64 // 0: Box is made
	Box              NewBox
}

// NewBox is a box that is filled for a clutch.
type NewBox struct {
	MachineID       int64
	Name            string
	Kind, Substrate string
	DryG, WaterG    *float64
	Cols, Rows      int
}

// Temp is how warm a clutch is kept.
type Temp struct {
	C         float64
	NightC    *float64 // nil: the same by night
	NightFrom calendar.WallTime
	NightH    float64
}

// longestFind is how far apart the earliest and the latest may lie at which a clutch that was found was laid.
const longestFind = 14 * calendar.Day

// mostEggs of a clutch: no reptile here lays more.
const mostEggs = 144

// check reads what was typed.
func (f *Found) check(req farm.Request, w *snapshot.Snapshot, flock lineage.Flock) (kind *species.Profile, err error) {
	var p farm.Problems
	pen, ok := w.PenByID[f.PenID]
	if ok {
		kind, err = w.Kind(pen.Species)
	}
	if !ok || err != nil || !kind.IsReptile() {
		return nil, farm.Problemf("dam", "Pick the female, or the pen that she is kept in.")
	}
	if f.DamID != 0 && flock.Birds[f.DamID].Sex != lineage.Female {
		p.Addf("dam", "Pick the female that laid them.")
	}
	if !slices.Contains([]string{SiredOne, SiredSeveral, SiredStored, SiredUnknown}, f.Sired) {
		p.Addf("sired", "Say who sired them; unknown is an answer too.")
	}
	if sire := flock.Birds[f.SireID]; f.SireID != 0 && (sire.Sex != lineage.Male || sire.Species != kind.ID) {
		p.Addf("sired", "Pick a male of her kind, or say that nobody knows.")
	}
	if f.LaidFrom.IsZero() {
		f.LaidFrom = f.LaidTo
	}
	switch {
	case f.LaidTo.IsZero():
		p.Addf("laid_to", "Say when they were laid, or found.")
	case f.LaidTo.After(w.Now.Add(time.Minute)):
		p.Addf("laid_to", "%s has not come yet.", w.Member.Moment(f.LaidTo))
	case f.LaidTo.Before(w.Now.AddDate(0, 0, -calendar.MaxDays)):
		p.Addf("laid_to", "That is more than %d days ago.", calendar.MaxDays)
	case f.LaidFrom.After(f.LaidTo):
		p.Addf("laid_from", "The earliest comes after the latest.")
	case f.LaidTo.Sub(f.LaidFrom) > longestFind:
		p.Addf("laid_from", "A span of more than two weeks tells nothing; narrow it by when the nest was last empty.")
	}
	p.Count("good", "The number of good eggs", f.Good, farm.OneIf(f.Slugs == 0), mostEggs)
	p.Count("slugs", "The number of slugs", f.Slugs, 0, 200)
	p.Mass(w.Member.Units(), "mass", "The weight of the eggs", f.MassG, 0.1, 20000)
	f.Permit = p.Name("permit", "What stands on the papers", f.Permit, 100, false)
	together := 0
	for _, n := range f.Stuck {
		if n < 2 {
			p.Addf("stuck", "At least two stick together: write 3, 2 for three and two.")
		}
		together += n
	}
	if together > f.Good {
		p.Addf("stuck", "More eggs stick together than are good.")
	}
	f.Temp.check(req, &p, w, kind)
	if usual := kind.Clutch; float64(f.Good+f.Slugs) > 2*usual.To {
		p.Doubtf(req, "good", "%d eggs? %s clutches are of %s to %s.", f.Good+f.Slugs, kind.Name,
			units.Number(usual.From), units.Number(usual.To))
	}
	return kind, p.Err()
}

// check says what is wrong with a temperature, and asks about one that is not usual.
func (t Temp) check(req farm.Request, p *farm.Problems, w *snapshot.Snapshot, kind *species.Profile) {
	u := w.Member.Units()
	p.Temp(u, "temp", "The temperature", &t.C, 5, 45)
	if t.NightC != nil {
		p.Temp(u, "night", "The temperature by night", t.NightC, 5, 45)
		if !(t.NightH >= 1 && t.NightH <= 23) {
			p.Addf("night_h", "The night may have 1 to 23 hours.")
		}
	}
	if *p != nil {
		return
	}
	usual := kind.TemperatureC
	rests := kind.Diapause.Rests() && t.C < kind.Diapause.BelowC
	switch {
	case t.C >= kind.DangerC.From:
		p.Doubtf(req, "temp", "%s? From %s on embryos of %s are deformed or die.", u.Temp(t.C), u.Temp(kind.DangerC.From),
			wording.Lower(kind.Name))
	case !rests && (t.C < usual.From-2 || t.C > usual.To+1):
		p.Doubtf(req, "temp", "%s? %s eggs are kept at %s to %s.", u.Temp(t.C), kind.Name, u.Degrees(usual.From),
			u.Temp(usual.To))
	}
}

// row is how it is kept.
func (t Temp) row(batchID int64, from time.Time) clutchrows.ClutchTemp {
	row := clutchrows.ClutchTemp{BatchID: batchID, FromAt: from, TempC: t.C, NightFrom: t.NightFrom.String()}
	if t.NightC != nil {
		row.NightC, row.NightH = t.NightC, t.NightH
	}
	return row
}

// Found sets a clutch on the day on which it was laid or found.
func (s *Service) Found(ctx context.Context, req farm.Request, f Found) (farm.Done, error) {
	done, err := s.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return farm.Done{}, err
		}
		flock, err := lineage.Of(ctx, tx, w)
		if err != nil {
			return farm.Done{}, err
		}
		kind, err := f.check(tx.Request, w, flock)
		if err != nil {
			return farm.Done{}, err
		}
		if f.Good == 0 {
			return f.slugs(ctx, tx, w, kind, flock)
		}
		box, spots, made, err := f.box(ctx, tx, w)
		if err != nil {
			return farm.Done{}, err
		}
		if err := apart(ctx, tx, w, kind, box.MachineID); err != nil {
			return farm.Done{}, err
		}
		made.Batch, made.Collections, err = f.set(ctx, tx, w, kind, box, spots, flock)
		if err != nil {
			return farm.Done{}, err
		}
		said := fmt.Sprintf("%s of %s, %s into %s in %s",
			wording.Plural(f.Good, "egg"), whose(w, flock, f.PenID, f.DamID), "set", box.Name, w.MachineByID[box.MachineID].Name)
		if f.Slugs > 0 {
			said += fmt.Sprintf("; %s thrown out", wording.Plural(f.Slugs, "slug"))
		}
		about := journal.On(journal.Batch, made.Batch).And(journal.Box, box.ID)
		return journal.Record(ctx, tx, about, journal.Undo{dropFound.Of(made)}, "%s.", said)
	})
	return done, farm.Taken(err, "box_name", "There is a box of that name in use already.")
}

// slugs keeps a clutch of which no egg was good: it is over at once, and counts in its dam's record.
func (f Found) slugs(
	ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, kind *species.Profile, flock lineage.Flock,
) (farm.Done, error) {
	i := slices.IndexFunc(w.Machines, func(x snapshot.Machine) bool { return machine.ID(x.Kind) == machine.ReptileBox })
	if i < 0 {
		return farm.Done{}, farm.Problemf("machine", "Name an incubator for reptiles first.")
	}
	setAt := f.LaidTo.Truncate(time.Minute)
	collections, err := stock.On(tx).Collect(ctx, []stock.Collection{f.gathered(flock, tx.Member.Date(setAt))})
	if err != nil {
		return farm.Done{}, err
	}
	batch := store.Batch{
		Species: kind.ID, SetterID: w.Machines[i].ID, HatcherID: w.Machines[i].ID, SetAt: setAt, TempC: &f.Temp.C,
	}
	id, _, err := tx.AddBatch(ctx, batch, kind.Short, setAt.In(tx.Member.Place).Year())
	if err != nil {
		return farm.Done{}, err
	}
	if batch, err = tx.Batch(ctx, id); err != nil {
		return farm.Done{}, err
	}
	batch.ClosedAt = &setAt
	if err := tx.MoveBatch(ctx, batch); err != nil {
		return farm.Done{}, err
	}
	if err := clutchrows.On(tx).AddClutch(ctx, f.clutch(id, 0), nil); err != nil {
		return farm.Done{}, err
	}
	undo := journal.Undo{dropFound.Of(found{Batch: id, Collections: collections})}
	return journal.Record(ctx, tx, journal.On(journal.Batch, id).And(journal.Pen, f.PenID), undo,
		"%s of %s: none was good.", wording.Plural(f.Slugs, "slug"), whose(w, flock, f.PenID, f.DamID))
}

// apart asks about a shelf on which clutches stand that want another warmth.
func apart(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, kind *species.Profile, machineID int64) error {
	open, err := w.OpenBatches(ctx, tx)
	if err != nil {
		return err
	}
	there, u := wantedOn(machineID, open), w.Member.Units()
	wanted := append(slices.Clone(there), reptile.Wanted{
		Name: kind.Name, FromC: kind.TemperatureC.From, ToC: kind.TemperatureC.To,
	})
	var p farm.Problems
	if says := reptile.Apart(wanted, u); says != "" && reptile.Apart(there, u) == "" {
		p.Doubtf(tx.Request, "machine", "%s Put them there all the same?", says)
	}
	return p.Err()
}

// whose names the mother: the female, or the pen.
func whose(w *snapshot.Snapshot, f lineage.Flock, penID, damID int64) string {
	if b, ok := f.Birds[damID]; ok {
		return b.Name
	}
	return w.PenByID[penID].Name
}

// box finds or fills the box, with places in it for the eggs.
func (f Found) box(
	ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot,
) (box store.Box, spots []int, made found, err error) {
	boxes, open, used, err := inUse(ctx, tx)
	if err != nil {
		return box, nil, made, err
	}
	if f.BoxID != 0 {
		i := slices.IndexFunc(boxes, func(b store.Box) bool { return b.ID == f.BoxID })
		if i < 0 {
			return box, nil, made, farm.Problemf("box", "That box is not in use any more.")
		}
		box = boxes[i]
		if spots = freeSpots(box, used[box.ID], f.Stuck, f.Good); spots == nil {
			return box, nil, made, farm.Problemf("box", "%s has no room for %s more.", box.Name, wording.Plural(f.Good, "egg"))
		}
		return box, spots, made, nil
	}
	box, err = f.Box.check(w, f.LaidTo)
	if err != nil {
		return box, nil, made, err
	}
	if spots = freeSpots(box, nil, f.Stuck, f.Good); spots == nil {
		return box, nil, made, farm.Problemf("cols", "%d × %d places are too few for %s.", box.Cols, box.Rows,
			wording.Plural(f.Good, "egg"))
	}
	for _, b := range boxes { // one that is empty is filled anew
		full := slices.ContainsFunc(open, func(c clutchrows.Clutch) bool { return c.BoxID == b.ID })
		if strings.EqualFold(b.Name, box.Name) && !full {
			made.Ended = b.ID
			if err := endBox(ctx, tx, b.ID, &box.BeganAt); err != nil {
				return box, nil, made, err
			}
		}
	}
	box.ID, err = clutchrows.On(tx).SaveBox(ctx, box)
	made.Box = box.ID
	return box, spots, made, err
}

// check says what is wrong with a new box.
func (n NewBox) check(w *snapshot.Snapshot, at time.Time) (box store.Box, err error) {
	var p farm.Problems
	u := w.Member.Units()
	x, ok := w.MachineByID[n.MachineID]
	if !ok || machine.ID(x.Kind) != machine.ReptileBox || x.UntilOn != nil {
		p.Addf("machine", "Pick the incubator on whose shelf it stands.")
	}
	n.Name = p.Name("box_name", "The name of the box", n.Name, 40, true)
	if !slices.ContainsFunc(reptile.BoxKinds, func(k reptile.BoxType) bool { return string(k.ID) == n.Kind }) {
		p.Addf("box_kind", "Pick the kind of box.")
	}
	if _, ok := reptile.SubstrateOf(n.Substrate); !ok {
		p.Addf("substrate", "Pick what they lie in.")
	}
	p.Mass(u, "dry", "The weight of the dry substrate", n.DryG, 1, 20000)
	p.Mass(u, "water", "The weight of the water", n.WaterG, 1, 20000)
	p.Count("cols", "The number of places across", n.Cols, 1, 12)
	p.Count("rows", "The number of rows", n.Rows, 1, 12)
	return store.Box{
		MachineID: n.MachineID, Name: n.Name, Kind: n.Kind, Substrate: n.Substrate, DryG: n.DryG, WaterG: n.WaterG,
		Cols: n.Cols, Rows: n.Rows, BeganAt: farm.Earliest(at, w.Now),
	}, p.Err()
}

// inUse are the boxes in use, the clutches in them, and which places are taken.
func inUse(
	ctx context.Context, tx *farm.Tx,
) (boxes []store.Box, open []clutchrows.Clutch, used map[int64][]int, err error) {
	rows, err := clutchrows.On(tx).OpenBoxes(ctx)
	if err != nil {
		return nil, nil, nil, err
	}
	boxes = rows.Boxes
	ids := make([]int64, len(boxes))
	for i, b := range boxes {
		ids[i] = b.ID
	}
	if _, open, err = clutchrows.On(tx).BoxesByID(ctx, ids); err != nil {
		return nil, nil, nil, err
	}
	taken, err := clutchrows.On(tx).SpotsTaken(ctx, ids)
	used = map[int64][]int{}
	for _, e := range taken {
		used[e.BoxID] = append(used[e.BoxID], e.Spot)
	}
	return boxes, open, used, err
}

// freeSpots gives a place to each egg, those that stick together beside one another; nil where there are too few.
func freeSpots(box store.Box, used, stuck []int, eggs int) (spots []int) {
	var free []int
	for spot := range box.Cols * box.Rows {
		if !slices.Contains(used, spot) {
			free = append(free, spot)
		}
	}
	if len(free) < eggs {
		return nil
	}
	return free[:eggs]
}

// set makes the batch with its eggs in their places.
func (f Found) set(
	ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, kind *species.Profile, box store.Box, spots []int,
	flock lineage.Flock,
) (batchID int64, collections []int64, err error) {
	half := f.LaidTo.Sub(f.LaidFrom) / 2
	setAt := f.LaidFrom.Add(half).Truncate(time.Minute)
	gathered := f.gathered(flock, tx.Member.Date(setAt))
	if collections, err = stock.On(tx).Collect(ctx, []stock.Collection{gathered}); err != nil {
		return 0, nil, err
	}
	batchID, _, err = tx.AddBatch(ctx, store.Batch{
		Species: kind.ID, SetterID: box.MachineID, HatcherID: box.MachineID, SetAt: setAt, TempC: &f.Temp.C,
		UnsureDays: math.Round(100*half.Hours()/24) / 100,
	}, kind.Short, setAt.In(tx.Member.Place).Year())
	if err != nil {
		return 0, nil, err
	}
	laid, err := books.On(tx).CollectedEggs(ctx, collections)
	if err != nil {
		return 0, nil, err
	}
	var ids []int64
	for _, e := range laid[collections[0]] {
		ids = append(ids, e.ID)
	}
	lot := stock.Stock{PenID: f.PenID, LaidOn: gathered.LaidOn}
	if _, err := stock.On(tx).Put(ctx, batchID, lot, f.Good, ids, farm.Latest(tx.At, f.LaidTo)); err != nil {
		return 0, nil, err
	}
	eggs := placed(ids, batchID, box.ID, spots, f.Stuck)
	if err := clutchrows.On(tx).AddClutch(ctx, f.clutch(batchID, box.ID), eggs); err != nil {
		return 0, nil, err
	}
	if err := f.told(ctx, tx, kind, batchID, setAt); err != nil {
		return 0, nil, err
	}
	if _, err := snapshot.AssignCodes(ctx, tx.Tx, tx.Member.Date(tx.At)); err != nil {
		return 0, nil, err
	}
	return batchID, collections, settle(ctx, tx, w, batchID)
}

// gathered is the clutch as eggs that were gathered: slugs are none that are kept.
func (f Found) gathered(flock lineage.Flock, laidOn time.Time) stock.Collection {
	c := stock.Collection{
		PenID: f.PenID, LaidOn: laidOn, At: &f.LaidTo, Eggs: f.Good, Rejected: f.Slugs, Washing: string(method.Unwashed),
	}
	if dam, ok := flock.Birds[f.DamID]; ok {
		c.Hen = dam.Name
	}
	if f.MassG != nil {
		if each := *f.MassG / float64(f.Good); each >= 0.3 && each <= 400 {
			c.MassG = &each
		}
	}
	return c
}

// clutch is the row of a clutch.
func (f Found) clutch(batchID, boxID int64) clutchrows.LaidClutch {
	c := clutchrows.LaidClutch{PenID: f.PenID, Clutch: clutchrows.Clutch{
		BatchID: batchID, BoxID: boxID, Sired: f.Sired, LaidFrom: f.LaidFrom, LaidTo: f.LaidTo, Slugs: f.Slugs,
		Marked: f.Marked, Permit: f.Permit,
	}}
	if f.DamID != 0 {
		c.DamID = &f.DamID
	}
	if f.SireID != 0 && f.Sired == SiredOne {
		c.SireID = &f.SireID
	}
	return c
}

// told keeps the weight of the eggs and how warm they are kept.
func (f Found) told(ctx context.Context, tx *farm.Tx, kind *species.Profile, batchID int64, setAt time.Time) error {
	if f.MassG != nil {
		mass := clutchrows.ClutchMass{BatchID: batchID, At: f.LaidTo, Eggs: f.Good, MassG: *f.MassG}
		if _, err := clutchrows.On(tx).AddClutchMass(ctx, mass, tx.Member.PersonID); err != nil {
			return err
		}
	}
	for _, t := range f.temps(kind, batchID, setAt) {
		t.Planned = t.FromAt.After(tx.At)
		if _, err := clutchrows.On(tx).AddClutchTemp(ctx, t, tx.Member.PersonID); err != nil {
			return err
		}
	}
	return nil
}

// settle works a clutch's days out, and refuses temperatures at which nothing hatches.
func settle(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, batchID int64) error {
	b, err := tx.Batch(ctx, batchID)
	if err != nil {
		return err
	}
	rows, err := clutchrows.On(tx).ClutchRows(ctx, []int64{batchID})
	if err != nil {
		return err
	}
	h, err := w.Warmth(ctx, tx, b, snapshot.BoxOf(rows, rows.Clutches[0]), rows.Temps)
	if err != nil {
		return err
	}
	due, _, ok := h.Due(b, tx.At)
	if !ok {
		return farm.Problemf("temp", "So cool nothing develops. Say from when on it is warmer again, or pick another.")
	}
	return clutchrows.On(tx).SetDue(ctx, due)
}

// placed puts the eggs in their places: the first ones are those that stick together.
func placed(ids []int64, batchID, boxID int64, spots, stuck []int) (all []clutchrows.ClutchEgg) {
	group, left := 0, 0
	for i, id := range ids {
		if left == 0 && group < len(stuck) {
			group++
			left = stuck[group-1]
		}
		e := clutchrows.ClutchEgg{EggID: id, BatchID: batchID, BoxID: boxID, Spot: spots[i]}
		if left > 0 {
			e.Stuck = group
			left--
		}
		all = append(all, e)
	}
	return all
}

// temps are the temperatures from the laying on, with the cool rest of the kind where it is asked for.
func (f Found) temps(kind *species.Profile, batchID int64, setAt time.Time) (all []clutchrows.ClutchTemp) {
	if !f.Rest || !kind.Diapause.Rests() {
		return []clutchrows.ClutchTemp{f.Temp.row(batchID, setAt)}
	}
	at := setAt
	for i, step := range kind.Diapause.Steps {
		t := Temp{C: step.TempC}
		if i == 0 {
			t = f.Temp
		}
		all = append(all, t.row(batchID, at))
		at = at.AddDate(0, 0, int(step.Days))
	}
	return all
}
