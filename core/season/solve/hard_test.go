package solve_test

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"slices"
	"testing"
	"time"

	"metrogon/core/season"
	"metrogon/core/season/solve"
)

// scarce is a sample's kin in which eggs are few and promises many: of the eggs a part is laid,
// and every promise is two, of pens that they share.
func scarce(p *season.Problem, seed uint64) *season.Problem {
	dice := rand.New(rand.NewPCG(seed, 0x5ca4ce))
	q := *p
	q.Sources = slices.Clone(p.Sources)
	left := .45 + .25*dice.Float64()
	for i := range q.Sources {
		s := &q.Sources[i]
		s.Supply = slices.Clone(s.Supply)
		for j := range s.Supply {
			eggs := 0
			for range int(s.Supply[j].Eggs) {
				if dice.Float64() < left {
					eggs++
				}
			}
			s.Supply[j].Eggs = float64(eggs)
		}
	}
	q.Orders = nil
	for _, o := range p.Orders {
		for half := range 2 {
			x := o
			x.ID = fmt.Sprintf("%s-%d", o.ID, half)
			x.Young = math.Max(2, math.Round(o.Young*(.5+.4*dice.Float64())))
			shift := dice.IntN(9) - 4
			x.PullFrom, x.PullTo = o.PullFrom+shift, o.PullTo+shift
			x.Value = math.Round(100*o.Value*(.7+.6*dice.Float64())) / 100
			x.Sources = slices.Clone(o.Sources)
			kind := ""
			for _, s := range q.Sources {
				if s.ID == o.Sources[0] {
					kind = s.Species
				}
			}
			for _, s := range q.Sources {
				if s.Species == kind && !slices.Contains(x.Sources, s.ID) && dice.IntN(2) == 0 {
					x.Sources = append(x.Sources, s.ID)
				}
			}
			q.Orders = append(q.Orders, x)
		}
	}
	return &q
}

// shaken is a sample's kin with other windows, young, laying and hatchers.
func shaken(p *season.Problem, seed uint64) *season.Problem {
	dice := rand.New(rand.NewPCG(seed, 0x54a4e))
	q := *p
	q.Orders, q.Sources, q.Machines = slices.Clone(p.Orders), slices.Clone(p.Sources), slices.Clone(p.Machines)
	for i := range q.Orders {
		o := &q.Orders[i]
		shift := dice.IntN(7) - 3
		o.PullFrom, o.PullTo = o.PullFrom+shift, o.PullTo+shift
		o.Young = math.Max(1, math.Round(o.Young*(.8+.4*dice.Float64())))
	}
	for i := range q.Sources {
		s := &q.Sources[i]
		s.Supply = slices.Clone(s.Supply)
		for j := range s.Supply {
			s.Supply[j].Eggs = math.Max(0, s.Supply[j].Eggs+float64(dice.IntN(3)-1))
		}
	}
	return &q
}

// hard are problems on which the search and the bound have most to do, by name.
func hard(tb testing.TB) (names []string, all map[string]*season.Problem) {
	_, problems, _ := samples(tb)
	all = map[string]*season.Problem{}
	for _, name := range []string{"03-small-hatcher-weekends", "05-full-brooder-few-eggs", "06-mixed-yard"} {
		for seed := range uint64(2) {
			all[fmt.Sprintf("scarce-%s-%d", name[:2], seed+1)] = scarce(problems[name], seed+1)
		}
	}
	for seed := range uint64(2) {
		all[fmt.Sprintf("yard-06-%d", seed+1)] = shaken(problems["06-mixed-yard"], seed+1)
	}
	for name := range all {
		names = append(names, name)
	}
	slices.Sort(names)
	return names, all
}

// BenchmarkHard works on them for so many seconds (SECONDS, default 5), and holds what it finds
// against the best that was ever found, in testdata/hard.json; a better one is written there.
func BenchmarkHard(b *testing.B) {
	seconds := 5.0
	if _, err := fmt.Sscan(os.Getenv("SECONDS"), &seconds); err != nil {
		seconds = 5
	}
	const file = "../testdata/hard.json"
	best := map[string]float64{}
	if text, err := os.ReadFile(file); err == nil {
		if err := json.Unmarshal(text, &best); err != nil {
			b.Fatal(err)
		}
	}
	names, problems := hard(b)
	for _, name := range names {
		b.Run(name, func(b *testing.B) {
			for range b.N {
				plan := solved(b, problems[name], time.Duration(seconds*1e9), solve.Options{Seed: hardSeed()})
				if plan.Score > best[name]+1e-9 {
					best[name] = plan.Score
				}
				b.ReportMetric(plan.Score, "score")
				b.ReportMetric(100*plan.Score/best[name], "of_best_%")
				b.ReportMetric(100*(*plan.Bound-plan.Score)/plan.Score, "gap_%")
				b.ReportMetric(float64(plan.Steps), "steps")
			}
		})
	}
	text, err := json.MarshalIndent(best, "", "  ")
	if err == nil {
		err = os.WriteFile(file, append(text, '\n'), 0o644)
	}
	if err != nil {
		b.Fatal(err)
	}
}

var hardSeeds uint64

func hardSeed() uint64 { hardSeeds++; return hardSeeds }
