package farm

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/readiness"
	"metrogon/core/season"
	"metrogon/store"
)

// Due is one thing to do.
type Due struct {
	BatchView
	Chore  string // a kind of milestone
	Day    int    // elapsed days, as scheduled
	At     time.Time
	Late   int // whole days, 0 if not
	Title  string
	Reason string
}

// Today is what a morning needs.
type Today struct {
	Now      time.Time
	Date     time.Time
	Due      []Due // late, and today
	Soon     []Due // the next three days
	Hatches  []BatchView
	Room     EggRoom
	Running  []Running
	Clashes  []Clash
	Rounds   []Round      // daily work on batches
	Tilts    []PlaceView  // storage places to tilt
	Parcels  []ParcelView // on their way, or resting
	Empty    bool         // nothing on the farm yet
	HasPens  bool
	HasBoxes bool
}

// Todo counts what is to be done today.
func (t Today) Todo() int {
	n := len(t.Due) + len(t.Tilts)
	for _, r := range t.Rounds {
		if r.Done < r.Times {
			n++
		}
	}
	for _, p := range t.Parcels {
		if !p.OnTheWay() {
			n++
		}
	}
	return n
}

// Running is a machine in use.
type Running struct {
	Machine
	Batches  []BatchView
	Full     float64 // share of its room, of the fuller phase
	Counter  int
	HasCount bool
}

const lookAhead = 3 // days

// Today shows what is due now, today and in the next days.
func (b *Books) Today(ctx context.Context, m *Member) (page Today, err error) {
	err = b.read(ctx, m, func(tx *Tx) error {
		w, err := tx.snapshot(ctx)
		if err != nil {
			return err
		}
		open, err := w.views(ctx, tx, func() ([]store.Batch, error) { return tx.OpenBatches(ctx) })
		if err != nil {
			return err
		}
		ticks, err := tx.ChoresDone(ctx)
		if err != nil {
			return err
		}
		doubts, err := tx.Doubts(ctx)
		if err != nil {
			return err
		}
		page = Today{Now: w.now, Date: m.Date(w.now), HasPens: len(w.penList) > 0, HasBoxes: len(w.list) > 0}
		if page.Room, err = w.eggRoom(ctx, tx); err != nil {
			return err
		}
		page.Empty = len(open) == 0 && page.Room.Eggs == 0
		for _, v := range open {
			for _, d := range w.dues(v, ticks) {
				if ahead := ageDays(page.Date, m.Date(d.At)); ahead <= 0 {
					d.Late = -ahead
					page.Due = append(page.Due, d)
				} else if ahead <= lookAhead {
					page.Soon = append(page.Soon, d)
				}
			}
			if d, ok := w.again(v, doubts); ok {
				if ahead := ageDays(page.Date, m.Date(d.At)); ahead <= 0 {
					d.Late = -ahead
					page.Due = append(page.Due, d)
				} else if ahead <= lookAhead {
					page.Soon = append(page.Soon, d)
				}
			}
			if h := v.Hatch(); v.Alive > 0 && h.From.Before(w.now.AddDate(0, 0, 10)) {
				page.Hatches = append(page.Hatches, v)
			}
		}
		byTime := func(x, y Due) int { return cmp.Or(x.At.Compare(y.At), cmp.Compare(x.ID, y.ID)) }
		slices.SortFunc(page.Due, byTime)
		slices.SortFunc(page.Soon, byTime)
		slices.SortFunc(page.Hatches, func(x, y BatchView) int { return x.Hatch().At.Compare(y.Hatch().At) })
		stays := w.allStays(open)
		page.Clashes = w.clashes(stays)
		page.Running = w.running(open, stays)
		up, err := tx.Upkeep(ctx, w.dayBegan(), w.now)
		if err != nil {
			return err
		}
		page.Rounds = w.rounds(open, up.Care)
		for _, p := range w.storePlaces(up) {
			if p.TiltDue {
				page.Tilts = append(page.Tilts, p)
			}
		}
		parcels, err := w.parcels(ctx, tx, 20)
		for _, p := range parcels {
			if p.OnTheWay() || p.Stored > 0 {
				page.Parcels = append(page.Parcels, p)
			}
		}
		return err
	})
	return
}

