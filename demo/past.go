package demo

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/hatching"
	"metrogon/core/outcome"
	"metrogon/core/species"
	"metrogon/core/storage"
	"metrogon/store"
	"metrogon/store/books"
	hatchrows "metrogon/store/hatch"
	"metrogon/store/stock"
)

// gathered keeps each statement of a season short.
const gatheredAtOnce = 500

// live makes up what happened to these batches, and writes it down at once.
func (l *loader) live(ctx context.Context, lives []life) error {
	var gathered []stock.Collection
	for _, x := range lives {
		for _, lot := range x.lots {
			on := l.m.Date(x.at).AddDate(0, 0, -lot.age)
			gathered = append(gathered, collection(l.pens[lot.pen], on, lot.eggs, l.dice.IntN(8)/7))
		}
	}
	var ids []int64
	for some := range slices.Chunk(gathered, gatheredAtOnce) {
		made, err := stock.On(l.tx).Collect(ctx, some)
		if err != nil {
			return err
		}
		ids = append(ids, made...)
	}
	eggs, err := books.On(l.tx).CollectedEggs(ctx, ids)
	if err != nil {
		return err
	}
	var past books.Past
	for _, x := range lives {
		s := &story{loader: l, life: x, past: &past}
		for range x.lots {
			s.eggs, ids = append(s.eggs, eggs[ids[0]]...), ids[1:]
		}
		if err := s.tell(ctx); err != nil {
			return err
		}
	}
	return books.On(l.tx).AddPast(ctx, past, l.m.PersonID)
}

// story is what happens to one batch.
type story struct {
	*loader
	life
	past *books.Past
	kind *species.Profile
	b    store.Batch
	eggs []store.Egg
	roll map[int64]string          // what an egg is like: live, clear, ring, quit or late; gone
	fate map[int64]books.PastEgg   // of those that ended
	said map[int64][]candling.Call // of each egg
	// of its hatch
	seen  []seen
	shift float64 // hours, by which it is late
}

// tell makes the batch, rolls each egg's fate and tells, milestone by milestone, what was
// seen by the moment until which the story is told.
func (s *story) tell(ctx context.Context) (err error) {
	first := s.pens[s.lots[0].pen]
	if s.kind, err = species.Find(first.species); err != nil {
		return err
	}
	s.b = store.Batch{
		Species: s.kind.ID, Bantam: true, SetterID: s.box[s.setter], HatcherID: s.box[s.hatcher], SetAt: s.at,
	}
	for _, lot := range s.lots {
		s.b.Bantam = s.b.Bantam && s.pens[lot.pen].bantam
		s.b.StorageDays += float64(lot.age*lot.eggs) / float64(len(s.eggs))
	}
	if s.b.ID, s.b.Code, err = s.tx.AddBatch(ctx, s.b, s.kind.Short, s.at.In(s.m.Place).Year()); err != nil {
		return err
	}
	s.note(s.at, "Set %d eggs in %s.", len(s.eggs), s.setter)
	milestones, err := calendar.Schedule(calendar.Batch{
		Species: s.kind, SetAt: s.at, Zone: s.m.Place, StorageDays: s.b.StorageDays, Bantam: s.b.Bantam,
		ChoreAt: &s.m.Hour,
	})
	if err != nil {
		return err
	}
	s.rollFates()
	s.play(milestones)
	s.write()
	return s.hatched(ctx)
}

func (s *story) note(at time.Time, format string, args ...any) {
	s.past.Lines = append(s.past.Lines, store.Line{
		PersonID: s.m.PersonID, BatchID: s.b.ID, At: at, Said: fmt.Sprintf(format, args...),
	})
}

func (s *story) rollFates() {
	s.roll, s.fate, s.said = map[int64]string{}, map[int64]books.PastEgg{}, map[int64][]candling.Call{}
	for _, e := range s.eggs {
		p := s.byID(e.PenID)
		age := s.m.Date(s.b.SetAt).Sub(e.LaidOn).Hours() / 24
		switch r := s.dice.Float64(); {
		case r > p.fertile:
			s.roll[e.ID] = "clear"
		case s.dice.Float64() < p.hatches*storage.Relative(s.kind, age):
			s.roll[e.ID] = "live"
		default:
			s.roll[e.ID] = []string{"ring", "quit", "late", "late"}[s.dice.IntN(4)]
		}
	}
}

// play goes through the days.
func (s *story) play(milestones []calendar.Milestone) {
	candled := 0
	for _, ms := range milestones {
		if ms.At.After(s.until) {
			break
		}
		switch at := ms.At; {
		case ms.Kind == calendar.Candle && candled < 2:
			candled++
			s.candle(at, candled)
		case ms.Kind == calendar.Lockdown:
			s.b.LockedAt = &at
			s.note(at, "Lockdown.")
		case ms.Kind == calendar.Hatch:
			s.hatch(at)
		case ms.Kind == calendar.ClearOut:
			for _, e := range s.eggs {
				if r := s.roll[e.ID]; r == "late" || r == "quit" {
					s.end(e.ID, outcome.Unhatched, string(candling.Late), at)
				}
			}
			s.b.ClosedAt = &at
			s.note(at, "Closed.")
		}
	}
}

