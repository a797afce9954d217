// Package moving brings eggs to other machines while they incubate: a whole batch, or a part, which is a batch
// of its own from then on; and together again.
package moving

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/choice"
	"metrogon/core/machine"
	"metrogon/core/marks"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// Service moves eggs.
type Service struct{ *farm.Service }

// Which says which living eggs of a batch are meant: all that any of it names.
type Which struct {
	All   bool
	Pens  []int64
	Trays []int64
	Eggs  []int64
	Marks []string // pencil codes
	N     int      // so many, from every pen and age in proportion; where nothing else is named
}

// Moving is eggs of a batch that go to another machine.
type Moving struct {
	Which
	From    int64     // where they stood when that was asked; 0: wherever they stand
	To      int64     // the machine
	Hatcher int64     // where they are to hatch; 0: as was planned, if it can be
	Join    bool      // they join eggs of the same setting that stand there
	At      time.Time // zero: now
	Why     string
}

// Dealing is a batch that is dealt out over machines.
type Dealing struct {
	From     int64 // as of a Moving
	Machines []int64
	At       time.Time // zero: now
	Why      string
}

// whyLength is what the database holds.
const whyLength = 120

// Move moves eggs. Whoever is second at the same eggs is told who was first.
func (s *Service) Move(ctx context.Context, req farm.Request, batchID int64, mv Moving) (farm.Done, error) {
	asked := asked{mv.From, mv.At, mv.Why}
	return s.onEggs(ctx, req, batchID, asked, func(x *work) (farm.Done, error) {
		ids, err := x.which(mv.Which)
		if err != nil {
			return farm.Done{}, err
		}
		to, err := x.target(mv.To)
		if err != nil {
			return farm.Done{}, err
		}
		whole := len(ids) == len(x.living())
		if !whole && x.counted > 0 {
			return farm.Done{}, farm.Problemf("eggs", "%d young were counted without their eggs, so nobody knows which eggs "+
				"are left. Move the whole batch, or say which eggs hatched first.", x.counted)
		}
		if mv.Hatcher != 0 && !x.hatchesIn(mv.Hatcher) {
			return farm.Done{}, farm.Problemf("hatcher", "Pick a machine in which these eggs can hatch.")
		}
		hatcher := x.hatcher(mv.Hatcher, to)
		if to.ID == x.v.Stands().ID {
			return x.onlyHatcher(ids, whole, hatcher)
		}
		if err := x.doubts(to, hatcher, len(ids)); err != nil {
			return farm.Done{}, err
		}
		if into, there := x.sibling(to.ID); there && mv.Join {
			return x.join(ids, whole, into)
		}
		part, said := x.v.Batch, fmt.Sprintf("%s went from %s to %s", x.v.Code, x.v.Stands().Name, to.Name)
		if !whole {
			if part, err = x.part(ids); err != nil {
				return farm.Done{}, err
			}
			said = fmt.Sprintf("%s of %s went from %s to %s as %s", wording.Plural(len(ids), "egg"), x.v.Code,
				x.v.Stands().Name, to.Name, part.Code)
		}
		if err := x.shift(part, ids, to, hatcher); err != nil {
			return farm.Done{}, err
		}
		return x.record(said, part.ID)
	})
}

