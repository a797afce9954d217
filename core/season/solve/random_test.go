package solve_test

import (
	"fmt"
	"math/rand/v2"

	"metrogon/core/season"
)

// randomProblem makes a small season up, often a tight one.
func randomProblem(dice *rand.Rand) *season.Problem {
	n := func(least, most int) int { return least + dice.IntN(most-least+1) }
	p := &season.Problem{
		Days: n(20, 70), MinBatch: float64(n(0, 8)), EggCost: .3 * dice.Float64(), SettingCost: 3 * dice.Float64(),
		BrooderPlaces: float64(n(5, 80)),
	}
	for i := range n(1, 3) {
		s := season.Species{
			ID: fmt.Sprint("kind-", i), Lockdown: n(0, 16), MaxAge: n(1, 9), BroodPlaces: float64(n(0, 4)) / 2,
			BroodDays: n(0, 20),
		}
		s.Pull = s.Lockdown + n(0, 4)
		for f, a := 1.0, 0; a <= s.MaxAge; a++ {
			s.AgeFactor = append(s.AgeFactor, f)
			f -= .04 * dice.Float64()
		}
		p.Species = append(p.Species, s)
	}
	for i := range n(1, 4) {
		s := season.Source{
			ID: fmt.Sprint("pen-", i), Species: p.Species[dice.IntN(len(p.Species))].ID, Yield: .2 + .7*dice.Float64(),
			Kept: .6 + .4*dice.Float64(), Supply: []season.Lay{},
		}
		for d := -8; d < p.Days; d++ {
			if dice.IntN(3) > 0 {
				s.Supply = append(s.Supply, season.Lay{Laid: d, Eggs: float64(n(0, 6))})
			}
		}
		p.Sources = append(p.Sources, s)
	}
	for i := range n(1, 4) {
		m := season.Machine{
			ID: fmt.Sprint("box-", i), Set: map[string]float64{}, Hatch: map[string]float64{}, CleanDays: n(0, 2),
		}
		for _, s := range p.Species {
			if dice.IntN(4) > 0 {
				m.Set[s.ID] = float64(n(0, 40))
			}
			if dice.IntN(3) > 0 {
				m.Hatch[s.ID] = float64(n(0, 30))
			}
		}
		if dice.IntN(3) == 0 {
			d := dice.IntN(p.Days)
			m.Closed = [][2]int{{d, d + n(0, 5)}}
		}
		p.Machines = append(p.Machines, m)
	}
	for range n(0, 3) {
		d := dice.IntN(p.Days)
		p.Away = append(p.Away, season.Away{
			From: d, To: d + n(0, 3), Not: []string{"set", "lockdown", "pull"}[:n(1, 3)],
		})
	}
	for i := range n(1, 5) {
		o := season.Order{
			ID: fmt.Sprint("order-", i), Young: float64(n(1, 25)), PullFrom: n(-3, p.Days), Value: 5 * dice.Float64(),
		}
		o.PullTo = o.PullFrom + n(0, 9)
		for range n(1, 3) {
			o.Sources = append(o.Sources, p.Sources[dice.IntN(len(p.Sources))].ID)
		}
		p.Orders = append(p.Orders, o)
	}
	return p
}

// spoil changes a plan at random, so that it mostly breaks a rule.
func spoil(dice *rand.Rand, p *season.Problem, plan []season.Batch) []season.Batch {
	out := make([]season.Batch, len(plan))
	for i, b := range plan {
		b.Eggs, b.Orders = append(season.Clutch{}, b.Eggs...), append([]season.Give{}, b.Orders...)
		out[i] = b
	}
	for range dice.IntN(4) {
		if len(out) == 0 || dice.IntN(6) == 0 {
			s := p.Sources[dice.IntN(len(p.Sources))]
			day := dice.IntN(p.Days+4) - 2
			out = append(out, season.Batch{Source: s.ID, SetDay: day, Setter: p.Machines[dice.IntN(len(p.Machines))].ID,
				Hatcher: p.Machines[dice.IntN(len(p.Machines))].ID,
				Eggs:    season.Clutch{{Laid: day - dice.IntN(12), Eggs: float64(dice.IntN(9))}}, Orders: []season.Give{
					{Order: p.Orders[dice.IntN(len(p.Orders))].ID, Young: 3 * dice.Float64()},
				}})
			continue
		}
		b := &out[dice.IntN(len(out))]
		switch dice.IntN(9) {
		case 0:
			b.SetDay += dice.IntN(7) - 3
		case 1:
			b.Setter = p.Machines[dice.IntN(len(p.Machines))].ID
		case 2:
			b.Hatcher = p.Machines[dice.IntN(len(p.Machines))].ID
		case 3:
			if len(b.Eggs) > 0 {
				b.Eggs[dice.IntN(len(b.Eggs))].Eggs += float64(dice.IntN(9) - 3)
			}
		case 4:
			if len(b.Orders) > 0 {
				b.Orders[dice.IntN(len(b.Orders))].Young *= 2 * dice.Float64()
			}
		case 5:
			b.Source = p.Sources[dice.IntN(len(p.Sources))].ID
		case 6:
			b.Orders = append(b.Orders, season.Give{
				Order: p.Orders[dice.IntN(len(p.Orders))].ID, Young: dice.Float64() - .2,
			})
		case 7:
			switch dice.IntN(5) {
			case 0:
				b.Source = "nobody"
			case 1:
				b.Setter = "nothing"
			case 2:
				b.Hatcher = "nothing"
			case 3:
				b.Eggs = season.Clutch{}
			default:
				b.Orders = append(b.Orders, season.Give{Order: "no promise", Young: 1})
			}
		default:
			if len(b.Eggs) > 0 {
				b.Eggs[0].Laid -= dice.IntN(5)
			}
		}
	}
	return out
}