func (w *Snapshot) running(open []BatchView, stays []season.Stay) (all []Running) {
	for _, x := range w.list {
		r := Running{Machine: x}
		for _, v := range open {
			if v.Stands().ID == x.ID {
				r.Batches = append(r.Batches, v)
			}
		}
		for _, locked := range []bool{false, true} {
			for _, l := range season.Loads(stays, x.ID, locked) {
				if !l.At.After(w.now) && l.Share > 0 {
					r.Full = l.Share
				}
			}
		}
		if len(r.Batches) == 0 {
			r.Full = 0
		}
		r.Counter, r.HasCount = Counter(x, w.now)
		all = append(all, r)
	}
	return
}

// dues lists the chores of a batch that are not done.
func (w *Snapshot) dues(v BatchView, ticks []store.ChoreDone) (dues []Due) {
	if v.Alive == 0 {
		return []Due{{BatchView: v, Chore: calendar.ClearOut, At: w.now, Title: "Close " + v.Code, Reason: "No egg is left in it."}}
	}
	if v.LongPast() {
		return []Due{w.past(v)}
	}
	for i, ms := range v.Milestones {
		day := int(math.Round(ms.Day))
		done := slices.Contains(ticks, store.ChoreDone{BatchID: v.ID, Kind: ms.Kind, Day: day})
		switch ms.Kind {
		case calendar.Candle:
			// A candling up to a day and a half early does for the day; a later
			// candling that is due does for the ones missed before it.
			done = done || v.LockedAt != nil || (v.CandledAt != nil && v.CandledAt.After(ms.At.Add(-36*time.Hour)))
			for _, later := range v.Milestones[i+1:] {
				done = done || ((later.Kind == calendar.Candle || later.Kind == calendar.Hatch) && !later.At.After(w.now))
			}
		case calendar.Lockdown:
			done = v.LockedAt != nil
		case calendar.Pull:
			done = done || (v.LockedAt == nil && !v.Kind.IsReptile())
		case calendar.ClearOut:
			done = v.LockedAt == nil && !v.Kind.IsReptile()
		default:
			continue
		}
		if !done {
			dues = append(dues, w.due(v, ms, day))
		}
	}
	return
}

// Past is the chore of telling what became of eggs whose hatch is long past.
const Past = "past"

func (w *Snapshot) past(v BatchView) Due {
	by := v.Hatch().To
	return Due{
		BatchView: v, Chore: Past, At: by, Title: fmt.Sprintf("What became of %s?", plural(v.Alive, "egg")),
		Reason: fmt.Sprintf("%s · day %s. They should have hatched by %s, and no lockdown is written down. "+
			"Record how many hatched, with the day, or close the batch. Eggs this old may burst: goggles, a bag, outdoors.",
			v.Stands().Name, w.member.Counting().Position(v.Day, v.HatchDay), w.member.ShortDay(by)),
	}
}

// LookAgain is the chore of candling once more what was unsure or not to be seen.
const LookAgain = "again"

// again is due three days after eggs were called so, 2 to 4 being usual
// [common practice], and not in lockdown.
func (w *Snapshot) again(v BatchView, doubts []store.Doubt) (Due, bool) {
	i := slices.IndexFunc(doubts, func(d store.Doubt) bool { return d.BatchID == v.ID })
	if i < 0 || v.LockedAt != nil {
		return Due{}, false
	}
	return Due{BatchView: v, Chore: LookAgain, At: w.member.Hour.On(doubts[i].At, 3, w.member.Place), Title: "Look again at " + plural(doubts[i].Eggs, "doubtful egg"),
		Reason: v.Stands().Name + ". Slow ones exist: at the edge of a tray, old eggs, ducks among hens' eggs. Of dark shells the air cell tells."}, true
}

func (w *Snapshot) due(v BatchView, ms calendar.Milestone, day int) Due {
	d := Due{BatchView: v, Chore: ms.Kind, Day: day, At: ms.At}
	where := fmt.Sprintf("%s · day %s", v.Stands().Name, w.member.Counting().Position(v.Day, v.HatchDay))
	switch ms.Kind {
	case calendar.Candle:
		d.Title = fmt.Sprintf("Candle %s", plural(v.Alive, "egg"))
		d.Reason = where + ". " + candling.Expect(v.Kind, ms.Day, v.HatchDay)
	case calendar.Lockdown:
		d.Title = fmt.Sprintf("Lockdown of %s", plural(v.Alive, "egg"))
		d.Reason = where + ". Stop turning"
		if v.HatcherID != v.SetterID {
			d.Reason += ", move to " + v.Hatcher.Name
		}
		d.Reason += fmt.Sprintf(", raise to %s–%s %% humidity.", number(v.Method.Humidity(v.Kind, true).From), number(v.Method.Humidity(v.Kind, true).To))
		if room := w.rooms[v.HatcherID][v.Species].Hatching; v.Alive > room {
			d.Reason += fmt.Sprintf(" It holds %d.", room)
		}
	case calendar.Pull:
		d.Title = "Pull the young"
		d.Reason = where + ". When they are dry and fluffy; they live on yolk for a day or two."
		if v.Kind.IsReptile() {
			d.Title, d.Reason = "Look for young", where+". Leave them until the yolk is absorbed."
		}
	case calendar.ClearOut:
		d.Title = fmt.Sprintf("Clear out %s", plural(v.Alive, "egg"))
		d.Reason = where + ". Usual time is over: open what is left or close the batch."
	}
	return d
}