// Deal deals the living eggs of a batch out over machines, evenly by pen and age. What goes to the machine
// where they stand, or else to the first, stays the batch.
func (s *Service) Deal(ctx context.Context, req farm.Request, batchID int64, d Dealing) (farm.Done, error) {
	return s.onEggs(ctx, req, batchID, asked{d.From, d.At, d.Why}, func(x *work) (farm.Done, error) {
		machines := slices.Compact(slices.Sorted(slices.Values(d.Machines)))
		if i := slices.Index(machines, x.v.Stands().ID); i > 0 {
			machines[0], machines[i] = machines[i], machines[0]
		}
		eggs := x.living()
		switch {
		case len(machines) < 2:
			return farm.Done{}, farm.Problemf("machine", "Pick two machines or more.")
		case len(machines) > len(eggs):
			return farm.Done{}, farm.Problemf("machine", "%s cannot be dealt out over %d machines.",
				wording.Plural(len(eggs), "egg"), len(machines))
		case x.counted > 0:
			return farm.Done{}, farm.Problemf("eggs", "Young were counted without their eggs; the rest cannot be dealt out.")
		}
		dealt := choice.Deal(x.dealt(eggs), len(machines))
		var says []string
		var about []int64
		for i, id := range machines {
			to, err := x.target(id)
			if err != nil {
				return farm.Done{}, err
			}
			if err := x.doubts(to, x.hatcher(0, to), len(dealt[i])); err != nil {
				return farm.Done{}, err
			}
			part := x.v.Batch
			if i > 0 {
				if part, err = x.part(dealt[i]); err != nil {
					return farm.Done{}, err
				}
				about = append(about, part.ID)
			}
			if to.ID != x.v.Stands().ID {
				if err := x.shift(part, dealt[i], to, x.hatcher(0, to)); err != nil {
					return farm.Done{}, err
				}
			}
			says = append(says, fmt.Sprintf("%d to %s as %s", len(dealt[i]), to.Name, part.Code))
		}
		return x.record(fmt.Sprintf("%s dealt out evenly: %s", x.v.Code, wording.And(says)), about...)
	})
}

// work is one move as it is done.
type work struct {
	ctx     context.Context
	tx      *farm.Tx
	w       *snapshot.Snapshot
	v       snapshot.BatchView
	eggs    []store.Egg
	counted int // young without their eggs
	open    []snapshot.BatchView
	at      time.Time
	why     string
	undo    journal.Undo
}

// asked is what every move is told: where the eggs stood then, when they go, and why.
type asked struct {
	from int64
	at   time.Time
	why  string
}

// onEggs runs work on an open batch, with all that a move has to know.
func (s *Service) onEggs(
	ctx context.Context, req farm.Request, batchID int64, a asked, do func(x *work) (farm.Done, error),
) (farm.Done, error) {
	return snapshot.OnBatch(ctx, s.Service, req, batchID,
		func(tx *farm.Tx, batch store.Batch, _ snapshot.Eggs) (farm.Done, error) {
			w, v, err := snapshot.Viewed(ctx, tx, batch)
			if err != nil {
				return farm.Done{}, err
			}
			x := &work{ctx: ctx, tx: tx, w: w, v: v}
			var p farm.Problems
			if v.Kind.IsReptile() {
				return farm.Done{}, farm.Problemf("to", "Eggs of reptiles stay in their box; the box may go to another shelf.")
			}
			x.why = p.Name("why", "Why they are moved", a.why, whyLength, false)
			if p != nil {
				return farm.Done{}, p
			}
			if a.from != 0 && a.from != v.Stands().ID {
				return farm.Done{}, x.movedBefore("They stand in " + v.Stands().Name + " by now.")
			}
			if x.at, err = snapshot.When(tx, batch, a.at); err != nil {
				return farm.Done{}, err
			}
			since := batch.CameAt
			if batch.LockedAt != nil {
				since = farm.Latest(since, *batch.LockedAt)
			}
			if x.at.Before(since) {
				return farm.Done{}, farm.Problemf("when", "They stand in %s since %s; they cannot have left it before.",
					v.Stands().Name, req.Moment(since))
			}
			eggs, counted, err := tx.EggsAndYoung(ctx, batchID)
			if err != nil {
				return farm.Done{}, err
			}
			x.eggs = eggs
			for _, c := range counted {
				x.counted += c.Young
			}
			if x.open, err = w.OpenBatches(ctx, tx); err != nil {
				return farm.Done{}, err
			}
			return do(x)
		})
}

func (x *work) living() (all []store.Egg) {
	for _, e := range x.eggs {
		if e.Fate == nil {
			all = append(all, e)
		}
	}
	return all
}

