// Package diagnosis weighs why eggs of a batch did not hatch: the causes in order of how likely
// they are, each with what this very batch says for and against it, and what to do next time.
//
// Every cause says where the eggs that it costs are found (causes.toml), and how much likelier it
// makes what else is known (signs.toml). Both are weighed against a batch of which nothing went
// wrong, by Bayes’ rule; how much a cause cost is left open. Batches differ from one another by
// more than chance between eggs, so the ends of eggs are taken as Dirichlet-multinomial.
package diagnosis

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"metrogon/core/species"
	"metrogon/core/wording"
)

// Chance is the cause of what goes beyond nothing.
const Chance = "chance"

// Counts is how the eggs of a batch ended; they add up to the eggs that were set.
type Counts struct {
	Clear, Early, Middle, Late, PippedInside, PippedDead, Malpositioned, Contaminated, Cracked, Hatched int
	// NotOpened did not hatch, and nobody looked why.
	NotOpened int
}

// Set is how many there are.
func (c Counts) Set() int { return c.Clear + c.Lost() + c.Cracked + c.Hatched + c.NotOpened }

// Lost is how many are known to have been fertile and to have died.
func (c Counts) Lost() int {
	return c.Early + c.Middle + c.Late + c.PippedInside + c.PippedDead + c.Malpositioned + c.Contaminated
}

// Below these counts a batch tells nothing.
const (
	FewSet  = 20
	FewLost = 12
)

// Facts are what else is known of a batch; nil is not known. Shares are 0 to 1.
type Facts struct {
	TempOffsetC                         *float64 // mean deviation held over the whole time, °C
	TempSwingC                          *float64 // between the warmest and the coolest, °C
	LossPct                             *float64 // water lost by lockdown, % of the fresh mass
	TargetPct                           *float64 // of it; nil: the kind's
	RHLockdown                          *float64 // %
	LidOpenedMin                        *float64 // in lockdown, minutes in all
	StorageDays                         *float64 // mean
	StorageTempC                        *float64
	Shipped                             *float64 // share of the eggs
	TurningGapH                         *float64 // longest time without a turn
	TurnsPerDay                         *float64
	PointUp                             *float64 // share of the eggs
	StartDay                            *float64 // elapsed day of the first young
	SpanH                               *float64 // from the first young to the last
	Weak, BloodyNavels, Splayed, Sticky *float64 // shares of the young
	FemalesPerMale, DaysSinceMale       *float64
	YoungLayers, WashedCold             *float64 // shares of the eggs
	OutageH                             *float64
	FertilityPct, HatchPct              *float64 // the farm's usual: of set, of fertile
}

// Batch is what a diagnosis is made of.
type Batch struct {
	Kind *species.Profile
	Counts
	Facts
}

// Evidence is one thing that this batch says.
type Evidence struct {
	Fact  string // of the signs; "" for how eggs ended
	Value float64
	Text  string // in °C where it is a temperature
}

// Cause is one of those that are weighed.
type Cause struct {
	ID, Name     string
	Pct          float64 // how likely, %
	For, Against []Evidence
	Try          []string
	Open         []string // what nobody knows and would tell most of it
}

// Result is a diagnosis.
type Result struct {
	Enough bool
	Says   string
	Causes []Cause // the likeliest first
}

// Check names the fact that cannot be, and what it may be.
func (b Batch) Check() error {
	f := b.Facts
	for _, x := range []struct {
		field  string
		x      *float64
		lo, hi float64
	}{
		{"temp_offset_c", f.TempOffsetC, -10, 10}, {"temp_swing_c", f.TempSwingC, 0, 40},
		{"loss_pct", f.LossPct, 0, 60}, {"target_loss_pct", f.TargetPct, 1, 40},
		{"rh_lockdown_pct", f.RHLockdown, 0, 100}, {"lid_opened_min", f.LidOpenedMin, 0, 10000},
		{"storage_days", f.StorageDays, 0, 60}, {"storage_temp_c", f.StorageTempC, -20, 50},
		{"turning_gap_h", f.TurningGapH, 0, 1500}, {"turns_per_day", f.TurnsPerDay, 0, 1440},
		{"hatch_start_day", f.StartDay, 1, 120}, {"hatch_span_h", f.SpanH, 0, 1000},
		{"females_per_male", f.FemalesPerMale, 0, 1000}, {"days_since_male", f.DaysSinceMale, 0, 10000},
		{"outage_h", f.OutageH, 0, 1000}, {"usual_fertility_pct", f.FertilityPct, 0, 100},
		{"usual_hatch_of_fertile_pct", f.HatchPct, 0, 100},
	} {
		if x.x != nil && !(*x.x >= x.lo && *x.x <= x.hi) {
			return fmt.Errorf("%s: %g is not possible; it may be %g to %g", x.field, *x.x, x.lo, x.hi)
		}
	}
	return nil
}

