package report

import (
	"math"
	"slices"
	"time"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/diagnosis"
	"metrogon/core/grading"
	"metrogon/core/instrument"
	"metrogon/core/machine"
	"metrogon/core/method"
	"metrogon/core/outcome"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

func hatched(e store.Egg) bool { return snapshot.FateOf(e) == outcome.Hatched }

// counts sorts the eggs by how they ended. What somebody saw on opening counts before what the lamp
// said; what nobody saw is not opened.
func (g *gathered) counts() (c diagnosis.Counts) {
	found := map[int64][]candling.Finding{}
	for _, o := range g.after.BreakOuts {
		for _, f := range o.Findings {
			found[o.EggID] = append(found[o.EggID], candling.Finding(f))
		}
	}
	for _, pen := range g.pens {
		counted := 0
		for _, e := range pen.Eggs {
			switch snapshot.FateOf(e) {
			case outcome.Broken:
			case outcome.Hatched:
				c.Hatched++
			case outcome.Counted:
				counted++
			case "":
				counted += farm.OneIf(pen.Counted > 0)
				c.NotOpened += farm.OneIf(pen.Counted == 0 && !g.v.Open())
			default:
				g.count(&c, e, found[e.ID])
			}
		}
		young := min(pen.Counted, counted)
		c.Hatched += young
		if !g.v.Open() {
			c.NotOpened += counted - young
		}
	}
	return c
}

// count adds an egg that did not hatch.
func (g *gathered) count(c *diagnosis.Counts, e store.Egg, found []candling.Finding) {
	shown := snapshot.OpenedAs(e.Fate, e.Stage, e.Opened)
	if candling.Malposed(found) {
		c.Malpositioned++
		return
	}
	switch shown {
	case candling.Infertile:
		c.Clear++
	case candling.Early:
		c.Early++
	case candling.Middle:
		c.Middle++
	case candling.Late:
		c.Late++
	case candling.Contaminated:
		c.Contaminated++
	case candling.PippedDead:
		if slices.Contains(found, candling.Inside) {
			c.PippedInside++
		} else {
			c.PippedDead++
		}
	default:
		g.byLamp(c, e)
	}
}

// byLamp sorts an egg that nobody opened by what the lamp said when it went out.
func (g *gathered) byLamp(c *diagnosis.Counts, e store.Egg) {
	last := candling.LastOf(e.Calls)
	if snapshot.FateOf(e) == outcome.Removed && e.Stage != nil {
		switch *e.Stage {
		case "cracked":
			c.Cracked++
			return
		case "clear", "ring", "quit", "bad":
			last = candling.Call(*e.Stage)
		}
	}
	switch last {
	case candling.Clear:
		c.Clear++
	case candling.Ring:
		c.Early++
	case candling.Bad:
		c.Contaminated++
	case candling.Quit:
		day := g.v.HatchDay
		if e.FateAt != nil {
			day = calendar.Elapsed(g.v.SetAt, *e.FateAt)
		}
		switch done := day / g.v.HatchDay; {
		case done < 0.4:
			c.Early++
		case done < 0.7:
			c.Middle++
		default: // it died some time before; nobody saw when
			c.NotOpened++
		}
	default:
		c.NotOpened++
	}
}

// known are how many eggs a rate has to rest on before it is the farm's usual.
const known = 40

// facts are what else the farm's records tell; what they do not tell stays unknown.
func (g *gathered) facts(usual snapshot.Rates) (f diagnosis.Facts) {
	v := g.v
	if usual.Fertility.N >= known {
		f.FertilityPct = of(100 * float64(usual.Fertility.K) / float64(usual.Fertility.N))
	}
	if usual.HatchOfFertile.N >= known {
		f.HatchPct = of(100 * float64(usual.HatchOfFertile.K) / float64(usual.HatchOfFertile.N))
	}
	f.LossPct = g.lossPct
	if g.lossPct != nil {
		f.TargetPct = of(g.goalPct)
	}
	f.StorageDays, f.StorageTempC, f.RHLockdown = of(v.StorageDays), g.after.StoreC, g.after.LockRH
	f.Shipped = of(g.share(func(e store.Egg) bool { return g.w.PenByID[e.PenID].Supplier }))
	f.TempOffsetC, f.TempSwingC = g.warmth(), v.SwingC
	if v.LockRHPct != nil {
		f.RHLockdown = v.LockRHPct
	}
	g.turned(&f)
	g.incidents(&f)
	g.hatching(&f)
	g.parents(&f)
	return f
}

// fewReadings say nothing of the mean.
const fewReadings = 3

// warmth is by how much its setter was too warm while it turned there: by the instruments that send from it, or
// that were read in it, corrected; else by what it was set to; nil where nobody knows.
func (g *gathered) warmth() *float64 {
	if g.v.OffsetC != nil {
		return g.v.OffsetC
	}
	want, _ := method.Temperature(g.v.Kind, machine.WithoutFan(g.v.Setter.Kind), false)
	if len(g.after.Read) >= fewReadings {
		sum := 0.
		for _, r := range g.after.Read {
			var checks []instrument.Check
			for _, c := range g.after.Checks {
				if c.InstrumentID == *r.InstrumentID {
					checks = append(checks, snapshot.CheckOf(c))
				}
			}
			sum += instrument.CorrectionOf(instrument.Temperature, checks).True(*r.TempC) - want
		}
		return of(sum / float64(len(g.after.Read)))
	}
	if g.after.SetC != nil {
		return of(*g.after.SetC - want)
	}
	return nil
}

func of(x float64) *float64 { return &x }

// turned tells of turning: by hand where at least half of it was written down, else the turner's.
func (g *gathered) turned(f *diagnosis.Facts) {
	v := g.v
	if !v.Setter.ByHand {
		if v.Setter.TurnMinutes > 0 {
			f.TurnsPerDay = of(24 * 60 / float64(v.Setter.TurnMinutes))
		}
		return
	}
	to := v.At(calendar.Lockdown)
	if v.LockedAt != nil {
		to = *v.LockedAt
	}
	days := to.Sub(v.SetAt).Hours() / 24
	due := float64(v.Method.HandTurns) * days
	if due <= 0 || float64(len(g.after.Turns)) < due/2 {
		return
	}
	last, gap := to, 0.
	for _, t := range g.after.Turns {
		gap, last = math.Max(gap, last.Sub(t.At).Hours()), t.At
	}
	f.TurningGapH = of(math.Max(gap, last.Sub(v.SetAt).Hours()))
	f.TurnsPerDay = of(float64(len(g.after.Turns)) / days)
}

// incidents are power cuts, and what was noted.
func (g *gathered) incidents(f *diagnosis.Facts) {
	hours, swing, lid := 0., 0., 0.
	for _, o := range g.after.Outages {
		hours += o.Hours
	}
	for _, n := range g.after.Log.Notes {
		minutes := 0.
		if n.Minutes != nil {
			minutes = float64(*n.Minutes)
		}
		switch n.Kind {
		case "power":
			hours += minutes / 60
		case "lid":
			if g.v.LockedAt != nil && !n.At.Before(*g.v.LockedAt) {
				lid += minutes
			}
		}
		if n.TempC != nil {
			swing = math.Max(swing, math.Abs(*n.TempC-g.v.Air().TempC))
		}
	}
	f.OutageH = of(hours)
	if swing > 0 && f.TempSwingC == nil {
		f.TempSwingC = of(swing)
	}
	if len(g.hatch.Openings) > 0 || len(g.hatch.Signs) > 0 { // it was watched
		for _, o := range g.hatch.Openings {
			if g.v.ClosedAt == nil || o.At.Before(*g.v.ClosedAt) {
				lid += float64(o.Minutes)
			}
		}
		f.LidOpenedMin = of(lid)
	} else if lid > 0 {
		f.LidOpenedMin = of(lid)
	}
}

// hatching tells when they came, where it was written down while they hatched, and how the young were.
func (g *gathered) hatching(f *diagnosis.Facts) {
	outs, young := g.outs(), 0
	for _, o := range outs {
		young += o.Young
	}
	if len(outs) >= 3 && young >= 3 {
		first, last := outs[0].At, outs[len(outs)-1].At
		f.StartDay = of(calendar.Elapsed(g.v.SetAt, first))
		f.SpanH = of(last.Sub(first).Hours())
	}
	if told := len(g.hatch.Young); 2*told >= young && told > 0 {
		share := func(sign string) *float64 {
			n := 0
			for _, y := range g.hatch.Young {
				n += farm.OneIf(slices.Contains(y.Signs, sign))
			}
			return of(float64(n) / float64(told))
		}
		f.Weak, f.BloodyNavels, f.Splayed, f.Sticky = share("weak"), share("navel"), share("splayed"), share("sticky")
	}
}

// parents tells of the pens from which most eggs came.
func (g *gathered) parents(f *diagnosis.Facts) {
	var ratio, ratioEggs, since, sinceEggs, young, aged float64
	for _, pen := range g.pens {
		if pen.Supplier || len(pen.Eggs) == 0 {
			continue
		}
		eggs := float64(len(pen.Eggs))
		if pen.Males > 0 && pen.Females > 0 {
			ratio, ratioEggs = ratio+eggs*float64(pen.Females)/float64(pen.Males), ratioEggs+eggs
		}
		laid := pen.Eggs[len(pen.Eggs)/2].LaidOn
		var came time.Time
		for _, c := range g.flock.Changes(g.w, pen.ID) {
			if !c.From.After(laid) {
				came = farm.Latest(came, c.From)
			}
		}
		if !came.IsZero() {
			since, sinceEggs = since+eggs*laid.Sub(came).Hours()/24, sinceEggs+eggs
		}
		if pen.HensHatchedOn != nil {
			weeks := farm.AgeDays(*pen.HensHatchedOn, laid) / 7
			aged += eggs
			young += eggs * float64(farm.OneIf(grading.YoungLayer(g.v.Kind.ID, weeks)))
		}
	}
	if ratioEggs > 0 {
		f.FemalesPerMale = of(ratio / ratioEggs)
	}
	if sinceEggs > 0 {
		f.DaysSinceMale = of(since / sinceEggs)
	}
	if aged > 0 {
		f.YoungLayers = of(young / aged)
	}
}
