package clutch

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"metrogon/core/rates"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	"metrogon/store"
	clutchrows "metrogon/store/clutch"
)

// Gave is what some clutches gave.
type Gave struct {
	Name     string
	Clutches int
	Laid     int // slugs among them
	Good     snapshot.Rate
	Fertile  snapshot.Rate // of all of which somebody knows: slugs are none
	Hatched  snapshot.Rate // of the good ones, of clutches that are over
	counts   [3][]rates.Count
}

// Group is lines of one sort.
type Group struct {
	Name string
	Rows []Gave
}

// Rates is what clutches gave, by kind.
type Rates struct {
	Kinds []KindRates
}

// KindRates is one kind.
type KindRates struct {
	Kind   *species.Profile
	Groups []Group // dams, sires, pairs, seasons, place in the season
	Spread [3]rates.Spread
}

// Rates counts what clutches gave: per dam, sire and pair, season by season, and the first clutches of a season apart
// from the later ones.
func (s *Service) Rates(ctx context.Context, m *farm.Member) (all Rates, err error) {
	err = s.Read(ctx, m, func(tx *farm.Tx) error {
		w, err := snapshot.Of(ctx, tx)
		if err != nil {
			return err
		}
		laid, err := clutchrows.On(tx).AllClutches(ctx)
		if err != nil {
			return err
		}
		flock, err := lineage.Of(ctx, tx, w)
		if err != nil {
			return err
		}
		var ids []int64
		for _, c := range laid {
			ids = append(ids, c.BatchID)
		}
		tallies, err := tx.Tallies(ctx, ids)
		if err != nil {
			return err
		}
		batches, err := tx.BatchesByID(ctx, ids)
		if err != nil {
			return err
		}
		over := map[int64]bool{}
		for _, b := range batches {
			over[b.ID] = b.ClosedAt != nil
		}
		all = count(w, flock, histories(w, flock, laid), tallies, over)
		return nil
	})
	return all, err
}

// count sorts the clutches into their groups.
func count(
	w *snapshot.Snapshot, flock lineage.Flock, history []damHistory, tallies map[int64]store.Tally, over map[int64]bool,
) (all Rates) {
	byKind := map[string]map[string]map[string]*Gave{}
	kinds := map[string]*species.Profile{}
	for _, h := range history {
		groups := byKind[h.kind.ID]
		if groups == nil {
			groups = map[string]map[string]*Gave{}
			byKind[h.kind.ID], kinds[h.kind.ID] = groups, h.kind
		}
		for i, c := range h.clutches {
			sire := sireSays(flock, c.Clutch)
			place := "later ones of a season"
			if c.Number == 1 {
				place = "first of a season"
			}
			last := i+1 == len(h.clutches) || h.clutches[i+1].Number == 1
			if last && c.Number > 1 {
				place = "last of a season"
			}
			for group, name := range map[string]string{
				"Dams": h.name, "Sires": sire, "Pairs": h.name + " × " + sire,
				"Seasons": c.LaidTo.In(w.Member.Place).Format("2006"), "Place in the season": place,
			} {
				if groups[group] == nil {
					groups[group] = map[string]*Gave{}
				}
				if groups[group][name] == nil {
					groups[group][name] = &Gave{Name: name}
				}
				groups[group][name].add(c, tallies[c.BatchID], over[c.BatchID])
			}
		}
	}
	for id, groups := range byKind {
		all.Kinds = append(all.Kinds, ratesOf(kinds[id], groups))
	}
	slices.SortFunc(all.Kinds, func(a, b KindRates) int { return snapshot.CompareKinds(a.Kind, b.Kind) })
	return all
}

// add counts a clutch.
func (g *Gave) add(c laidClutch, t store.Tally, over bool) {
	g.Clutches++
	laid := t.Eggs + c.Slugs
	g.Laid += laid
	g.counts[0] = append(g.counts[0], rates.Count{K: float64(t.Eggs), N: float64(laid)})
	if known := t.Examined + c.Slugs; known > 0 {
		g.counts[1] = append(g.counts[1], rates.Count{K: float64(t.Fertile), N: float64(known)})
	}
	if eggs := t.Eggs - t.Broken; over && eggs > 0 {
		g.counts[2] = append(g.counts[2], rates.Count{K: float64(t.Hatched), N: float64(eggs)})
	}
}

// order of the groups.
var order = []string{"Dams", "Sires", "Pairs", "Seasons", "Place in the season"}

// ratesOf works the rates of one kind out: clutches of one dam differ by more than chance between eggs, so each
// interval allows for the spread between clutches.
func ratesOf(kind *species.Profile, groups map[string]map[string]*Gave) KindRates {
	k := KindRates{Kind: kind}
	for i := range k.Spread {
		var dams [][]rates.Count
		for _, name := range sorted(groups["Dams"]) {
			dams = append(dams, groups["Dams"][name].counts[i])
		}
		k.Spread[i] = rates.SpreadOf(dams)
	}
	for _, name := range order {
		group := Group{Name: name}
		for _, row := range sorted(groups[name]) {
			g := *groups[name][row]
			for i, rate := range g.all() {
				*rate = snapshot.RateOf(k.Spread[i], g.counts[i])
			}
			group.Rows = append(group.Rows, g)
		}
		for i := range k.Spread {
			each := make([]*snapshot.Rate, len(group.Rows))
			for j := range group.Rows {
				each[j] = group.Rows[j].all()[i]
			}
			snapshot.Pool(each)
		}
		k.Groups = append(k.Groups, group)
	}
	return k
}

func (g *Gave) all() [3]*snapshot.Rate { return [3]*snapshot.Rate{&g.Good, &g.Fertile, &g.Hatched} }

func sorted(rows map[string]*Gave) (names []string) {
	for name := range rows {
		names = append(names, name)
	}
	slices.SortFunc(names, func(a, b string) int { return cmp.Compare(strings.ToLower(a), strings.ToLower(b)) })
	return names
}

// Says how much clutches of one dam differ.
func (k KindRates) Says() string {
	if !k.Spread[2].Differ() {
		return "Clutches of one dam differ by no more than chance between eggs, as far as so few tell."
	}
	return fmt.Sprintf("Clutches of one dam differ by about %.0f points in what hatches, beyond chance between eggs; the "+
		"bars allow for it.", k.Spread[2].Points())
}

// Each is how many eggs a clutch had, slugs among them.
func (g Gave) Each() float64 { return float64(g.Laid) / float64(max(1, g.Clutches)) }
