package main

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"

	"metrogon/core/breeding"
	"metrogon/core/rates"
	"metrogon/core/rates/regress"
)

// tallyIn is k of n eggs; in batches the name of the batch joins groups that were set together.
type tallyIn struct {
	N     int    `json:"n"`
	K     int    `json:"k"`
	Batch string `json:"batch"`
}

func (t tallyIn) check(field string) error {
	return cmp.Or(
		between(field+".n", float64(t.N), 0, 1e6), between(field+".k", float64(t.K), 0, float64(t.N)),
	)
}

func calcCompare(ctx context.Context, in []byte) (any, error) {
	var q struct {
		Groups []struct {
			Name    string    `json:"name"`
			N       *int      `json:"n"`
			K       *int      `json:"k"`
			Batches []tallyIn `json:"batches"`
		} `json:"groups"`
	}
	if err := strict(in, &q); err != nil {
		return nil, err
	}
	if n := len(q.Groups); n < 2 || n > 200 {
		return nil, fmt.Errorf("groups: %d are given; it may be 2 to 200", n)
	}
	batches := map[string]int64{}
	groups := make([]rates.Group, len(q.Groups))
	for i, g := range q.Groups {
		field := fmt.Sprintf("groups[%d]", i)
		groups[i].Name = g.Name
		if g.Batches == nil {
			if g.N == nil || g.K == nil {
				return nil, fmt.Errorf("%s: n and k are missing; they may be whole numbers", field)
			}
			t := tallyIn{N: *g.N, K: *g.K}
			if err := t.check(field); err != nil {
				return nil, err
			}
			groups[i].Lots = []rates.BatchTally{{Tally: rates.Tally{K: t.K, N: t.N}}}
			continue
		}
		if g.N != nil || g.K != nil {
			return nil, fmt.Errorf("%s: n, k beside batches; it may be one of them", field)
		}
		for j, b := range g.Batches {
			at := fmt.Sprintf("%s.batches[%d]", field, j)
			if err := b.check(at); err != nil {
				return nil, err
			}
			if b.Batch == "" {
				return nil, fmt.Errorf("%s.batch: nothing is given; it may be the batch's name", at)
			}
			id, ok := batches[b.Batch]
			if !ok {
				id = int64(len(batches) + 1)
				batches[b.Batch] = id
			}
			groups[i].Lots = append(groups[i].Lots, rates.BatchTally{Batch: id, Tally: rates.Tally{K: b.K, N: b.N}})
		}
	}
	return compareOut(groups, rates.Compare(groups, rates.Spread{})), nil
}

func compareOut(groups []rates.Group, c rates.Comparison) map[string]any {
	best := make([]map[string]any, len(groups))
	for i, g := range groups {
		best[i] = map[string]any{"name": g.Name, "p": c.Best[i]}
	}
	out := map[string]any{
		"p_value": c.Exact, "estimated": c.Estimated, "prob_best": best, "verdict": c.Verdict,
		"says": c.Says("either of them"), "batch_p_value": nil, "detectable_points": nil, "more_eggs_each": nil,
	}
	if !math.IsNaN(c.ByBatch) {
		out["batch_p_value"] = c.ByBatch
	}
	if !math.IsNaN(c.Detectable) {
		out["detectable_points"] = c.Detectable
		if c.More >= 0 {
			out["more_eggs_each"] = c.More
		}
	}
	return out
}

type coefficientOut struct {
	Name      string   `json:"name"`
	Estimate  *float64 `json:"estimate"`
	StdError  *float64 `json:"std_error"`
	P         *float64 `json:"p_value"`
	OddsRatio *float64 `json:"odds_ratio"`
	Low       *float64 `json:"low"`
	High      *float64 `json:"high"`
}

func calcRegress(ctx context.Context, in []byte) (any, error) {
	var q struct {
		Rows    []map[string]json.RawMessage `json:"rows"`
		On      []string                     `json:"on"`
		Cluster *string                      `json:"cluster"`
	}
	if err := strict(in, &q); err != nil {
		return nil, err
	}
	d, err := dataOf(q.Rows, q.On, q.Cluster)
	if err != nil {
		return nil, err
	}
	fit, err := regress.Logistic(d)
	if err != nil {
		return nil, fmt.Errorf("rows: %w", err)
	}
	all := make([]coefficientOut, len(fit.Coefficients))
	for i, c := range fit.Coefficients {
		all[i].Name = c.Name
		if !c.Known() {
			continue
		}
		low, high := c.Within()
		odds := func(x float64) float64 { return math.Exp(min(x, 700)) } // what a number can hold
		p, ratio, low, high := c.P(), odds(c.Estimate), odds(low), odds(high)
		all[i] = coefficientOut{c.Name, &c.Estimate, &c.StdError, &p, &ratio, &low, &high}
	}
	return map[string]any{
		"coefficients": all, "log_likelihood": fit.LogLikelihood, "rows": len(q.Rows),
		"separated": len(fit.Separated) > 0, "separated_by": orNone(fit.Separated), "aliased": orNone(fit.Aliased),
	}, nil
}

