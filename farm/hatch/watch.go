package hatch

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"metrogon/core/hatching"
	"metrogon/core/marks"
	"metrogon/core/outcome"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	hatchrows "metrogon/store/hatch"
)

// WatchPage is a machine with all that stands in lockdown in it.
type WatchPage struct {
	Machine  snapshot.Machine
	Now      time.Time
	Loads    []LoadView         // a batch each
	Openings []store.LidOpening // since the lid was shut, the newest first
}

// LoadView is one batch while it hatches.
type LoadView struct {
	snapshot.BatchView
	hatching.Watch
	Baskets    []Basket
	InLockdown int     // eggs that went in and were not taken out dead
	Usual      float64 // % of these that usually hatch, here
	Looked     time.Time
	Young      []hatchrows.OneYoung
	Taken      []hatchrows.Taken
	TakenSum   int
	Held, Told int // forecasts of past loads that came true, of so many
	Shifts     int // past loads of this kind that tell when it comes
}

// Inside is how many young are out and still in the machine.
func (v LoadView) Inside() int { return max(0, v.Watch.Out-v.TakenSum) }

// Basket is the eggs of one pen.
type Basket struct {
	snapshot.PenEggs
	marks.Band
	Place  string // where it stands, as it was named
	Slots  []Slot
	Pips   int // pips that were counted without their eggs
	Extra  int // young that were counted without their eggs
	Number int // of young told apart
}

// All are the eggs of the basket that hatched or still may.
func (b Basket) All() int { return b.Alive + b.Hatched }

// Area is the eggs of one hen in a basket, or of all whose hen nobody knows.
type Area struct {
	Hen   string
	Slots []Slot
}

// Areas parts a basket by hen.
func (b Basket) Areas() (all []Area) {
	for _, s := range b.Slots {
		if n := len(all); n == 0 || all[n-1].Hen != s.Hen {
			all = append(all, Area{Hen: s.Hen})
		}
		last := &all[len(all)-1]
		last.Slots = append(last.Slots, s)
	}
	return all
}

// Slot is one egg in its basket.
type Slot struct {
	store.Egg
	Code  string
	Hen   string             // that laid it, where it is known
	Clock *hatching.EggWatch // nil: nothing was seen of it
}

// IsOut tells that its young is out.
func (s Slot) IsOut() bool { return snapshot.FateOf(s.Egg) == outcome.Hatched }

// State is what was seen of it.
func (s Slot) State() string {
	if s.Clock == nil {
		return ""
	}
	return s.Clock.State
}

// Watch shows a machine in lockdown.
func (b *Service) Watch(ctx context.Context, m *farm.Member, machineID int64) (page WatchPage, err error) {
	err = snapshot.ReadOpen(ctx, b.Service, m, func(tx *farm.Tx, w *snapshot.Snapshot, open []snapshot.BatchView) error {
		x, ok := w.MachineByID[machineID]
		if !ok {
			return farm.ErrNone
		}
		in, ids, kinds := inLockdown(open, machineID)
		since := w.Now
		for _, v := range in {
			since = farm.Earliest(since, *v.LockedAt)
		}
		rows, err := hatchrows.On(tx).Hatch(ctx, machineID, ids, kinds, since)
		if err != nil {
			return err
		}
		records, err := snapshot.ReadAgesOf(ctx, tx, kinds)
		if err != nil {
			return err
		}
		page = WatchPage{Machine: x, Now: w.Now, Openings: rows.Openings}
		for _, v := range in {
			page.Loads = append(page.Loads, loadView(w, records[v.Species], v, rows))
		}
		return nil
	})
	return
}

// Known tells, by farm.ErrNone, of a machine that is not the farm's.
func (b *Service) Known(ctx context.Context, m *farm.Member, machineID int64) error {
	return b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		if _, ok := w.MachineByID[machineID]; !ok {
			return farm.ErrNone
		}
		return nil
	})
}

// inLockdown are the birds' batches that are shut in a machine, with their ids and kinds.
func inLockdown(open []snapshot.BatchView, machineID int64) (in []snapshot.BatchView, ids []int64, kinds []string) {
	for _, v := range open {
		if v.LockedAt == nil || v.HatcherID != machineID || v.Kind.IsReptile() {
			continue
		}
		in, ids = append(in, v), append(ids, v.ID)
		if !slices.Contains(kinds, v.Species) {
			kinds = append(kinds, v.Species)
		}
	}
	return
}

// UsualSays how many of such eggs hatch, as people say it.
func (l LoadView) UsualSays() string {
	n := l.Usual / 10
	says := fmt.Sprintf("usually %.0f or %.0f of 10", math.Floor(n), math.Floor(n)+1)
	if near := math.Round(n); math.Abs(n-near) < .15 {
		says = fmt.Sprintf("usually %.0f of 10", near)
	}
	if l.CandledAt == nil {
		says += "; nobody candled these"
	}
	return says
}