// The days of hens' eggs, to which those of other kinds are scaled.
const hensHatch = 21.

// The usual share of a good hatch's whole time, from first to last young, in hens' eggs: a day.
const usualSpanH = 24.

// value is a fact as it is weighed, and as it is said.
type value struct{ weighed, said float64 }

// values turns what is known into the values of the signs.
func (b Batch) values() map[string]value {
	v := map[string]value{}
	put := func(fact string, x *float64) {
		if x != nil {
			v[fact] = value{*x, *x}
		}
	}
	scaled := func(fact string, x *float64, by func(float64) float64) {
		if x != nil {
			v[fact] = value{by(*x), *x}
		}
	}
	f, hatch := b.Facts, b.Kind.HatchDays.At
	put("temp_offset_c", f.TempOffsetC)
	put("temp_swing_c", f.TempSwingC)
	if f.LossPct != nil {
		goal := b.Kind.LossPct.At
		if f.TargetPct != nil {
			goal = *f.TargetPct
		}
		over := *f.LossPct - goal
		v["loss_over_points"] = value{over, over}
	}
	put("rh_lockdown_pct", f.RHLockdown)
	put("lid_opened_min", f.LidOpenedMin)
	scaled("storage_days", f.StorageDays, b.Kind.HenDays)
	put("storage_temp_c", f.StorageTempC)
	put("shipped", f.Shipped)
	put("turning_gap_h", f.TurningGapH)
	put("turns_per_day", f.TurnsPerDay)
	put("point_up", f.PointUp)
	if f.StartDay != nil {
		// The first young of a good hatch are out half a day before the middle [common practice].
		late := *f.StartDay - (hatch - 0.5*hatch/hensHatch)
		v["hatch_late_days"] = value{late * hensHatch / hatch, late}
	}
	scaled("hatch_span_h", f.SpanH, func(x float64) float64 { return x / (usualSpanH * hatch / hensHatch) })
	put("weak", f.Weak)
	put("bloody_navels", f.BloodyNavels)
	put("splayed", f.Splayed)
	put("sticky", f.Sticky)
	scaled("females_per_male", f.FemalesPerMale, b.ratio)
	put("days_since_male", f.DaysSinceMale)
	put("young_layers", f.YoungLayers)
	put("washed_cold", f.WashedCold)
	put("outage_h", f.OutageH)
	return v
}

// ratio is by how many times females are more than the most that are usual, or fewer than the
// fewest; 1 between.
func (b Batch) ratio(females float64) float64 {
	usual := b.Kind.FemalesPerMale
	switch {
	case !usual.Known():
		return 1
	case females > usual.To:
		return females / usual.To
	case females < usual.From:
		return females / usual.From
	}
	return 1
}

// usual is the farm's own fertility and hatch of fertile, 0 to 1, and how well they are known, as
// the number of eggs that the ends of a batch are spread by.
func (b Batch) usual() (fertile, hatch, worth float64) {
	fertile, hatch = b.Kind.UsualFertilityPct.At/100, b.Kind.UsualHatchPct.At/100
	worth = unknownWorth
	if b.FertilityPct != nil {
		fertile = *b.FertilityPct / 100
	}
	if b.HatchPct != nil {
		hatch, worth = *b.HatchPct/100, knownWorth
	}
	keep := func(x float64) float64 { return min(max(x, 0.05), 0.97) }
	return keep(fertile), keep(hatch), worth
}

// A spread of ρ = 0.02 between batches is worth 49 eggs; a little less where the farm has no record
// of its own.
const knownWorth, unknownWorth = 49., 45.

// Severities are the shares of eggs that a cause may have cost.
var severities = []float64{0.08, 0.15, 0.25, 0.4, 0.6}

