package farm_test

import (
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/farm"
	"metrogon/farm/breeders"
	"metrogon/farm/candle"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/journal"
	"metrogon/farm/moving"
	"metrogon/farm/snapshot"
)

// shed is a yard with two pens, three setters and a hatcher, and 30 eggs in the first setter.
type shed struct {
	*yard
	a, b, c, hatcher int64
	pens             [2]int64
	batch1           int64
}

func newShed(t *testing.T) *shed {
	y := newYard(t)
	s := &shed{yard: y}
	s.a, s.b, s.c = y.machine("Ash", "cabinet", "chicken", 60, 0), y.machine("Birch", "forced-air", "chicken", 40, 20),
		y.machine("Cedar", "forced-air", "chicken", 12, 12)
	s.hatcher = y.machine("Hatcher", "hatcher", "chicken", 0, 40)
	s.pens = [2]int64{y.pen("Barred", "chicken"), y.pen("Speckled", "chicken")}
	y.collect(s.pens[0], 0, 18, 0)
	y.collect(s.pens[1], 2, 12, 0)
	s.batch1 = y.set(incubate.Setting{
		Species: "chicken", SetterID: s.a, HatcherID: s.hatcher, Picks: []incubate.Pick{
			{PenID: s.pens[0], LaidOn: day(0), Eggs: 18}, {PenID: s.pens[1], LaidOn: day(2), Eggs: 12},
		},
	})
	return s
}

func (s *shed) after(days float64) { s.now = start.Add(time.Duration(days * 24 * float64(time.Hour))) }

// eggs of a batch that live.
func (s *shed) eggs(batch int64) (ids []int64) {
	for _, p := range s.batch(batch).Pens {
		for _, e := range p.Left() {
			ids = append(ids, e.ID)
		}
	}
	return ids
}

// stood tells where an egg stood, day by day of the batch.
func (s *shed) stood(eggs ...int64) (all map[int64][]leg) {
	all = map[int64][]leg{}
	require.NoError(s, s.Read(s.Context(), s.m, func(tx *farm.Tx) error {
		legs, err := tx.EggLegs(s.Context(), eggs)
		for _, l := range legs {
			one := leg{machine: l.MachineID, from: l.FromAt.Sub(start).Hours() / 24, to: -1}
			if l.ToAt != nil {
				one.to = l.ToAt.Sub(start).Hours() / 24
			}
			all[l.EggID] = append(all[l.EggID], one)
		}
		return err
	}))
	return all
}

type leg struct {
	machine  int64
	from, to float64 // days since the eggs were set; to -1: it is there
}

func (s *shed) byCode(code string) incubate.Page {
	open, closed, err := s.Incubate.Batches(s.Context(), s.m, 0)
	require.NoError(s, err)
	for _, v := range append(open, closed...) {
		if v.Code == code {
			return s.batch(v.ID)
		}
	}
	s.Fatalf("there is no batch %s", code)
	return incubate.Page{}
}