// Board is the machines over the days.
type Board struct {
	From, To time.Time // dates
	Now      time.Time
	Lanes    []Lane
	Clashes  []Clash
}

// Lane is one machine with what stands in it.
type Lane struct {
	Running
	Bars []Bar
}

// Bar is a batch in a machine in one phase.
type Bar struct {
	season.Stay
	BatchView
	Clash string // what is wrong with it
}

// Board shows four weeks back and six weeks on from a date.
func (b *Books) Board(ctx context.Context, m *Member, around time.Time) (page Board, err error) {
	err = b.read(ctx, m, func(tx *Tx) error {
		w, err := tx.snapshot(ctx)
		if err != nil {
			return err
		}
		if around.IsZero() {
			around = m.Date(w.now)
		}
		page = Board{From: around.AddDate(0, 0, -14), To: around.AddDate(0, 0, 35), Now: w.now}
		views, err := w.views(ctx, tx, func() ([]store.Batch, error) { return tx.BatchesSince(ctx, page.From) })
		if err != nil {
			return err
		}
		var open []BatchView
		var all []Bar
		for _, v := range views {
			if v.Open() {
				open = append(open, v)
			}
			for _, s := range w.stays(v) {
				if s.From.Before(page.To) && s.To.After(page.From) {
					all = append(all, Bar{Stay: s, BatchView: v})
				}
			}
		}
		stays := w.allStays(open)
		page.Clashes = w.clashes(stays)
		for _, r := range w.running(open, stays) {
			lane := Lane{Running: r}
			for _, bar := range all {
				if bar.MachineID != r.ID {
					continue
				}
				for _, c := range page.Clashes {
					if c.Stay.BatchID == bar.Stay.BatchID && c.Stay.MachineID == bar.MachineID && c.Stay.Phase == bar.Phase {
						bar.Clash = c.Says
					}
				}
				lane.Bars = append(lane.Bars, bar)
			}
			if r.UntilOn == nil || len(lane.Bars) > 0 {
				page.Lanes = append(page.Lanes, lane)
			}
		}
		return nil
	})
	return
}

// KindsKept lists the species of the farm's pens.
func (b *Books) KindsKept(ctx context.Context, m *Member) (kinds []string, err error) {
	err = b.read(ctx, m, func(tx *Tx) error {
		pens, err := tx.Pens(ctx)
		for _, p := range pens {
			kinds = append(kinds, p.Species)
		}
		return err
	})
	return
}

// MachinePage is one machine with what it holds and what stands in it.
type MachinePage struct {
	Running
	Rooms []Room
	Ready readiness.State
}

// Machines lists the machines.
func (b *Books) Machines(ctx context.Context, m *Member) (all []MachinePage, err error) {
	err = b.read(ctx, m, func(tx *Tx) error {
		w, err := tx.snapshot(ctx)
		if err != nil {
			return err
		}
		open, err := w.views(ctx, tx, func() ([]store.Batch, error) { return tx.OpenBatches(ctx) })
		if err != nil {
			return err
		}
		up, err := tx.Upkeep(ctx, w.now, w.now)
		if err != nil {
			return err
		}
		for _, r := range w.running(open, w.allStays(open)) {
			page := MachinePage{Running: r}
			if page.Ready, err = w.readyState(r.Machine, up, stands(open, r.ID)); err != nil {
				return err
			}
			for _, room := range w.rooms[r.ID] {
				page.Rooms = append(page.Rooms, room)
			}
			slices.SortFunc(page.Rooms, func(x, y Room) int { return cmp.Compare(x.Species, y.Species) })
			all = append(all, page)
		}
		return nil
	})
	return
}
