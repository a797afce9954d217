package season

import (
	"context"
	"slices"
	"strings"
	"time"

	"metrogon/core/climate"
	"metrogon/core/laying"
	planner "metrogon/core/season"
	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	seasonrows "metrogon/store/season"
)

// Board is the farm over the days: machines and brooders as lanes, what stands in them, what
// is planned and proposed; promises above, eggs beneath.
type Board struct {
	From, To time.Time // dates
	Now      time.Time
	Lanes    []Lane
	Brooders *BroodLane
	Promises []ahead.Promise
	Away     []seasonrows.Away
	Eggs     []EggDay // from today on
	Clashes  []Clash  // of what stands
	Stranded []snapshot.Stranded
	Air      []snapshot.AirTrouble // of what turns in one machine; trays that are taken out are no clash
	Troubles []PlannedTrouble
	Plan     *PlanView // the newest, if it is not thrown away
}

// Lane is one machine with what stands in it.
type Lane struct {
	snapshot.Running
	Bars  []Bar
	Loads []planner.Load // the room used, of the fuller phase
	Shut  []store.Closure
	rooms map[string]snapshot.Room
}

// Takes lists the kinds of eggs that turn in a machine, or that hatch in it.
func (l Lane) Takes(hatch bool) string {
	var kinds []string
	for id, r := range l.rooms {
		if hatch && r.Hatching > 0 || !hatch && r.Setting > 0 {
			kinds = append(kinds, id)
		}
	}
	slices.Sort(kinds)
	return strings.Join(kinds, " ")
}

// Bar is a batch in a machine in one phase: a real one, a planned or a proposed one.
type Bar struct {
	planner.Stay
	snapshot.BatchView
	PlannedID int64
	Proposal  int // its number in the plan, 0: none
	Pinned    bool
	Label     string
	Clash     string // what is wrong with it
}

// Real tells a batch that was set from one that is planned.
func (b Bar) Real() bool { return b.PlannedID == 0 && b.Proposal == 0 }

// BroodLane is the room of all brooders as it is used.
type BroodLane struct {
	Names  []string
	Places float64
	Loads  []planner.Load // 1 = full
}

// EggDay is eggs on one day to come: free ones that may be set, if nothing more is planned, and
// what is laid that day.
type EggDay struct {
	On        time.Time
	Free      int
	Low, High int     // of Free, 9 times in 10, as laying goes
	Laid      float64 // expected on that day
}

// Clash is one of what stands, with the hatchers in which it would not be.
type Clash struct {
	snapshot.Clash
	BatchID  int64 // whose hatcher may be changed; 0: of none
	Hatchers []snapshot.Machine
}

// PlannedTrouble is what stands against a planned batch, with what would help.
type PlannedTrouble struct {
	snapshot.Planned
	Troubles []ahead.Trouble
	Cures    []ahead.Cure
}

// How many troubled batches are shown with their cures: each is tried, and nobody mends more at
// a time.
const mostCured = 3

// Board shows so many weeks, a quarter of them before a date; also is what else is read of the same outlook.
func (b *Service) Board(
	ctx context.Context, m *farm.Member, around time.Time, weeks int, also ...func(*ahead.Outlook) error,
) (page Board, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		s, err := see(ctx, tx)
		if err != nil {
			return err
		}
		if around.IsZero() {
			around = s.Today
		}
		page.From = around.AddDate(0, 0, -7*weeks/4)
		page.To, page.Now = page.From.AddDate(0, 0, 7*weeks), s.W.Now
		if len(also) > 0 {
			s.LayAhead()
		} else {
			s.Supply.Laid(s.Outlook, max(s.Day(page.To), 1))
			s.Reserve()
		}
		page.Promises, page.Away = s.Cover(), s.Book.Away
		var stays []planner.Stay
		bars, err := s.realBars(ctx, tx, page)
		if err != nil {
			return err
		}
		bars = append(bars, s.plannedBars(&page)...)
		open := s.W.OpenRead()
		stays = s.W.AllStays(open)
		page.clashes(s, open, stays)
		page.Stranded = s.W.Stranded(open)
		page.Air = slices.DeleteFunc(s.W.AirTroubles(open), func(t snapshot.AirTrouble) bool { return t.Why == climate.Care })
		if page.Plan, err = s.lastPlan(); err != nil {
			return err
		}
		bars = append(bars, s.proposedBars(page)...)
		page.lanes(s, bars, s.W.Running(open, stays))
		page.brooders(s)
		page.eggs(s)
		for _, read := range also {
			if err := read(s.Outlook); err != nil {
				return err
			}
		}
		return nil
	})
	return
}