func (x *work) dealt(eggs []store.Egg) (all []choice.Dealt) {
	on := x.w.Member.Date(x.v.SetAt)
	for _, e := range eggs {
		all = append(all, choice.Dealt{ID: e.ID, Pen: e.PenID, Age: farm.AgeDays(e.LaidOn, on)})
	}
	return all
}

// which finds the living eggs that are meant.
func (x *work) which(of Which) (ids []int64, err error) {
	living := x.living()
	if len(living) == 0 {
		return nil, farm.Problemf("eggs", "No egg is left in %s.", x.v.Code)
	}
	codes := map[string]bool{}
	for _, typed := range of.Marks {
		mark, _ := marks.Read(typed)
		if !slices.ContainsFunc(living, func(e store.Egg) bool { return snapshot.CodeOf(e.Mark, e.No) == mark }) {
			return nil, x.movedBefore(fmt.Sprintf("No egg in %s has the code %.12q.", x.v.Code, typed))
		}
		codes[mark] = true
	}
	for _, id := range of.Eggs {
		if !slices.ContainsFunc(living, func(e store.Egg) bool { return e.ID == id }) {
			return nil, x.movedBefore(fmt.Sprintf("Some of these eggs are not in %s any more.", x.v.Code))
		}
	}
	for _, e := range living {
		if of.All || slices.Contains(of.Pens, e.PenID) || slices.Contains(of.Eggs, e.ID) ||
			codes[snapshot.CodeOf(e.Mark, e.No)] || e.TrayID != nil && slices.Contains(of.Trays, *e.TrayID) {
			ids = append(ids, e.ID)
		}
	}
	if len(ids) == 0 && of.N != 0 {
		if of.N < 1 || of.N > len(living) {
			return nil, farm.Problemf("n", "%d eggs cannot be moved; 1 to %d are in %s.", of.N, len(living), x.v.Code)
		}
		ids = choice.Evenly(x.dealt(living), of.N)
	}
	if len(ids) == 0 {
		return nil, farm.Problemf("eggs", "Say which eggs go: all, those of a pen or a tray, or so many.")
	}
	return ids, nil
}

// movedBefore tells what is not as it was thought, with what was done last.
func (x *work) movedBefore(says string) error {
	last, err := x.tx.LastLine(x.ctx, x.v.ID)
	if err != nil {
		return err
	}
	return farm.Problemf("eggs", "%s %s, %s: %s Look again.", says, last.Who, x.w.Member.Moment(last.At), last.Said)
}

// target is a machine that can take the eggs as they are.
func (x *work) target(id int64) (snapshot.Machine, error) {
	to, ok := x.w.MachineByID[id]
	room := x.w.Rooms[id][x.v.Species]
	switch {
	case !ok || x.v.LockedAt == nil && room.Setting == 0:
		return to, farm.Problemf("to", "Pick a machine that takes %s eggs.", wording.Lower(x.v.Kind.Name))
	case x.v.LockedAt != nil && room.Hatching == 0:
		return to, farm.Problemf("to", "Pick a machine in which these eggs can hatch.")
	case to.UntilOn != nil && !to.UntilOn.After(x.w.Member.Date(x.at)):
		return to, farm.Problemf("to", "%s is not used any more.", to.Name)
	}
	return to, nil
}

// hatcher is where eggs hatch that go to a machine: as was asked; under her, if it is a hen; in the new one, if
// they were to hatch where they were set; else as was planned.
func (x *work) hatcher(asked int64, to snapshot.Machine) int64 {
	switch {
	case x.v.LockedAt != nil:
		return to.ID
	case asked != 0:
		return asked
	case x.hatchesIn(to.ID) && (machine.Broody(to.Kind) || x.v.HatcherID == x.v.SetterID):
		return to.ID
	}
	return x.v.HatcherID
}