// Diagnose weighs the causes.
func (b Batch) Diagnose() Result {
	known, values, weight := data(), b.values(), b.weight()
	logs := make([]float64, len(known.Causes))
	causes := make([]Cause, len(known.Causes))
	for i, c := range known.Causes {
		of := &causes[i]
		*of = Cause{ID: c.ID, Name: c.Name, Try: c.Try, Open: open(known.Signs, c.ID, values)}
		b.weighDeaths(known.Usual, c, of)
		facts := of.weighFacts(known.Signs, values)
		logs[i] = math.Log(c.Before) + weight*(b.fates(known.Usual, c)+min(max(facts, -mostFacts), mostFacts))
	}
	top, sum := slices.Max(logs), 0.
	for _, l := range logs {
		sum += math.Exp(l - top)
	}
	for i, l := range logs {
		causes[i].Pct = 100 * math.Exp(l-top) / sum
	}
	slices.SortStableFunc(causes, func(x, y Cause) int { return cmp.Compare(y.Pct, x.Pct) })
	r := Result{Enough: b.Set() >= FewSet && b.Lost() >= FewLost, Causes: causes}
	r.Says = b.says(r)
	return r
}

// weight is how much a batch of few eggs may move what was thought before: all where there are
// enough that did not hatch.
func (b Batch) weight() float64 {
	return min(1, float64(b.Set())/FewSet) * min(1, float64(b.Lost()+b.Clear+b.NotOpened)/FewLost)
}

// weighFacts adds up what the known facts say of a cause, as a logarithm.
func (c *Cause) weighFacts(signs []sign, values map[string]value) (all float64) {
	for _, s := range sorted(signs, c.ID, values) {
		all += s.log
		switch {
		case s.log > speaks:
			c.For = append(c.For, s.Evidence)
		case s.log < -speaks:
			c.Against = append(c.Against, s.Evidence)
		}
	}
	return all
}

// What is said at all: a fact that makes a cause a quarter likelier or less likely; and how much
// all facts together may do, since they lean on one another.
var (
	speaks    = math.Log(1.25)
	mostFacts = math.Log(60)
)

// ends are the shares of eggs by how they end, in the order of kinds.
type ends [10]float64

// counts in the same order.
func (c Counts) counts() [10]int {
	return [10]int{
		c.Clear, c.Early, c.Middle, c.Late, c.PippedInside, c.PippedDead, c.Malpositioned, c.Contaminated, c.Cracked,
		c.Hatched,
	}
}

// Names of the ends that a cause may kill at, in the order of kinds; the last is the hatch.
var kinds = []string{
	"clear", "early", "middle", "late", "pipped_inside", "pipped_dead", "malpositioned", "contaminated", "cracked",
}

// clear and hatched are places among the ends.
const clear, hatched = 0, 9

// shares is how a batch's eggs end when a cause cost so much of what it can take: of all eggs for
// one that leaves clears alone, of the fertile ones for every other.
func shares(usual map[string]float64, fertile, hatch, cost float64, kills map[string]float64) (e ends) {
	e[clear], e[hatched] = 1-fertile, fertile*hatch
	for i, k := range kinds[1:] {
		e[i+1] = fertile * (1 - hatch) * usual[k]
	}
	if cost == 0 {
		return e
	}
	mass := 0.
	for i := range e {
		if i != clear {
			mass += cost * e[i]
			e[i] *= 1 - cost
		}
	}
	for i, k := range kinds {
		e[i] += mass * kills[k]
	}
	return e
}

// fates is the logarithm of how likely the ends of the eggs are under a cause.
func (b Batch) fates(usual map[string]float64, c cause) float64 {
	fertile, hatch, worth := b.usual()
	if c.ID == Chance {
		return b.likelihood(shares(usual, fertile, hatch, 0, nil), worth)
	}
	sum := 0.
	for _, s := range severities {
		sum += math.Exp(b.likelihood(shares(usual, fertile, hatch, s, c.Kills), worth)) / float64(len(severities))
	}
	return math.Log(sum)
}

// likelihood of the counts, Dirichlet-multinomial; eggs that nobody opened count as not hatched.
func (b Batch) likelihood(e ends, worth float64) float64 {
	n := b.counts()
	dead, all := 0, 0
	for i := range n {
		if all += n[i]; i != hatched {
			dead += n[i]
		}
	}
	l := 0.
	if b.NotOpened == 0 {
		return dirichlet(n[:], e[:], worth)
	}
	// Hatched or not, of all; how they died, of those that were opened.
	l += dirichlet([]int{n[hatched], dead + b.NotOpened}, []float64{e[hatched], 1 - e[hatched]}, worth)
	parts := e
	for i := range parts {
		parts[i] /= 1 - e[hatched]
	}
	return l + dirichlet(n[:hatched], parts[:hatched], worth*(1-e[hatched]))
}