func (s *outlook) realBars(ctx context.Context, tx *farm.Tx, page Board) (bars []Bar, err error) {
	views, err := s.W.Views(ctx, tx, func() ([]store.Batch, error) { return tx.BatchesSince(ctx, page.From) })
	if err != nil {
		return nil, err
	}
	for _, v := range views {
		for _, stay := range s.W.Stays(v) {
			bars = append(bars, Bar{Stay: stay, BatchView: v, Label: v.Code})
		}
	}
	return bars, nil
}

// plannedBars are those of the planned batches, with what stands against each.
func (s *outlook) plannedBars(page *Board) (bars []Bar) {
	got := s.Supply.Planned(s.Outlook, s.Ahead)
	y := s.Yard()
	for _, p := range s.Ahead {
		there := 0
		for _, e := range got[p.ID] {
			there += e.Eggs
		}
		troubles := s.Troubles(y, p, there)
		if len(troubles) > 0 {
			one := PlannedTrouble{Planned: p, Troubles: troubles}
			if len(page.Troubles) < mostCured {
				one.Cures = s.Cures(y, p, s.Supply.GivenBack(s.Outlook, got[p.ID]))
			}
			page.Troubles = append(page.Troubles, one)
		}
		for _, stay := range p.Stays(s.W) {
			bar := Bar{Stay: stay, BatchView: p.BatchView, PlannedID: p.ID, Pinned: p.Pinned, Label: p.Label()}
			for _, t := range troubles {
				if t.MachineID == 0 || t.MachineID == stay.MachineID {
					bar.Clash = t.Says
				}
			}
			bars = append(bars, bar)
		}
	}
	return bars
}

// clashes finds those of what stands, with hatchers that would do instead.
func (page *Board) clashes(s *outlook, open []snapshot.BatchView, stays []planner.Stay) {
	y := s.Yard()
	for _, c := range s.W.Clashes(stays) {
		one := Clash{Clash: c}
		for _, v := range open {
			mine := v.ID == c.Stay.BatchID && c.Stay.Phase == planner.Locked ||
				v.ID == c.With.BatchID && c.With.Phase == planner.Locked
			if v.LockedAt != nil || !mine || len(one.Hatchers) > 0 || len(page.Clashes) >= mostCured {
				continue
			}
			one.BatchID, one.Hatchers = v.ID, s.otherHatchers(y, v)
		}
		page.Clashes = append(page.Clashes, one)
	}
}

// otherHatchers are those in which a batch would clash with nothing.
func (s *outlook) otherHatchers(y planner.Yard, v snapshot.BatchView) (all []snapshot.Machine) {
	for _, h := range s.MachinesFor(v.Kind, true) {
		if h.ID == v.HatcherID {
			continue
		}
		w := v
		w.HatcherID, w.Hatcher = h.ID, h
		move := planner.Move{Stays: s.W.Stays(w)[1:]}
		if len(y.Against(move)) == 0 {
			all = append(all, h)
		}
		if len(all) == ahead.MostCures {
			break
		}
	}
	return all
}

// lastPlan is the newest that is not thrown away, nil if there is none.
func (s *outlook) lastPlan() (*PlanView, error) {
	rows := s.Plans
	i := slices.IndexFunc(rows, func(p seasonrows.Plan) bool { return p.WhatIf == nil })
	if i < 0 || rows[i].State == Cancelled {
		return nil, nil
	}
	v, err := s.view(rows[i])
	return &v, err
}

func (s *outlook) proposedBars(page Board) (bars []Bar) {
	if page.Plan == nil {
		return nil
	}
	for _, p := range page.Plan.Proposals {
		if p.Taken || p.Gone != "" || p.Count == 0 || p.Replaces != nil {
			continue
		}
		one := snapshot.Planned{Planned: seasonrows.Planned{
			Species: p.Kind.ID, SetterID: p.Setter.ID, HatcherID: p.Hatcher.ID, SetOn: p.SetOn,
		}, Eggs: p.Eggs}
		if err := s.W.WorkOut(&one); err != nil {
			continue // its kind is gone
		}
		for _, stay := range one.Stays(s.W) {
			bars = append(bars, Bar{Stay: stay, BatchView: one.BatchView, Proposal: p.No, Label: one.Label()})
		}
	}
	return bars
}

