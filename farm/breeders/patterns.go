package breeders

import (
	"context"
	"fmt"

	"metrogon/core/rates"
	"metrogon/farm"
)

// Pattern is something by which the hatches of a kind differ by more than chance.
type Pattern struct {
	By   string // the dimension
	Name string
	Says string
}

// Where patterns are looked for; each is one more chance that something stands out by accident, so
// that the p of each is taken times their number (Bonferroni).
var patternsIn = []string{"machine", "place", "pen", "candler", "month"}

// fewest eggs of a group that is looked at.
const fewest = 20

// Patterns tells by what the hatch of fertile eggs of a kind differs: a machine, a corner, a pen, who
// candled, the month.
func Patterns(ctx context.Context, tx *farm.Tx, species string) (all []Pattern, err error) {
	s, err := newScene(ctx, tx, Query{Kind: species, By: "candler"})
	if err != nil {
		return nil, err
	}
	for _, by := range patternsIn {
		t := s.groups(Query{Kind: species, By: by, Rate: HatchOfFertile})
		if t.Kind == nil || t.Kind.ID != species {
			return nil, nil
		}
		var groups []rates.Group
		for _, r := range t.Rows {
			if !r.Aside && r.HatchOfFertile.N >= fewest {
				groups = append(groups, r.group(HatchOfFertile))
			}
		}
		if p, told := t.pattern(groups, s.spread(HatchOfFertile)); told {
			all = append(all, p)
		}
	}
	return all, nil
}

// pattern tells of the group that lies lowest, where the groups differ by more than chance and batches do.
func (t *Table) pattern(groups []rates.Group, spread rates.Spread) (p Pattern, told bool) {
	chance := rates.ByBatches(groups, spread) * float64(len(patternsIn))
	if !(chance < 0.2) {
		return p, false
	}
	low, lowest, rest := 0, 2., rates.Tally{}
	totals := make([]rates.Tally, len(groups))
	for i, g := range groups {
		totals[i] = g.Total()
		if share := float64(totals[i].K) / float64(max(1, totals[i].N)); share < lowest {
			low, lowest = i, share
		}
	}
	for i, of := range totals {
		if i != low {
			rest.K, rest.N = rest.K+of.K, rest.N+of.N
		}
	}
	how := "more speaks for it than against it; look again after the next batches"
	if chance < 0.05 {
		how = "chance alone hardly does this"
	}
	return Pattern{t.Dimension.ID, t.Dimension.Name, fmt.Sprintf(
		"%s: %d of %d fertile eggs hatched (%.0f %%), elsewhere %.0f %%: %s.", groups[low].Name, totals[low].K,
		totals[low].N, 100*lowest, 100*float64(rest.K)/float64(max(1, rest.N)), how,
	)}, true
}