// dirichlet is the logarithm of the Dirichlet-multinomial but for what is the same for all causes.
func dirichlet(n []int, p []float64, worth float64) (l float64) {
	all := 0
	for i := range n {
		a := max(worth*p[i], 1e-3)
		l += gamma(a+float64(n[i])) - gamma(a)
		all += n[i]
	}
	return l + gamma(worth) - gamma(worth+float64(all))
}

func gamma(x float64) float64 {
	l, _ := math.Lgamma(x)
	return l
}

// weighDeaths says in numbers whether eggs ended where the cause kills.
func (b Batch) weighDeaths(usual map[string]float64, c cause, says *Cause) {
	opened := b.Set() - b.NotOpened
	if opened == 0 {
		return
	}
	fertile, hatch, _ := b.usual()
	e, n := shares(usual, fertile, hatch, 0, nil), b.counts()
	told := func(what string, n int, expect float64, of int) Evidence {
		return Evidence{Value: float64(n), Text: fmt.Sprintf("%s %d of %d, %s would be usual", what, n, of, about(expect))}
	}
	if c.ID == Chance {
		expect := e[hatched] * float64(b.Set())
		if float64(b.Hatched) >= expect-math.Sqrt(expect*(1-e[hatched])) {
			says.For = append(says.For, told("hatched", b.Hatched, expect, b.Set()))
		} else {
			says.Against = append(says.Against, told("hatched", b.Hatched, expect, b.Set()))
		}
		return
	}
	for i, k := range kinds {
		if c.Kills[k] < 0.2 {
			continue
		}
		expect := e[i] * float64(opened)
		switch sd := math.Sqrt(expect*(1-e[i])) + 0.5; {
		case float64(n[i]) > expect+1.5*sd:
			says.For = append(says.For, told(deathNames[k], n[i], expect, opened))
		case float64(n[i]) <= expect+0.3*sd && c.Kills[k] >= 0.3:
			says.Against = append(says.Against, told(deathNames[k], n[i], expect, opened))
		}
	}
}

// End is how some eggs ended, and how many of as many would be usual.
type End struct {
	ID, Name string
	Eggs     int
	Usual    float64
}

// Expected lists how eggs ended beside what would be usual; those that nobody opened last, where there are any.
func (b Batch) Expected() (all []End) {
	fertile, hatch, _ := b.usual()
	e, n := shares(data().Usual, fertile, hatch, 0, nil), b.counts()
	for i, k := range kinds {
		all = append(all, End{k, wording.Capital(deathNames[k]), n[i], e[i] * float64(b.Set())})
	}
	if b.NotOpened > 0 {
		all = append(all, End{"not_opened", "Not opened", b.NotOpened, 0})
	}
	return all
}

// about says how many are expected.
func about(n float64) string {
	if n < 1 {
		return "fewer than 1"
	}
	return fmt.Sprintf("about %.0f", n)
}

// deathNames as they are read.
var deathNames = map[string]string{
	"clear": "clears", "early": "early deaths", "middle": "deaths half-way", "late": "late deaths",
	"pipped_inside": "pipped inside", "pipped_dead": "pipped and died", "malpositioned": "malpositions",
	"contaminated": "rotten", "cracked": "cracked",
}

// says is the one sentence, never surer than the counts.
func (b Batch) says(r Result) string {
	first := r.Causes[0]
	name := wording.Lower(first.Name)
	switch {
	case !r.Enough:
		few := fmt.Sprintf("Too few eggs to say: of %d set, %d are known to have been fertile and to have died. From %d "+
			"such eggs of %d set on, causes can be told apart.", b.Set(), b.Lost(), FewLost, FewSet)
		if b.Set() >= FewSet && clearsAlone[first.ID] && len(first.For) > 0 {
			few += " The clears do say something: " + first.For[0].Text + "."
		}
		return few
	case first.ID == Chance && first.Pct >= 50:
		return "Nothing here beyond what chance brings: no cause stands out."
	case first.ID != Chance && first.Pct >= 60:
		return fmt.Sprintf("Most likely: %s (about %.0f in 100).", name, first.Pct)
	case first.ID != Chance && first.Pct >= 35:
		return fmt.Sprintf("Perhaps: %s (about %.0f in 100); others are not ruled out.", name, first.Pct)
	}
	return "What is known does not tell causes from chance, nor one from another."
}

// clearsAlone are the causes of which clears tell.
var clearsAlone = map[string]bool{"fertility-male": true, "male-ratio": true, "male-new": true, "young-layers": true}