// A batch over three machines, one part moved twice: where each egg stood is exact, its rates by machine add
// up to the batch, and all of it can be taken back.
func TestABatchOverThreeMachines(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	all := s.eggs(s.batch1)
	s.after(2)
	dealt := must(s.Moving.Deal(ctx, by(s.m), s.batch1, moving.Dealing{
		From: s.a, Machines: []int64{s.a, s.b, s.c}, Why: "which is warmer",
	}))
	assert.Equal(t, "Chicken 27-01 dealt out evenly: 10 to Ash as Chicken 27-01, 10 to Birch as Chicken 27-01b and "+
		"10 to Cedar as Chicken 27-01c: which is warmer.", dealt.Said)
	second, third := s.byCode("Chicken 27-01b"), s.byCode("Chicken 27-01c")
	for _, b := range []incubate.Page{s.batch(s.batch1), second, third} {
		assert.Equal(t, []int{6, 4}, []int{len(b.Pens[0].Eggs), len(b.Pens[1].Eggs)}, "%s: of each pen alike", b.Code)
		assert.InDelta(t, 0.8, b.StorageDays, 1e-9)
	}
	s.after(5)
	must(s.Moving.Move(ctx, by(s.m), third.ID, moving.Moving{Which: moving.Which{All: true}, To: s.b}))
	s.after(9)
	must(s.Moving.Move(ctx, by(s.m), third.ID, moving.Moving{
		Which: moving.Which{All: true}, To: s.a, Why: "lid broken",
	}))
	ofThird := s.eggs(third.ID)
	assert.Equal(t, []leg{{s.a, 0, 2}, {s.c, 2, 5}, {s.b, 5, 9}, {s.a, 9, -1}}, s.stood(ofThird...)[ofThird[0]])

	// Some of it joins the part in Birch, one egg of that dies.
	s.after(10)
	joined := must(s.Moving.Move(ctx, by(s.m), third.ID, moving.Moving{
		Which: moving.Which{N: 4}, From: s.a, To: s.b, Join: true,
	}))
	assert.Equal(t, "4 eggs of Chicken 27-01c joined Chicken 27-01b in Birch.", joined.Said)
	assert.Equal(t, [2]int{14, 6}, [2]int{s.batch(second.ID).Eggs, s.batch(third.ID).Eggs})
	dead := s.eggs(second.ID)[0]
	must(s.Candle.Candle(ctx, by(s.m), second.ID, candle.Calling{
		Call: candling.Quit, Eggs: []int64{dead}, TakeOut: true,
	}))

	s.after(18)
	for _, id := range []int64{s.batch1, second.ID, third.ID} {
		must(s.Hatch.Lockdown(ctx, by(s.m), id, s.hatcher, time.Time{}))
	}
	stays := s.stood(all...)
	require.Len(t, stays, 30)
	in := map[int64]float64{}
	for egg, legs := range stays {
		last := 0.0
		for _, l := range legs {
			assert.InDelta(t, last, l.from, 1e-6, "egg %d was always somewhere", egg)
			last = l.to
			in[l.machine] += max(l.to, l.from) - l.from
		}
		assert.InDelta(t, map[bool]float64{true: 10, false: -1}[egg == dead], last, 1e-6)
	}
	// By hand, in egg days until lockdown: Ash 30·2 + 10·16 + 10·1 + 6·8, Birch 10·16 + 10·4 + 4·8 - 8,
	// Cedar 10·3.
	assert.InDelta(t, 278, in[s.a], 1e-6)
	assert.InDelta(t, 224, in[s.b], 1e-6)
	assert.InDelta(t, 30, in[s.c], 1e-6)

	// In need an egg goes elsewhere after lockdown.
	s.after(19)
	must(s.Moving.Move(ctx, by(s.m), third.ID, moving.Moving{Which: moving.Which{N: 1}, To: s.c, Why: "fell"}))
	fourth := s.byCode("Chicken 27-01d")
	one := s.eggs(fourth.ID)[0]
	assert.Equal(t, leg{s.c, 19, -1}, s.stood(one)[one][len(s.stood(one)[one])-1])
	assert.Equal(t, "Cedar", fourth.Stands().Name)

	s.after(21.2)
	hatched := map[int64]int{s.batch1: 8, second.ID: 9, third.ID: 2, fourth.ID: 1}
	for id, n := range hatched {
		must(s.Hatch.End(ctx, by(s.m), id, hatch.Ending{Eggs: s.eggs(id)[:n], Fate: outcome.Hatched}))
	}
	joins := func() error {
		return err(s.Moving.Move(ctx, by(s.m), third.ID, moving.Moving{
			Which: moving.Which{All: true}, To: s.c, Join: true,
		}))
	}
	uncoded := hatch.Young{ByPen: map[int64]int{s.batch(third.ID).Pens[0].ID: 1}}
	counted := must(s.Hatch.Hatched(ctx, by(s.m), third.ID, uncoded))
	assert.ErrorContains(t, joins(), "Young were counted in Chicken 27-01c")
	must(journal.TakeBack(ctx, s.Service, by(s.m), counted.Entry))
	for id := range hatched {
		must(s.Hatch.Close(ctx, by(s.m), id, time.Time{}))
	}
	divided := s.batch(second.ID).Divided
	assert.Len(t, divided.Parts, 4)
	assert.Equal(t, [2]int{30, 20}, [2]int{divided.Sum.Eggs, divided.Sum.Hatched})
	assert.Contains(t, divided.Verdict, "The parts hatched alike, as far as so many eggs can tell")

	rates := must(s.Breeders.Rates(ctx, s.m, breeders.Query{Kind: "chicken", By: "machine"}))
	n := map[string][2]int{}
	for _, r := range rates.Rows {
		n[r.Label] = [2]int{r.HatchOfSet.K, r.HatchOfSet.N}
	}
	// By hand: of the 30 the 10 that never left it and the 6 of the third part turned longest in Ash (11 of 18
	// days), the 10 of the second part and the 4 that joined it (12 of 18 days) in Birch.
	assert.Equal(t, map[string][2]int{"Ash": {11, 16}, "Birch": {9, 14}}, withoutEmpty(n))
}