// loadView puts together what is known of one batch.
func loadView(w *snapshot.Snapshot, records snapshot.AgeRecords, v snapshot.BatchView, rows hatchrows.Hatch) LoadView {
	pens := w.ByPen(rows.Eggs[v.ID], rows.YoungOf(v.ID), v)
	l := w.Load(records, w.Beliefs(records), v, pens, rows)
	view := LoadView{
		BatchView: v, Looked: l.Looked, Watch: l.Watch(), InLockdown: l.Eggs, Usual: 100 * l.Rate, Shifts: len(l.Shifts),
	}
	clocks := map[int64]*hatching.EggWatch{}
	for i := range view.Watch.Eggs {
		clocks[view.Watch.Eggs[i].Egg] = &view.Watch.Eggs[i]
	}
	for _, p := range pens {
		view.Baskets = append(view.Baskets, basket(w, p, v, clocks, rows))
	}
	for _, y := range rows.Young {
		if y.BatchID == v.ID {
			view.Young = append(view.Young, y)
		}
	}
	for _, t := range rows.Taken {
		if t.BatchID == v.ID {
			view.Taken, view.TakenSum = append(view.Taken, t), view.TakenSum+t.Young
		}
	}
	for _, x := range rows.Lessons {
		for _, held := range []*bool{x.FirstHeld, x.MiddleHeld, x.LastHeld} {
			if held != nil && x.Species == v.Species {
				view.Told, view.Held = view.Told+1, view.Held+farm.OneIf(*held)
			}
		}
	}
	return view
}

func basket(
	w *snapshot.Snapshot, p snapshot.PenEggs, v snapshot.BatchView, clocks map[int64]*hatching.EggWatch,
	rows hatchrows.Hatch,
) Basket {
	x := Basket{PenEggs: p, Band: w.Band(p.ID), Extra: p.Counted}
	for _, e := range p.Eggs {
		if fate := snapshot.FateOf(e); fate == "" || fate == outcome.Hatched {
			x.Slots = append(x.Slots, Slot{e, snapshot.CodeOf(e.Mark, e.No), rows.Hens[e.ID], clocks[e.ID]})
		}
	}
	// A hen's eggs lie together, those of which nobody knows the hen last.
	slices.SortStableFunc(x.Slots, func(a, b Slot) int {
		return cmp.Or(farm.OneIf(a.Hen == "")-farm.OneIf(b.Hen == ""), strings.Compare(a.Hen, b.Hen))
	})
	for _, s := range rows.Signs {
		if s.BatchID == v.ID && s.PenID != nil && *s.PenID == p.ID && s.Trial == p.Trial && s.EggID == nil &&
			s.Kind == hatching.Pip {
			x.Pips += s.N
		}
	}
	for _, k := range rows.Baskets {
		if k.BatchID == v.ID && k.PenID == p.ID && k.Trial == p.Trial {
			x.Place = k.Name
		}
	}
	for _, y := range rows.Young {
		x.Number += farm.OneIf(y.BatchID == v.ID && y.PenID == p.ID && y.Trial == p.Trial)
	}
	return x
}

// learn keeps what a load told, once it is over.
func learn(ctx context.Context, tx *farm.Tx, v snapshot.BatchView, pens []snapshot.PenEggs) (journal.Undo, error) {
	if v.LockedAt == nil || v.Kind.IsReptile() {
		return nil, nil
	}
	w, err := snapshot.Of(ctx, tx)
	if err != nil {
		return nil, err
	}
	rows, err := hatchrows.On(tx).Hatch(ctx, v.HatcherID, []int64{v.ID}, []string{v.Species}, v.SetAt)
	if err != nil {
		return nil, err
	}
	records, err := snapshot.ReadAgesOf(ctx, tx, []string{v.Species})
	if err != nil {
		return nil, err
	}
	l := lesson(w.Load(records[v.Species], w.Beliefs(records[v.Species]), v, pens, rows), v)
	if l == nil {
		return nil, nil
	}
	return journal.Undo{unlearn.Of(v.ID)}, hatchrows.On(tx).SaveLesson(ctx, *l)
}

// lesson is what a load that is over told: only where it was written down while it hatched, which
// is where pips or young have more than one time.
func lesson(l *hatching.Load, v snapshot.BatchView) *hatchrows.Lesson {
	times := map[time.Time]bool{}
	var outs []time.Time
	var first time.Time
	for _, e := range l.Events {
		times[e.At] = true
		if e.Kind == hatching.Out {
			outs = append(outs, slices.Repeat([]time.Time{e.At}, max(1, e.N))...)
		}
		if first.IsZero() || e.At.Before(first) {
			first = e.At
		}
	}
	if len(times) < 3 || len(outs) < 3 {
		return nil
	}
	slices.SortFunc(outs, time.Time.Compare)
	before := *l
	before.Events, before.Now, before.Looked = nil, *v.LockedAt, time.Time{}
	f := before.Forecast()
	all := l.Forecast()
	x := &hatchrows.Lesson{
		BatchID: v.ID, Species: v.Species, MachineID: v.HatcherID, ShiftH: math.Round(100*all.Shift) / 100,
	}
	held := func(m *hatching.Moment, at time.Time) *bool {
		if m == nil {
			return nil
		}
		is := !at.Before(m.From) && !at.After(m.To)
		return &is
	}
	if slices.ContainsFunc(l.Events, func(e hatching.Event) bool { return e.Kind == hatching.Pip && e.At.Equal(first) }) {
		x.FirstHeld = held(f.FirstPip, first)
	}
	x.MiddleHeld = held(f.MiddleOut, outs[(len(outs)-1)/2])
	x.LastHeld = held(f.LastOut, outs[len(outs)-1])
	return x
}
