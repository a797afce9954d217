package season

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	planner "metrogon/core/season"
	"metrogon/core/season/solve"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/ahead"
	"metrogon/farm/journal"
	"metrogon/store"
	rows "metrogon/store/season"
)

// Kinds of what-if.
const (
	IfHatcher = "hatcher" // one more, of N hens' eggs
	IfBrooder = "brooder" // one more, of N places
	IfAway    = "away"    // from From to To
	IfHens    = "hens"    // N females more in a pen
)

// WhatIf is a farm that differs in one thing from this one.
type WhatIf struct {
	Kind  string    `json:"kind"`
	N     int       `json:"n,omitempty"`
	PenID int64     `json:"pen,omitempty"`
	From  time.Time `json:"from,omitzero"`
	To    time.Time `json:"to,omitzero"`
}

// newMachine is the planner's id of a machine that is not there yet.
var newMachine = machineID(0)

func (w *WhatIf) check(s *outlook) error {
	var p farm.Problems
	switch w.Kind {
	case IfHatcher, IfBrooder:
		p.Count("n", "The number of places", w.N, 1, 5000)
	case IfHens:
		p.Count("n", "The number of females", w.N, 1, 500)
		pen, ok := s.W.PenByID[w.PenID]
		if !ok || pen.Females == 0 || s.Lays[w.PenID].PerDay == 0 {
			p.Addf("pen", "Pick a pen that lays, and whose females are counted.")
		}
	case IfAway:
		p.Date("from_on", "The first day", w.From, s.Date(ahead.MostDays))
		p.Date("to_on", "The last day", w.To, s.Date(ahead.MostDays))
		if w.To.Before(w.From) {
			p.Addf("to_on", "The last day comes before the first.")
		}
	default:
		p.Addf("kind", "Pick what would be different.")
	}
	return p.Err()
}

// before changes the farm as planning sees it.
func (w *WhatIf) before(s *outlook) {
	switch w.Kind {
	case IfBrooder:
		if len(s.Book.Brooders) > 0 {
			s.Book.Brooders = append(s.Book.Brooders, rows.Brooder{Places: w.N})
		}
	case IfAway:
		s.Book.Away = append(s.Book.Away, rows.Away{FromOn: w.From, ToOn: w.To, Actions: ahead.Everything})
	case IfHens:
		f, females := s.Lays[w.PenID], float64(s.W.PenByID[w.PenID].Females)
		f.PerDay *= (females + float64(w.N)) / females
		s.Lays[w.PenID] = f
	}
}

// after changes the planner's problem.
func (w *WhatIf) after(s *outlook, r *solve.Request) {
	if w.Kind != IfHatcher {
		return
	}
	m := planner.Machine{ID: newMachine, Set: map[string]float64{}, Hatch: map[string]float64{}, CleanDays: 1}
	for _, k := range s.Kinds {
		m.Hatch[k.ID] = float64(places(w.N, k))
	}
	r.Machines = append(r.Machines, m)
}

// places is how many eggs of a kind fit where so many hens' eggs do: by their weight, small ones
// not closer than about two and a half to one [common practice].
func places(hens int, kind *species.Profile) int {
	const henG, closest = 58.0, 2.6
	return max(1, int(float64(hens)*min(henG/kind.EggG.At, closest)))
}

func (w *WhatIf) says(s *outlook) string {
	switch w.Kind {
	case IfHatcher:
		return fmt.Sprintf("Another hatcher, of %d hens’ eggs", w.N)
	case IfBrooder:
		return fmt.Sprintf("%d more brooder places", w.N)
	case IfHens:
		return fmt.Sprintf("%d more females in %s", w.N, s.W.PenByID[w.PenID].Name)
	}
	return fmt.Sprintf("Away from %s to %s", w.From.Format("Mon 2 Jan"), w.To.Format("Mon 2 Jan"))
}

// Keep makes what was asked true: the days away, the brooder, the machine are written down, and
// the plan that was made with them becomes the farm's. Hens are bought, not written down: the
// plan is kept once they lay.
func (b *Service) Keep(ctx context.Context, req farm.Request, id int64) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		s, row, v, err := b.proposed(ctx, tx, id)
		if err != nil {
			return farm.Done{}, err
		}
		if v.WhatIf == nil {
			return farm.Done{}, farm.Problemf("plan", "This is the farm’s plan already.")
		}
		if len(v.Void) > 0 {
			return farm.Done{}, farm.Problemf(
				"plan", "This does not hold any more. %s Try it again.", strings.Join(v.Void, " "),
			)
		}
		u, about := journal.Undo{planBefore.Of(row.Status())}, journal.On(journal.Plan, id)
		var step journal.Step
		switch w := v.WhatIf; w.Kind {
		case IfAway:
			n, err := rows.On(tx).SaveAway(ctx, rows.Away{FromOn: w.From, ToOn: w.To, Actions: ahead.Everything})
			if err != nil {
				return farm.Done{}, err
			}
			step = ahead.AwayBack.Of(ahead.Kept[rows.Away]{ID: n})
		case IfBrooder:
			n, err := rows.On(tx).SaveBrooder(ctx, rows.Brooder{Name: freshName("New brooder", s.brooderNames()), Places: w.N})
			if err != nil {
				return farm.Done{}, err
			}
			step = ahead.BrooderBack.Of(ahead.Kept[rows.Brooder]{ID: n})
		case IfHatcher:
			n, err := s.addHatcher(ctx, tx, w.N)
			if err != nil {
				return farm.Done{}, err
			}
			real := []byte(`"` + machineID(n) + `"`)
			row.Request = bytes.ReplaceAll(row.Request, []byte(`"`+newMachine+`"`), real)
			row.Answer = bytes.ReplaceAll(row.Answer, []byte(`"`+newMachine+`"`), real)
			u, about = nil, about.And(journal.Machine, n) // a machine is taken out of use, not forgotten
		default:
			return farm.Done{}, farm.Problemf("plan", "Buy the hens first: the plan counts what they lay.")
		}
		if err := b.keepMade(ctx, tx, &row); err != nil {
			return farm.Done{}, err
		}
		if err := rows.On(tx).AdoptPlan(ctx, row); err != nil {
			return farm.Done{}, err
		}
		if u != nil {
			u = append(u, step)
		}
		return journal.Record(ctx, tx, about, u, "Kept: %s. The plan that goes with it is yours now.", v.IfSays)
	})
}

func (s *outlook) addHatcher(ctx context.Context, tx *farm.Tx, n int) (int64, error) {
	var rooms []store.Room
	for _, k := range s.Kinds {
		rooms = append(rooms, store.Room{Species: k.ID, Hatching: places(n, k)})
	}
	var names []string
	for _, x := range s.W.Machines {
		names = append(names, x.Name)
	}
	return tx.SaveMachine(
		ctx, store.Machine{Name: freshName("New hatcher", names), Kind: "hatcher", CleanDays: 1}, rooms,
	)
}

func (s *outlook) brooderNames() (names []string) {
	for _, b := range s.Book.Brooders {
		names = append(names, b.Name)
	}
	return names
}

// freshName is one that nothing else has.
func freshName(name string, taken []string) string {
	free := name
	for n := 2; ; n++ {
		if !slices.Contains(taken, free) {
			return free
		}
		free = fmt.Sprintf("%s %d", name, n)
	}
}