func orNone(names []string) []string {
	if names == nil {
		return []string{}
	}
	return names
}

// dataOf reads eggs: whether each hatched, and its factors, numbers or words.
func dataOf(rows []map[string]json.RawMessage, on []string, cluster *string) (d regress.Data, err error) {
	if len(rows) == 0 {
		return d, errors.New("rows: none are given; it may be one or more")
	}
	if len(rows) > 1_000_000 || len(on) > 50 {
		return d, errors.New("rows, on: too many are given; it may be up to a million rows and 50 factors")
	}
	for i, r := range rows {
		var hatched float64
		if json.Unmarshal(r["hatched"], &hatched) != nil || hatched != 0 && hatched != 1 {
			return d, fmt.Errorf("rows[%d].hatched: %s is given; it may be 0 or 1", i, given(r["hatched"]))
		}
		d.K, d.N = append(d.K, hatched), append(d.N, 1)
	}
	for i, name := range on {
		if name == "hatched" || slices.Contains(on[:i], name) {
			return d, fmt.Errorf("on[%d]: %q is given; it may be a factor of the rows, once", i, name)
		}
		f, err := factorOf(rows, name)
		if err != nil {
			return d, err
		}
		d.Factors = append(d.Factors, f)
	}
	if cluster == nil {
		return d, nil
	}
	ids := map[string]int64{}
	for i, r := range rows {
		if len(r[*cluster]) == 0 {
			return d, fmt.Errorf("rows[%d].%s: nothing is given; it may be the egg's %s", i, *cluster, *cluster)
		}
		key := string(bytes.TrimSpace(r[*cluster]))
		if _, ok := ids[key]; !ok {
			ids[key] = int64(len(ids) + 1)
		}
		d.Cluster = append(d.Cluster, ids[key])
	}
	return d, nil
}

func factorOf(rows []map[string]json.RawMessage, name string) (f regress.Factor, err error) {
	f.Name = name
	for i, r := range rows {
		var number float64
		var word string
		switch {
		case len(r[name]) > 0 && r[name][0] == '"' && json.Unmarshal(r[name], &word) == nil && f.Numbers == nil:
			f.Levels = append(f.Levels, word)
		case len(r[name]) > 0 && string(r[name]) != "null" && json.Unmarshal(r[name], &number) == nil && f.Levels == nil:
			f.Numbers = append(f.Numbers, number)
		default:
			return f, fmt.Errorf("rows[%d].%s: %s is given; it may be a number in every row, or a word in every row",
				i, name, given(r[name]))
		}
	}
	return f, nil
}

func given(raw json.RawMessage) string {
	if len(raw) == 0 {
		return "nothing"
	}
	return string(raw[:min(len(raw), 60)])
}

func calcPedigree(ctx context.Context, in []byte) (any, error) {
	type pair struct {
		Sire string `json:"sire"`
		Dam  string `json:"dam"`
	}
	var q struct {
		Birds []struct {
			ID   string  `json:"id"`
			Sire *string `json:"sire"`
			Dam  *string `json:"dam"`
		} `json:"birds"`
		Matings []pair `json:"matings"`
	}
	if err := strict(in, &q); err != nil {
		return nil, err
	}
	if len(q.Birds) > 20_000 {
		return nil, fmt.Errorf("birds: %d are given; it may be up to 20000", len(q.Birds))
	}
	ids := make([]string, len(q.Birds))
	parents := map[string]breeding.Parents[string]{}
	for i, b := range q.Birds {
		if ids[i] = b.ID; b.ID == "" {
			return nil, fmt.Errorf("birds[%d].id: nothing is given; it may be a name of its own", i)
		}
		var of breeding.Parents[string]
		if b.Sire != nil {
			of.Sire = *b.Sire
		}
		if b.Dam != nil {
			of.Dam = *b.Dam
		}
		parents[b.ID] = of
	}
	p, err := breeding.NewPedigree(ids, parents)
	if err != nil {
		return nil, fmt.Errorf("birds: %w", err)
	}
	own := []map[string]any{}
	for _, id := range ids {
		own = append(own, map[string]any{"id": id, "f": p.Inbreeding(id)})
	}
	matings := []map[string]any{}
	for i, m := range q.Matings {
		for _, id := range []string{m.Sire, m.Dam} {
			if !p.Has(id) {
				return nil, fmt.Errorf("matings[%d]: %q is not known; it may be one of the birds", i, id)
			}
		}
		matings = append(matings, map[string]any{"sire": m.Sire, "dam": m.Dam, "f": p.Mating(m.Sire, m.Dam)})
	}
	return map[string]any{"inbreeding": own, "matings": matings}, nil
}
