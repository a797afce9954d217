package farm_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/stock"
	"metrogon/farm/weigh"
)

// open opens so many of the eggs that are left.
func (y *yard) open(batch int64, n int, stage candling.Stage, found ...candling.Finding) {
	ids := []int64{}
	for _, p := range y.batch(batch).Pens {
		for _, e := range p.Left() {
			ids = append(ids, e.ID)
		}
	}
	for _, id := range ids[:n] {
		must(y.Hatch.BreakOut(y.Context(), by(y.m), batch, hatch.Opened{EggID: id, Stage: stage, Findings: found}))
	}
}

// A batch that was run too humid, weighed twice, whose dead were opened: the report counts every egg
// once, and the cause stands first with this batch's own evidence.
func TestTheReportTellsWhyTheyDied(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(40, 2)
	must(y.Weigh.Record(ctx, by(y.m), id, weigh.Weighing{MassG: 40 * 60, Eggs: 40, At: y.now, RHPct: 65, TempC: 37.5}))
	y.now = start.AddDate(0, 0, 14)
	must(y.Weigh.Record(ctx, by(y.m), id, weigh.Weighing{
		MassG: 40 * 60 * 0.941, Eggs: 40, At: y.now, RHPct: 65, TempC: 37.5,
	}))
	y.now = start.AddDate(0, 0, 18)
	must(y.Hatch.Lockdown(ctx, by(y.m), id, 0, time.Time{}))
	y.now = start.AddDate(0, 0, 22)
	y.open(id, 5, candling.Infertile)
	y.open(id, 2, candling.Early)
	y.open(id, 10, candling.Late, candling.Wet)
	y.open(id, 4, candling.PippedDead, candling.Inside)
	y.open(id, 1, candling.Late, candling.LeftWing)
	left := []int64{}
	for _, e := range y.batch(id).Pens[0].Left() {
		left = append(left, e.ID)
	}
	must(y.Hatch.End(ctx, by(y.m), id, hatch.Ending{Eggs: left, Fate: outcome.Hatched}))
	must(y.Hatch.Close(ctx, by(y.m), id, time.Time{}))

	p := must(y.Report.Report(ctx, y.m, id))
	ends := map[string]int{}
	for _, l := range p.Losses {
		ends[l.ID] = l.Eggs
	}
	assert.Equal(t, map[string]int{
		"clear": 5, "early": 2, "middle": 0, "late": 10, "pipped_inside": 4, "pipped_dead": 0, "malpositioned": 1,
		"contaminated": 0, "cracked": 0,
	}, ends)
	assert.Equal(t, 18, p.BatchView.Hatched)
	assert.Equal(t, [2]int{35, 40}, [2]int{p.Rates.Fertility.K, p.Rates.Fertility.N})
	require.NotNil(t, p.LossPct)
	assert.InDelta(t, 5.9*18/14, *p.LossPct, 0.1, "so far 5.9 % in 14 days")
	first := p.Diagnosis.Causes[0]
	assert.Equal(t, "too-humid", first.ID)
	assert.True(t, p.Diagnosis.Enough)
	said := ""
	for _, e := range first.For {
		said += e.Text + "; "
	}
	assert.Contains(t, said, "late deaths 10 of 40")
	assert.Contains(t, said, "points less water lost than wanted")
	assert.Empty(t, p.Patterns, "one batch is no pattern")

	// What is to be otherwise comes up with the next batch of the kind, once.
	done := must(y.Report.TryNext(ctx, by(y.m), id, []string{first.Try[0], " Check  the lamp. ", ""}))
	assert.Contains(t, done.Said, "Check the lamp.")
	_, err := y.Report.TryNext(ctx, by(y.m), id, []string{first.Try[0]})
	assert.ErrorContains(t, err, "on the list already")
	assert.Empty(t, y.chores(chores.NextTime))
	y.now = y.now.AddDate(0, 0, 1)
	pen := y.pen("Speckled", "chicken")
	must(y.Stock.Collect(ctx, by(y.m), stock.Collected{PenID: pen, LaidOn: y.m.Date(y.now), Eggs: 8}))
	machine := p.SetterID
	next := y.set(incubate.Setting{Species: "chicken", SetterID: machine, HatcherID: p.HatcherID, Picks: []incubate.Pick{
		{PenID: pen, LaidOn: y.m.Date(y.now), Eggs: 8},
	}})
	due := y.chores(chores.NextTime)
	require.Len(t, due, 2)
	assert.Equal(t, next, due[0].About.ID)
	must(y.Report.NextDone(ctx, by(y.m), next, int64(due[0].Day)))
	assert.Len(t, y.chores(chores.NextTime), 1)
	must(y.Report.EndNext(ctx, by(y.m), int64(due[1].Day)))
	assert.Empty(t, y.chores(chores.NextTime))
	_, err = y.Report.EndNext(ctx, by(y.m), int64(due[1].Day))
	assert.ErrorIs(t, err, farm.ErrNone)
}

// Young that were counted, and what nobody opened, are not made up egg by egg.
func TestTheReportInventsNothing(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(24, 0)
	y.now = start.AddDate(0, 0, 22)
	pen := y.batch(id).Pens[0].ID
	must(y.Hatch.Hatched(ctx, by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: 10}}))
	must(y.Hatch.Close(ctx, by(y.m), id, time.Time{}))
	p := must(y.Report.Report(ctx, y.m, id))
	assert.Equal(t, [2]int{14, 0}, [2]int{p.Unopened, p.Opened})
	assert.False(t, p.Diagnosis.Enough)
	assert.Contains(t, p.Diagnosis.Says, "Too few eggs to say")
	assert.Nil(t, p.LossPct)
	assert.Len(t, p.Outs, 1)
	_, err := y.Report.Report(ctx, y.m, 999)
	assert.ErrorIs(t, err, farm.ErrNone)
}

// Over many batches one machine that costs young is named; machines that are alike are not, nor is one
// that was used once.
func TestPatternsOverBatches(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	good, bad := y.machine("Ash", "all-in-one", "chicken", 60, 60), y.machine("Birch", "all-in-one", "chicken", 60, 60)
	pen := y.pen("Barred", "chicken")
	last := int64(0)
	for range 4 {
		for machine, hatched := range map[int64]int{good: 17, bad: 7} {
			must(y.Stock.Collect(ctx, by(y.m), stock.Collected{PenID: pen, LaidOn: y.m.Date(y.now), Eggs: 20}))
			id := y.set(incubate.Setting{Species: "chicken", SetterID: machine, HatcherID: machine, Picks: []incubate.Pick{
				{PenID: pen, LaidOn: y.m.Date(y.now), Eggs: 20},
			}})
			was := y.now
			y.now = y.now.AddDate(0, 0, 7)
			must(y.Candle.CandleRest(ctx, by(y.m), id, time.Time{}))
			y.now = was.AddDate(0, 0, 22)
			must(y.Hatch.Hatched(ctx, by(y.m), id, hatch.Young{ByPen: map[int64]int{pen: hatched}}))
			must(y.Hatch.Close(ctx, by(y.m), id, time.Time{}))
			y.now, last = was, id
		}
		y.now = y.now.AddDate(0, 0, 30)
	}
	p := must(y.Report.Report(ctx, y.m, last))
	require.Len(t, p.Patterns, 1)
	assert.Equal(t, "machine", p.Patterns[0].By)
	assert.Contains(t, p.Patterns[0].Says, "Birch: 28 of 80 fertile eggs hatched (35 %), elsewhere 85 %")
	assert.Contains(t, p.Patterns[0].Says, "chance alone hardly does this")
}