func (s *story) end(egg int64, fate outcome.Fate, stage string, at time.Time) {
	if _, ended := s.fate[egg]; !ended {
		s.fate[egg] = books.PastEgg{Fate: string(fate), Stage: stage, FateAt: at}
	}
}

// candle calls every egg; the first time clears and rings show, later quits.
func (s *story) candle(at time.Time, nth int) {
	calls := map[int64]string{}
	out := map[candling.Call]int{}
	for _, e := range s.eggs {
		call := candling.Call("")
		switch r := s.roll[e.ID]; {
		case nth == 1 && (r == "clear" || r == "ring"), nth == 2 && r == "quit":
			call = candling.Call(r)
		case r == "live" || r == "late" || (r == "quit" && nth == 1):
			call = candling.Live
		}
		if call == "" {
			continue
		}
		calls[e.ID] = string(call)
		s.said[e.ID] = append(s.said[e.ID], call)
		if call != candling.Live {
			out[call]++
			s.roll[e.ID] = "gone"
			s.end(e.ID, outcome.Removed, string(call), at)
		}
	}
	s.past.Candlings = append(s.past.Candlings, books.PastCandling{BatchID: s.b.ID, At: at, Calls: calls})
	for _, call := range candling.Calls {
		if out[call] > 0 {
			s.note(at, "%d called %s and taken out.", out[call], call)
		}
	}
}

// hatch lets the live ones out, each at its hour, as many as the time allows.
func (s *story) hatch(at time.Time) {
	low, high := s.kind.PipToOutH.From, s.kind.PipToOutH.To
	dice := rand.New(rand.NewPCG(uint64(len(s.past.Batches)), 21)) // of its own, so that the rest stays as it is
	if s.until.Sub(at) > 5*calendar.Day {
		s.shift = 6 * dice.NormFloat64()
	}
	out := 0
	for _, e := range s.eggs {
		after := func(t time.Time, h float64) time.Time {
			return t.Add(time.Duration(h * float64(time.Hour))).Truncate(time.Minute)
		}
		pip := after(at, s.shift+9*dice.NormFloat64()-(low+high)/2)
		young := after(pip, low+(high-low)*dice.Float64())
		if s.roll[e.ID] != "live" || pip.After(s.until) {
			continue
		}
		if s.seen = append(s.seen, seen{e, pip}); young.Before(s.until) {
			s.end(e.ID, outcome.Hatched, "", young)
			out++
		}
	}
	if out > 0 {
		s.note(at, "%d hatched.", out)
	}
}

// seen is an egg with its pip.
type seen struct {
	egg store.Egg
	pip time.Time
}

// hatched writes down the pips of a load that hatches now, and what one that is over told.
func (s *story) hatched(ctx context.Context) error {
	if s.b.LockedAt == nil {
		return nil
	}
	if s.b.ClosedAt != nil {
		held := func(within float64) *bool { is := math.Abs(s.shift) < within; return &is }
		return hatchrows.On(s.tx).SaveLesson(ctx, hatchrows.Lesson{
			BatchID: s.b.ID, Species: s.kind.ID, MachineID: s.b.HatcherID, ShiftH: s.shift,
			FirstHeld: held(9), MiddleHeld: held(11), LastHeld: held(10),
		})
	}
	for _, x := range s.seen {
		sign := hatchrows.HatchSign{
			BatchID: s.b.ID, PenID: &x.egg.PenID, EggID: &x.egg.ID, Kind: hatching.Pip, N: 1, At: x.pip,
		}
		if _, err := hatchrows.On(s.tx).AddSign(ctx, sign, s.m.PersonID); err != nil {
			return err
		}
	}
	return nil
}

// write keeps the batch and its eggs, with what the calls and the hatch have told of
// their fertility.
func (s *story) write() {
	s.past.Batches = append(s.past.Batches, s.b)
	for i, e := range s.eggs {
		row := s.fate[e.ID]
		row.ID, row.BatchID, row.No = e.ID, s.b.ID, i+1
		opened := candling.Stage("")
		if outcome.Fate(row.Fate) == outcome.Unhatched {
			opened = candling.Stage(row.Stage)
		}
		hatched := outcome.Fate(row.Fate) == outcome.Hatched
		if fertile, known := candling.Fertile(s.said[e.ID], hatched, opened); known {
			row.Fertile = &fertile
		}
		s.past.Eggs = append(s.past.Eggs, row)
	}
}

func (l *loader) byID(id int64) pen {
	for _, p := range l.pens {
		if p.id == id {
			return p
		}
	}
	return pen{}
}