func withoutEmpty(n map[string][2]int) map[string][2]int {
	for k, v := range n {
		if v[1] == 0 {
			delete(n, k)
		}
	}
	return n
}

func TestMovesAreTakenBack(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	before := s.eggs(s.batch1)
	must(
		s.Machines.SaveTray(ctx, by(s.m), snapshot.Tray{MachineID: s.a, Name: "Top", TrayRows: 6, TrayColumns: 6}, "", ""),
	)
	must(s.Incubate.ArrangeByPen(ctx, by(s.m), s.batch1))
	tray := s.trays(s.batch1).Trays[0].ID
	s.after(3)
	must(s.Incubate.TickOff(ctx, by(s.m), s.batch1, "candle", 7))
	part := must(s.Moving.Move(ctx, by(s.m), s.batch1, moving.Moving{Which: moving.Which{Pens: s.pens[1:]}, To: s.b}))
	assert.Equal(t, "12 eggs of Chicken 27-01 went from Ash to Birch as Chicken 27-01b.", part.Said)
	second := s.byCode("Chicken 27-01b")
	assert.Contains(t, second.Journal[0].Said, "as Chicken 27-01b", "its own list begins with how it came about")
	assert.InDelta(t, 2, second.StorageDays, 1e-9, "the part knows how long its own eggs waited")
	assert.InDelta(t, 0, s.batch(s.batch1).StorageDays, 1e-9)
	whole := must(s.Moving.Move(ctx, by(s.m), s.batch1, moving.Moving{
		Which: moving.Which{Trays: []int64{tray}}, To: s.b,
	}))
	assert.Equal(t, "Chicken 27-01 went from Ash to Birch.", whole.Said)
	_, err := s.Undo(ctx, by(s.m), part.Entry)
	assert.ErrorContains(t, err, "Take back first what was done after it")
	must(s.Undo(ctx, by(s.m), whole.Entry))
	must(s.Undo(ctx, by(s.m), part.Entry))
	stay := must(s.Moving.Move(ctx, by(s.m), s.batch1, moving.Moving{Which: moving.Which{N: 6}, To: s.a, Hatcher: s.b}))
	assert.Equal(t, "Chicken 27-01b, 6 eggs, is to hatch in Birch.", stay.Said)
	assert.Empty(t, s.trays(s.byCode("Chicken 27-01b").ID).Loose, "they stay on their places")
	must(s.Undo(ctx, by(s.m), stay.Entry))
	assert.ElementsMatch(t, before, s.eggs(s.batch1))
	assert.Empty(t, s.trays(s.batch1).Loose, "they lie on their places again")
	assert.Equal(t, "Ash", s.batch(s.batch1).Stands().Name)
	for _, legs := range s.stood(before...) {
		assert.Equal(t, []leg{{s.a, 0, -1}}, legs)
	}
}