// lanes puts the bars into their machines.
func (page *Board) lanes(s *outlook, bars []Bar, running []snapshot.Running) {
	for _, r := range running {
		lane := Lane{Running: r, rooms: s.W.Rooms[r.ID]}
		for _, c := range s.Book.Closures {
			if c.MachineID == r.ID {
				lane.Shut = append(lane.Shut, c)
			}
		}
		for _, bar := range bars {
			if bar.MachineID != r.ID || !bar.From.Before(page.To) || !bar.Stay.To.After(page.From) {
				continue
			}
			for _, c := range page.Clashes {
				if c.Stay.BatchID == bar.Stay.BatchID && c.Stay.MachineID == r.ID && c.Stay.Phase == bar.Phase {
					bar.Clash = c.Says
				}
			}
			lane.Bars = append(lane.Bars, bar)
		}
		lane.Loads = loads(lane.Bars, r.ID)
		if r.UntilOn == nil || len(lane.Bars) > 0 {
			page.Lanes = append(page.Lanes, lane)
		}
	}
}

// loads gives how full a machine is as it changes, by the fuller of its two phases; proposals do
// not count.
func loads(bars []Bar, machineID int64) (all []planner.Load) {
	var stays []planner.Stay
	for _, b := range bars {
		if b.Proposal == 0 {
			stays = append(stays, b.Stay)
		}
	}
	phases := [2][]planner.Load{
		planner.Loads(stays, machineID, false), planner.Loads(stays, machineID, true),
	}
	share := [2]float64{}
	for len(phases[0])+len(phases[1]) > 0 {
		first := 0
		if len(phases[0]) == 0 || len(phases[1]) > 0 && phases[1][0].At.Before(phases[0][0].At) {
			first = 1
		}
		at := phases[first][0].At
		share[first] = phases[first][0].Share
		phases[first] = phases[first][1:]
		all = append(all, planner.Load{At: at, Share: max(share[0], share[1])})
	}
	return all
}

// brooders draws the room of all brooders together, by what stands and is planned.
func (page *Board) brooders(s *outlook) {
	if len(s.Book.Brooders) == 0 {
		return
	}
	lane := &BroodLane{Names: s.brooderNames(), Places: s.BrooderPlaces()}
	var stays []planner.Stay
	for _, g := range s.Yard().Groups {
		stays = append(
			stays, planner.Stay{Phase: planner.Turning, From: g.From, To: g.To, Eggs: g.Places, Room: int(lane.Places)},
		)
	}
	lane.Loads = planner.Loads(stays, 0, false)
	page.Brooders = lane
}

// eggs tells for each day to come how many could be set that nothing is planned for.
func (page *Board) eggs(s *outlook) {
	left := s.EggsBut(0)
	for d := max(0, s.Day(page.From)); d < s.Day(page.To); d++ {
		day := EggDay{On: s.Date(d)}
		spread := 0.0
		for _, p := range s.W.Pens {
			kind := s.W.Kinds[p.Species]
			if kind == nil || kind.IsReptile() {
				continue
			}
			day.Free += left.Free(p.ID, d, ahead.MaxAge(kind))
			f := s.Lays[p.ID]
			if d > 0 {
				day.Laid += f.PerDay
				n := min(d, ahead.MaxAge(kind)+1)
				e, low, _ := f.Over(n)
				spread += (e - float64(low)) * (e - float64(low))
			}
		}
		day.Low, day.High = laying.Around(day.Free, spread)
		page.Eggs = append(page.Eggs, day)
	}
}

// ChangeHatcher lets a batch that still turns hatch in another machine.
func (b *Service) ChangeHatcher(
	ctx context.Context, req farm.Request, batchID, hatcherID int64,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		batch, err := tx.Batch(ctx, batchID)
		if err != nil {
			return farm.Done{}, err
		}
		w, v, err := snapshot.Viewed(ctx, tx, batch)
		if err != nil {
			return farm.Done{}, err
		}
		switch {
		case batch.LockedAt != nil || batch.ClosedAt != nil:
			return farm.Done{}, farm.Problemf("hatcher", "%s is in lockdown already.", batch.Code)
		case v.Kind.IsReptile() || w.Rooms[hatcherID][batch.Species].Hatching == 0:
			return farm.Done{}, farm.Problemf("hatcher", "Pick a machine in which these eggs can hatch.")
		}
		before := hatcherOf{batchID, batch.HatcherID}
		batch.HatcherID = hatcherID
		if err := tx.MoveBatch(ctx, batch); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(
			ctx, tx, journal.On(journal.Batch, batchID), journal.Undo{hatcherBefore.Of(before)},
			"%s is to hatch in %s.", batch.Code, w.MachineByID[hatcherID].Name,
		)
	})
}

// hatcherOf is where a batch was to hatch.
type hatcherOf struct{ Batch, Hatcher int64 }

var hatcherBefore = journal.NewKind("hatcher", func(ctx context.Context, tx *farm.Tx, h hatcherOf) error {
	batch, err := tx.Batch(ctx, h.Batch)
	if err != nil {
		return err
	}
	batch.HatcherID = h.Hatcher
	return tx.MoveBatch(ctx, batch)
})