// hatchesIn tells whether eggs of the batch can hatch in a machine.
func (x *work) hatchesIn(id int64) bool {
	return x.w.Rooms[id][x.v.Species].Hatching > 0
}

// doubts asks about a machine that is full, not ready, or has another air.
func (x *work) doubts(to snapshot.Machine, hatcher int64, eggs int) error {
	var p farm.Problems
	if t, there := x.around(to); there && to.ID != x.v.Stands().ID {
		if eggs > t.Free {
			p.Doubtf(x.tx.Request, "to", "%s has room for %d of them just now. Move all %d?", to.Name, t.Free, eggs)
		}
		why, err := x.w.NotReady(x.ctx, x.tx, to)
		if err != nil {
			return err
		}
		if why != "" {
			p.Doubtf(x.tx.Request, "to", "%s is not ready: %s. Move them all the same?", to.Name, why)
		}
		for _, says := range x.air(to, hatcher) {
			p.Doubtf(x.tx.Request, "to", "%s Move them all the same?", says)
		}
	}
	return p.Err()
}

func (x *work) around(to snapshot.Machine) (snapshot.Place, bool) {
	setters, hatchers := x.w.Places(x.w.AllStays(x.open), x.v.Species)
	if x.v.LockedAt != nil {
		setters = hatchers
	}
	i := slices.IndexFunc(setters, func(p snapshot.Place) bool { return p.ID == to.ID })
	if i < 0 {
		return snapshot.Place{}, false
	}
	return setters[i], true
}

// air tells what stands in a machine and does not go with these eggs.
func (x *work) air(to snapshot.Machine, hatcher int64) (says []string) {
	if x.v.LockedAt != nil {
		return nil
	}
	open := slices.DeleteFunc(slices.Clone(x.open), func(o snapshot.BatchView) bool { return o.ID == x.v.ID })
	moved := x.v
	moved.ID, moved.SetterID, moved.Setter = -1, to.ID, to
	moved.HatcherID, moved.Hatcher = hatcher, x.w.MachineByID[hatcher]
	for _, t := range x.w.AirTroublesOf(-1, append(open, moved)) {
		says = append(says, t.Says)
	}
	return says
}

// sibling is the batch of the same setting that stands in a machine in the same phase.
func (x *work) sibling(machineID int64) (snapshot.BatchView, bool) {
	i := slices.IndexFunc(x.open, func(o snapshot.BatchView) bool {
		return o.ID != x.v.ID && o.Root() == x.v.Root() && o.Stands().ID == machineID &&
			(o.LockedAt != nil) == (x.v.LockedAt != nil)
	})
	if i < 0 {
		return snapshot.BatchView{}, false
	}
	return x.open[i], true
}

// part makes a batch of some of the eggs, where they stand.
func (x *work) part(ids []int64) (store.Batch, error) {
	id, _, err := x.tx.AddPart(x.ctx, x.v.Batch, x.at)
	if err != nil {
		return store.Batch{}, err
	}
	if err := x.tx.HandEggs(x.ctx, ids, x.v.ID, id, x.at); err != nil {
		return store.Batch{}, err
	}
	x.undo = append(x.undo, dropPart.Of(handed{id, x.v.ID, ids, x.at}))
	if err := x.tx.Reckon(x.ctx, id, x.v.ID); err != nil {
		return store.Batch{}, err
	}
	return x.tx.Batch(x.ctx, id)
}

// offTrays takes eggs off the trays of the machine that they leave.
func (x *work) offTrays(ids []int64) error {
	var were, off []store.Placement
	for _, e := range x.eggs {
		if e.TrayID != nil && slices.Contains(ids, e.ID) {
			were = append(were, store.Placement{EggID: e.ID, TrayID: e.TrayID, Place: e.Place})
			off = append(off, store.Placement{EggID: e.ID})
		}
	}
	if len(were) == 0 {
		return nil
	}
	x.undo = append(x.undo, journal.PlacedBefore.Of(were))
	return x.tx.PlaceEggs(x.ctx, off)
}