// Two people at the same eggs at once: one wins, the other is told.
func TestTwoMoveTheSameEggs(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	ben := s.joined("Ben", "helper")
	eggs := s.eggs(s.batch1)[:5]
	errs := make([]error, 2)
	var wait sync.WaitGroup
	for i, who := range []*farm.Member{s.m, ben} {
		wait.Go(func() {
			_, errs[i] = s.Moving.Move(ctx, by(who), s.batch1, moving.Moving{
				Which: moving.Which{Eggs: eggs}, From: s.a, To: []int64{s.b, s.c}[i],
			})
		})
	}
	wait.Wait()
	loser := slices.IndexFunc(errs, func(err error) bool { return err != nil })
	require.GreaterOrEqual(t, loser, 0, "one of the two is told")
	require.NoError(t, errs[1-loser])
	assert.ErrorContains(t, errs[loser], "Some of these eggs are not in Chicken 27-01 any more.")
	assert.ErrorContains(t, errs[loser], "went from Ash to "+[]string{"Birch", "Cedar"}[1-loser])
	assert.Len(t, s.eggs(s.batch1), 25)
}

func TestWhatCannotBeMoved(t *testing.T) {
	s := newShed(t)
	ctx := t.Context()
	move := func(mv moving.Moving) error {
		_, err := s.Moving.Move(ctx, asked(s.m), s.batch1, mv)
		return err
	}
	all := moving.Which{All: true}
	s.after(1)
	assert.ErrorContains(t, move(moving.Moving{To: s.b}), "Say which eggs go")
	assert.ErrorContains(t, move(moving.Moving{Which: all, To: s.hatcher}), "Pick a machine that takes chicken eggs.")
	assert.ErrorContains(t, move(moving.Moving{Which: all, To: s.a}), "They stand in Ash already.")
	assert.ErrorContains(t, move(moving.Moving{Which: all, To: s.b, Hatcher: s.a}), "in which these eggs can hatch")
	assert.ErrorContains(t, move(moving.Moving{Which: all, To: s.b, From: s.c}), "They stand in Ash by now.")
	assert.ErrorContains(t, move(moving.Moving{Which: moving.Which{N: 31}, To: s.b}), "31 eggs cannot be moved; 1 to 30")
	coded := moving.Which{Marks: []string{"ZZ9"}}
	assert.ErrorContains(t, move(moving.Moving{Which: coded, To: s.b}), `has the code "ZZ9"`)
	assert.ErrorContains(t, move(moving.Moving{Which: all, To: s.c}), "Cedar has room for 12 of them just now.")
	assert.ErrorContains(t, move(moving.Moving{Which: all, To: s.b}), "Birch is not ready:")
	assert.ErrorContains(t, move(moving.Moving{Which: all, To: s.b, At: start.Add(-time.Hour)}), "was not set before")
	must(s.Moving.Move(ctx, by(s.m), s.batch1, moving.Moving{Which: all, To: s.b}))
	early := start.Add(time.Hour)
	assert.ErrorContains(t, move(moving.Moving{Which: all, To: s.a, At: early}), "They stand in Birch since")
	assert.Equal(t, "Hatcher", s.batch(s.batch1).Hatcher.Name, "as was planned")
	must(s.Moving.Move(ctx, by(s.m), s.batch1, moving.Moving{Which: all, To: s.b, Hatcher: s.b}))
	assert.Equal(t, "Birch", s.batch(s.batch1).Hatcher.Name)

	s.after(21)
	must(s.Hatch.Lockdown(ctx, by(s.m), s.batch1, s.hatcher, time.Time{}))
	must(s.Hatch.Hatched(ctx, by(s.m), s.batch1, hatch.Young{ByPen: map[int64]int{s.pens[0]: 3}}))
	two := moving.Which{N: 2}
	assert.ErrorContains(t, move(moving.Moving{Which: two, To: s.b}), "3 young were counted without their eggs")
	must(s.Moving.Move(ctx, by(s.m), s.batch1, moving.Moving{Which: all, To: s.b, Why: "the fan stands"}))
	assert.Equal(t, "Birch", s.batch(s.batch1).Stands().Name)
}