// shift brings a batch to another machine. A part that was just made has its one stay there.
func (x *work) shift(batch store.Batch, ids []int64, to snapshot.Machine, hatcher int64) error {
	if err := x.offTrays(ids); err != nil {
		return err
	}
	if batch.ID == x.v.ID {
		id, err := x.tx.AddMove(x.ctx, store.BatchMove{
			BatchID: batch.ID, FromID: x.v.Stands().ID, ToID: to.ID, At: x.at, Hatching: batch.LockedAt != nil, Why: x.why,
		}, x.tx.Member.PersonID)
		if err != nil {
			return err
		}
		x.undo = append(x.undo, dropMove.Of(id))
	}
	setter := to.ID
	if batch.LockedAt != nil {
		setter = batch.SetterID
	}
	return x.standIn(batch, setter, hatcher)
}

// standIn keeps in which machines a batch is set and is to hatch.
func (x *work) standIn(batch store.Batch, setter, hatcher int64) error {
	x.undo = append(x.undo, standsBefore.Of(stands{batch.ID, batch.SetterID, batch.HatcherID}))
	return x.tx.StandIn(x.ctx, batch.ID, setter, hatcher)
}

// join gives eggs to another batch of their setting.
// What hatched already, or was taken out, stays where it was; with no living egg left the batch is closed.
func (x *work) join(ids []int64, whole bool, into snapshot.BatchView) (farm.Done, error) {
	if x.counted > 0 {
		return farm.Done{}, farm.Problemf("join", "Young were counted in %s without their eggs, so its eggs cannot "+
			"join others. Move them without joining.", x.v.Code)
	}
	if err := x.offTrays(ids); err != nil {
		return farm.Done{}, err
	}
	if err := x.tx.HandEggs(x.ctx, ids, x.v.ID, into.ID, x.at); err != nil {
		return farm.Done{}, err
	}
	if whole {
		if err := x.tx.Join(x.ctx, x.v.ID, into.ID, x.at); err != nil {
			return farm.Done{}, err
		}
	}
	x.undo = append(x.undo, joined.Of(handed{into.ID, x.v.ID, ids, x.at}))
	if err := x.tx.Reckon(x.ctx, into.ID, x.v.ID); err != nil {
		return farm.Done{}, err
	}
	return x.record(fmt.Sprintf("%s of %s joined %s in %s", wording.Plural(len(ids), "egg"), x.v.Code, into.Code,
		into.Stands().Name), into.ID)
}

// onlyHatcher changes where eggs are to hatch; they stay where they are. Some of them are a part from then on.
func (x *work) onlyHatcher(ids []int64, whole bool, hatcher int64) (farm.Done, error) {
	if x.v.LockedAt != nil || hatcher == x.v.HatcherID {
		return farm.Done{}, farm.Problemf("to", "They stand in %s already.", x.v.Stands().Name)
	}
	of := x.v.Batch
	if !whole {
		part, err := x.part(ids)
		if err != nil {
			return farm.Done{}, err
		}
		of = part
	}
	if err := x.standIn(of, of.SetterID, hatcher); err != nil {
		return farm.Done{}, err
	}
	return x.record(fmt.Sprintf("%s, %s, is to hatch in %s", of.Code, wording.Plural(len(ids), "egg"),
		x.w.MachineByID[hatcher].Name), of.ID)
}

// record puts the move into the journal, on the batch and others that had a part in it.
func (x *work) record(said string, others ...int64) (farm.Done, error) {
	about := journal.On(journal.Batch, x.v.ID)
	for _, id := range others {
		if id != x.v.ID {
			about = about.And(journal.Batch, id)
		}
	}
	if x.why != "" {
		said += ": " + strings.TrimSuffix(x.why, ".")
	}
	return journal.Record(x.ctx, x.tx, about, x.undo, "%s.", said)
}
