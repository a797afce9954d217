package farm_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/candling"
	"metrogon/core/rates"
	"metrogon/farm"
	"metrogon/farm/breeders"
	"metrogon/farm/candle"
	"metrogon/farm/chores"
	"metrogon/farm/flock"
	"metrogon/farm/incubate"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
	breedersrows "metrogon/store/breeders"
)

func (y *yard) putIn(pen int64, name, sex string, back int, how string) (farm.Done, int64) {
	y.Helper()
	done, err := y.Flock.PutIn(y.Context(), by(y.m), flock.PutIn{
		PenID: pen, Bird: snapshot.Bird{Name: name, Sex: sex}, On: day(back), How: how,
	})
	require.NoError(y, err)
	return done, y.bird(name).ID
}

func (y *yard) bird(name string) flock.BirdRow {
	all, err := y.Flock.Birds(y.Context(), y.m)
	require.NoError(y, err)
	for _, b := range all {
		if b.Name == name {
			return b
		}
	}
	y.Fatalf("there is no bird %s", name)
	return flock.BirdRow{}
}

// call calls the first eggs of a batch live and the next clear, in order of their numbers.
func (y *yard) call(batch int64, from, live, clear int) {
	y.Helper()
	ids := func(a, n int) (all []int64) {
		for i := range n {
			all = append(all, nos(y.batch(batch), a+i)...)
		}
		return all
	}
	called := map[candling.Call][]int64{candling.Live: ids(from, live), candling.Clear: ids(from+live, clear)}
	for call, eggs := range called {
		if len(eggs) == 0 {
			continue
		}
		_, err := y.Candle.Candle(y.Context(), by(y.m), batch, candle.Calling{Call: call, Eggs: eggs})
		require.NoError(y, err)
	}
}

func (y *yard) rates(q breeders.Query) breeders.Table {
	y.Helper()
	t, err := y.Breeders.Rates(y.Context(), y.m, q)
	require.NoError(y, err)
	return t
}

func group(t breeders.Table, label string) breeders.Row {
	for _, r := range t.Rows {
		if r.Label == label {
			return r
		}
	}
	return breeders.Row{Label: "none: " + label}
}

// A cock is swapped; eggs laid before, in the overlap and after it are set; each male has his own, and
// what may be either's counts for neither.
func TestASwapKeepsTheMalesApart(t *testing.T) {
	y := newYard(t)
	pen, box := y.pen("Barred", "chicken"), y.machine("Cabinet", "all-in-one", "chicken", 60, 60)
	y.putIn(pen, "Alder", lineage.Male, 60, flock.Already)
	y.collect(pen, 20, 10, 0) // before the swap
	y.collect(pen, 5, 10, 0)  // nine days after it
	swapped, birch := y.putIn(pen, "Birch", lineage.Male, 14, flock.Instead)
	assert.Equal(t, "Birch is in Barred since 15 Feb; out: Alder.", swapped.Said)
	first := y.set(incubate.Setting{Species: "chicken", SetterID: box, Picks: []incubate.Pick{
		{PenID: pen, LaidOn: day(20), Eggs: 10}, {PenID: pen, LaidOn: day(5), Eggs: 10},
	}})
	y.now = y.now.AddDate(0, 0, 12)
	_, err := y.Stock.Collect(y.Context(), by(y.m), stock.Collected{PenID: pen, LaidOn: day(-10), Eggs: 10})
	require.NoError(t, err)
	second := y.set(incubate.Setting{Species: "chicken", SetterID: box, Picks: []incubate.Pick{
		{PenID: pen, LaidOn: day(-10), Eggs: 10},
	}})
	y.call(first, 1, 8, 2)
	y.call(first, 11, 5, 5)
	y.now = y.now.AddDate(0, 0, 7)
	y.call(second, 1, 9, 1)

	table := y.rates(breeders.Query{By: "sire", Rate: breeders.Fertility})
	counted := func(label string) [2]int { f := group(table, label).Fertility; return [2]int{f.K, f.N} }
	assert.Equal(t, [2]int{8, 10}, counted("Alder"))
	assert.Equal(t, [2]int{9, 10}, counted("Birch"), "laid 24 days after the swap")
	assert.Equal(t, [2]int{5, 10}, counted("Sire not certain"))
	assert.True(t, group(table, "Sire not certain").Aside, "it is compared with nothing")
	assert.Nil(t, group(table, "Sire not certain").Fertility.Pooled)

	page, err := y.Flock.Pen(y.Context(), y.m, pen)
	require.NoError(t, err)
	require.Len(t, page.InPen.Birds, 1)
	assert.Nil(t, page.InPen.Birds[0].Change, "his eggs are surely his by now")
	assert.Equal(t, [2]int{1, 8}, [2]int{page.Males, page.Females})

	// Taken back, he never came: all eggs are Alder's, and the bird is gone from the list.
	_, err = y.Undo(y.Context(), by(y.m), swapped.Entry)
	require.NoError(t, err)
	table = y.rates(breeders.Query{By: "sire", Rate: breeders.Fertility})
	assert.Equal(t, [2]int{22, 30}, counted("Alder"))
	_, err = y.Flock.Bird(y.Context(), y.m, birch)
	assert.ErrorIs(t, err, farm.ErrNone)
}

// A male whom nobody named is named when he goes.
func TestAnUnnamedMaleIsSwapped(t *testing.T) {
	y := newYard(t)
	pen, box := y.pen("Barred", "chicken"), y.machine("Cabinet", "all-in-one", "chicken", 60, 60)
	y.collect(pen, 8, 10, 0)
	id := y.set(incubate.Setting{Species: "chicken", SetterID: box, Picks: []incubate.Pick{
		{PenID: pen, LaidOn: day(8), Eggs: 10},
	}})
	y.call(id, 1, 7, 3)
	by := y.rates(breeders.Query{By: "sire"})
	assert.Equal(t, 7, group(by, "the unnamed male of Barred").Fertility.K)

	done, _ := y.putIn(pen, "Birch", lineage.Male, 2, flock.Instead)
	assert.Equal(t, "Birch is in Barred since 27 Feb; out: Male of Barred.", done.Said)
	by = y.rates(breeders.Query{By: "sire"})
	assert.Equal(t, 7, group(by, "Male of Barred").Fertility.K)
	page, err := y.Flock.Pen(y.Context(), y.m, pen)
	require.NoError(t, err)
	change := page.InPen.Birds[0].Change
	require.NotNil(t, change)
	assert.Equal(t, [3]time.Time{day(0), day(-5), day(-20)}, [3]time.Time{change.First, change.Safe, change.Surely})
	assert.Equal(t, []string{"Male of Barred"}, page.InPen.Birds[0].Others)
	assert.Zero(t, page.InPen.Unnamed.Males)
}

// A pen is often written down after its eggs: what was laid before its first day is its first male's.
func TestEggsOfBeforeThePenAreItsFirstMales(t *testing.T) {
	y := newYard(t)
	box := y.machine("Cabinet", "all-in-one", "chicken", 60, 60)
	pen := y.pen("Barred", "chicken")
	_, err := y.owner.Pool.Exec(y.Context(), `update pens set from_on = $2 where id = $1`, pen, day(3))
	require.NoError(t, err)
	y.putIn(pen, "Alder", lineage.Male, 3, flock.Already)
	y.collect(pen, 8, 10, 0)
	id := y.set(incubate.Setting{Species: "chicken", SetterID: box, Picks: []incubate.Pick{
		{PenID: pen, LaidOn: day(8), Eggs: 10},
	}})
	y.call(id, 1, 7, 3)
	assert.Equal(t, 7, group(y.rates(breeders.Query{By: "sire"}), "Alder").Fertility.K)
}

func TestBirdsAreChecked(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen, quail := y.pen("Barred", "chicken"), y.pen("Oat", "coturnix-quail")
	_, alder := y.putIn(pen, "Alder", lineage.Male, 60, flock.Already)
	_, hazel := y.putIn(pen, "Hazel", lineage.Female, 60, flock.Already)
	hatched := day(200)
	_, err := y.Flock.SaveBird(ctx, by(y.m), snapshot.Bird{
		Name: "Rowan", Species: "chicken", Sex: lineage.Female, SireID: &alder, DamID: &hazel, HatchedOn: &hatched,
	})
	require.NoError(t, err)
	rowan := y.bird("Rowan")
	assert.Equal(t, "Alder", rowan.Sire)
	future := day(-3)
	save := func(b snapshot.Bird) (farm.Done, error) { return y.Flock.SaveBird(ctx, by(y.m), b) }
	putIn := func(pen, bird int64, on time.Time) (farm.Done, error) {
		return y.Flock.PutIn(ctx, by(y.m), flock.PutIn{
			PenID: pen, Bird: snapshot.Bird{ID: bird}, On: on, How: flock.Beside,
		})
	}
	for name, c := range map[string]struct {
		try  func() (farm.Done, error)
		says string
	}{
		"a name twice": {func() (farm.Done, error) {
			return save(snapshot.Bird{Name: "Alder", Species: "chicken", Sex: lineage.Male})
		}, "There is a bird of that name already"},
		"a hen as sire": {func() (farm.Done, error) {
			return save(snapshot.Bird{Name: "X", Species: "chicken", Sex: lineage.Male, SireID: &hazel})
		}, "Pick the sire among the males of its kind."},
		"its own ancestor": {func() (farm.Done, error) {
			b := y.bird("Hazel").Bird
			b.DamID = &rowan.ID
			return save(b)
		}, "Hazel would descend from itself."},
		"hatched tomorrow": {func() (farm.Done, error) {
			return save(snapshot.Bird{Name: "X", Species: "chicken", Sex: lineage.Male, HatchedOn: &future})
		}, "The day on which it hatched is 4 Mar 2027"},
		"no sex": {func() (farm.Done, error) {
			return save(snapshot.Bird{Name: "X", Species: "chicken"})
		}, "Say whether it is male or female."},
		"a cock among quail": {func() (farm.Done, error) {
			return putIn(quail, alder, day(1))
		}, "Alder is no coturnix quail."},
		"in twice": {func() (farm.Done, error) {
			return putIn(pen, alder, day(1))
		}, "Alder is in Barred already."},
		"another sex": {func() (farm.Done, error) {
			b := y.bird("Alder").Bird
			b.Sex = lineage.Female
			return save(b)
		}, "Alder was in a pen, or has young; its sex stays."},
		"before the one he replaces": {func() (farm.Done, error) {
			return y.Flock.PutIn(ctx, by(y.m), flock.PutIn{
				PenID: pen, Bird: snapshot.Bird{Name: "Birch", Sex: lineage.Male}, On: day(90), How: flock.Instead,
			})
		}, "Alder came on 31 Dec 2026; another can take his place from then on."},
		"tomorrow": {func() (farm.Done, error) {
			return putIn(pen, rowan.ID, future)
		}, "Say it once the bird is in"},
		"before the pen was": {func() (farm.Done, error) {
			return putIn(pen, rowan.ID, day(900))
		}, "Barred has been there since"},
		"out before it came": {func() (farm.Done, error) {
			return y.Flock.Leave(ctx, by(y.m), flock.Leave{BirdID: alder, On: day(90), Gone: "sold"})
		}, "Alder came into Barred on"},
	} {
		_, err := c.try()
		assert.ErrorContains(t, err, c.says, name)
	}
	done, err := y.Flock.Leave(ctx, by(y.m), flock.Leave{BirdID: alder, On: day(1), Gone: "sold"})
	require.NoError(t, err)
	assert.Equal(t, "Alder left Barred: sold on 28 Feb.", done.Said)
	assert.Nil(t, y.bird("Alder").Pen)
	_, err = y.Undo(ctx, by(y.m), done.Entry)
	require.NoError(t, err)
	assert.Equal(t, "Barred", y.bird("Alder").Pen.Name)
	assert.Empty(t, y.bird("Alder").Gone)
}

// Whatever eggs are told apart by, all of them are told of; and by pen the figures are those of the
// Pens page.
func TestEveryEggIsToldOfOnce(t *testing.T) {
	y := newYard(t)
	a, b := y.pen("Barred", "chicken"), y.pen("Speckled", "chicken")
	box := y.machine("Cabinet", "all-in-one", "chicken", 60, 60)
	other := y.machine("Table", "all-in-one", "chicken", 60, 60)
	y.putIn(a, "Alder", lineage.Male, 60, flock.Already)
	y.putIn(a, "Hazel", lineage.Female, 60, flock.Already)
	for i, pen := range []int64{a, a, b} {
		_, err := y.gather(stock.Collected{PenID: pen, Eggs: 8, LaidOn: day(3 * i), Hen: []string{"hazel", "", "red 3"}[i]})
		require.NoError(t, err)
	}
	first := y.set(incubate.Setting{Species: "chicken", SetterID: box, Picks: []incubate.Pick{
		{PenID: a, LaidOn: day(0), Eggs: 8}, {PenID: b, LaidOn: day(6), Eggs: 4},
	}})
	second := y.set(incubate.Setting{Species: "chicken", SetterID: other, Picks: []incubate.Pick{
		{PenID: a, LaidOn: day(3), Eggs: 8}, {PenID: b, LaidOn: day(6), Eggs: 4},
	}})
	y.call(first, 1, 9, 3)
	y.call(second, 1, 6, 6)
	pens, err := y.Flock.Pens(y.Context(), y.m)
	require.NoError(t, err)
	for _, d := range breeders.Dimensions {
		table := y.rates(breeders.Query{By: d.ID, Rate: breeders.Fertility})
		fertile, known := 0, 0
		for _, r := range table.Rows {
			fertile, known = fertile+r.Fertility.K, known+r.Fertility.N
		}
		assert.Equal(t, 24, table.Eggs+table.LeftOut, d.ID)
		if table.LeftOut == 0 {
			assert.Equal(t, [2]int{15, 24}, [2]int{fertile, known}, d.ID)
		}
		for _, r := range table.Rows {
			behind, err := y.Breeders.Behind(y.Context(), y.m, breeders.Query{By: d.ID}, r.Key)
			require.NoError(t, err, d.ID)
			assert.Len(t, behind.Eggs, r.Eggs, "%s %s: its eggs", d.ID, r.Label)
		}
	}
	byPen := y.rates(breeders.Query{By: "pen"})
	for i, p := range pens {
		assert.Equal(t, p.Fertility.Interval, byPen.Rows[i].Fertility.Interval, p.Name)
	}
	byDam := y.rates(breeders.Query{By: "dam"})
	assert.Equal(t, 8, group(byDam, "Hazel").Eggs, "her name, however it is written")
	assert.Equal(t, 8, group(byDam, "red 3, Speckled").Eggs)
	only := y.rates(breeders.Query{By: "machine", Only: map[string]string{"pen": byPen.Rows[0].Key}})
	assert.Equal(t, 8, group(only, "Cabinet").Eggs, "of one pen alone")

	compared := y.rates(breeders.Query{
		By: "machine", Rate: breeders.Fertility, Compare: []string{only.Rows[0].Key, only.Rows[1].Key},
	}).Compared
	require.NotNil(t, compared)
	assert.Equal(t, "Cabinet", compared.Groups[0].Name)
	assert.InDelta(t, 0.400, compared.Exact, 0.001, "9 of 12 against 6 of 12: R, fisher.test")
	assert.True(t, compared.ByBatchKnown())
	assert.Contains(t, compared.Says, "the machine")
}

// Ten eggs of a pen are planned, set, candled, read and repeated.
func TestAFertilityTestFromPlanToRetest(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen, box := y.pen("Barred", "chicken"), y.machine("Cabinet", "all-in-one", "chicken", 60, 60)
	y.collect(pen, 1, 20, 0)
	_, err := y.Breeders.AskTest(ctx, by(y.m), breeders.Asked{PenID: pen, Eggs: 10, Why: "before selling"})
	require.NoError(t, err)
	_, err = y.Breeders.AskTest(ctx, by(y.m), breeders.Asked{PenID: pen, Eggs: 0})
	assert.ErrorContains(t, err, "The number of eggs is 0; it may be 3 to 500.")
	require.Len(t, y.chores(chores.SetTest), 1)

	setTen := func() int64 {
		return y.set(incubate.Setting{Species: "chicken", SetterID: box, Picks: []incubate.Pick{
			{PenID: pen, LaidOn: day(1), Eggs: 10},
		}})
	}
	id := setTen()
	test := func(i int) breeders.Test {
		all, err := y.Breeders.Tests(ctx, y.m)
		require.NoError(t, err)
		return all.Tests[i]
	}
	require.Len(t, test(0).Offers, 1, "the batch that holds its eggs is offered")
	_, err = y.Breeders.MarkTest(ctx, by(y.m), test(0).ID, id)
	require.NoError(t, err)
	assert.Empty(t, y.chores(chores.SetTest, chores.ReadTest))
	assert.Equal(t, "Nobody has candled them yet.", test(0).Why)
	y.now = y.now.AddDate(0, 0, 7)
	y.call(id, 1, 3, 7)
	assert.Equal(t, rates.TestAgain, test(0).Reading.Advice)
	require.Len(t, y.chores(chores.ReadTest), 1)
	first := test(0).ID
	_, err = y.Breeders.EndTest(ctx, by(y.m), first, "swap the male")
	require.NoError(t, err)
	assert.Empty(t, y.chores(chores.ReadTest))
	_, err = y.Breeders.EndTest(ctx, by(y.m), first, "again")
	assert.ErrorContains(t, err, "This test is ended.")

	_, err = y.Breeders.AskTest(ctx, by(y.m), breeders.Asked{PenID: pen, Eggs: 10, RetestOf: &first})
	require.NoError(t, err)
	again := setTen()
	_, err = y.Breeders.MarkTest(ctx, by(y.m), test(0).ID, again)
	require.NoError(t, err)
	y.call(again, 1, 10, 0)
	retest := test(0)
	assert.Equal(t, rates.SetEggs, retest.Reading.Advice, "batches here differ so much that ten eggs clear nobody")
	assert.Contains(t, retest.ChangeSays(), "etter than before.")
	assert.Equal(t, 3, retest.Before.Reading.K)

	s, err := y.Breeders.Statement(ctx, y.m, pen)
	require.NoError(t, err)
	assert.Equal(t, [2]int{13, 20}, [2]int{s.Rate.K, s.Rate.N}, "of the last months, the bad test as well")
	assert.True(t, s.MayBeSigned())
	_, err = y.Breeders.SetThresholds(ctx, by(y.m), breeders.Thresholds{SellPct: 60, SwapPct: 70})
	assert.ErrorContains(t, err, "A male goes below less than the share from which eggs are sold.")
}

// The eggs tested are the former male's, and the new one's are not sure yet: neither the test nor the
// statement says anything of him.
func TestATestOfAFormerMalesEggs(t *testing.T) {
	y := newYard(t)
	pen, box := y.pen("Barred", "chicken"), y.machine("Cabinet", "all-in-one", "chicken", 60, 60)
	y.putIn(pen, "Alder", lineage.Male, 60, flock.Already)
	y.collect(pen, 3, 10, 0)
	y.putIn(pen, "Birch", lineage.Male, 1, flock.Instead)
	_, err := y.Breeders.AskTest(y.Context(), by(y.m), breeders.Asked{PenID: pen, Eggs: 10})
	require.NoError(t, err)
	id := y.set(incubate.Setting{Species: "chicken", SetterID: box, Picks: []incubate.Pick{
		{PenID: pen, LaidOn: day(3), Eggs: 10},
	}})
	all, err := y.Breeders.Tests(y.Context(), y.m)
	require.NoError(t, err)
	_, err = y.Breeders.MarkTest(y.Context(), by(y.m), all.Tests[0].ID, id)
	require.NoError(t, err)
	y.call(id, 1, 10, 0)
	all, err = y.Breeders.Tests(y.Context(), y.m)
	require.NoError(t, err)
	assert.Equal(t, "10 eggs of it laid with a male that is no longer in the pen: this says nothing of the one who is. "+
		"Wait, and test eggs laid from 22 Mar on.", all.Tests[0].Why)
	s, err := y.Breeders.Statement(y.Context(), y.m, pen)
	require.NoError(t, err)
	assert.Equal(t, "Birch", s.Males[0].Name)
	assert.False(t, s.MayBeSigned(), "no headline of Alder's eggs under Birch's name")
	assert.Equal(t, "Too few eggs to say (0; 10 are needed).", s.FewSays())
	assert.Equal(t, "Not counted: 10 eggs of a former male.", s.LeftOut())
	d, err := y.Breeders.Decide(y.Context(), y.m, pen, breeders.Order{}, 0)
	require.NoError(t, err)
	assert.Nil(t, d.Fertile.Reading, "nor is it said from them whether to sell")
}

// Two pens' eggs in one machine's batches: by machine, a batch is one, whosever eggs it held, and the
// interval is as wide as a batch's luck makes it.
func TestABatchOfTwoPensIsOneBatch(t *testing.T) {
	var sums []breedersrows.Sum
	for b := range int64(8) {
		for pen := range int64(2) {
			k := 15 - 5*int(b%2)
			sums = append(sums, breedersrows.Sum{
				PenID: pen + 1, BatchID: b + 1, Species: "chicken", Closed: true, Eggs: 20, Examined: 20, Fertile: k,
			})
		}
	}
	ledger := snapshot.NewLedger(sums)
	var told []snapshot.Told
	for b := range 8 {
		told = append(told, ledger.Of(1)[b], ledger.Of(2)[b])
	}
	both := ledger.Rates(told).Fertility
	var joined []rates.Count
	for b := range 8 {
		joined = append(joined, rates.Count{K: float64(30 - 10*(b%2)), N: 40})
	}
	assert.Equal(t, [2]int{200, 320}, [2]int{both.K, both.N})
	assert.InDelta(t, ledger.Fertility.Worth(joined).N, both.Worth.N, 1e-9)
	apart := ledger.Rates(ledger.Of(1)).Fertility.Worth.N + ledger.Rates(ledger.Of(2)).Fertility.Worth.N
	assert.Less(t, both.Worth.N, apart, "less than as if each pen had batches of its own")
}

func TestWhatFollowsOfAPen(t *testing.T) {
	y := newYard(t)
	box := y.machine("Cabinet", "all-in-one", "chicken", 60, 60)
	pen := y.proven("Barred", box)
	for i, hen := range []string{"Hazel", "Rowan"} {
		_, err := y.gather(stock.Collected{PenID: pen, Eggs: 6 - 2*i, LaidOn: day(0), Hen: hen})
		require.NoError(t, err)
	}
	d, err := y.Breeders.Decide(y.Context(), y.m, pen, breeders.Order{Want: 10, SurePct: 90}, 6)
	require.NoError(t, err)
	require.NotNil(t, d.Eggs)
	assert.GreaterOrEqual(t, d.Eggs.Prob, .9)
	assert.Less(t, d.Eggs.ProbFewer, .9)
	pullets, err := y.Breeders.Decide(y.Context(), y.m, pen, breeders.Order{Want: 10, SurePct: 90, Pullets: true}, 6)
	require.NoError(t, err)
	assert.Greater(t, pullets.Eggs.Eggs, 3*d.Eggs.Eggs/2, "half of the young are males")
	assert.Equal(t, 10, d.Waits[0].Eggs)
	assert.Greater(t, d.Waits[0].Kept, d.Waits[3].Kept, "waiting costs")
	assert.Equal(t, [2]int{3, 3}, [2]int{d.Even[0].Set, d.Even[1].Set})
	few, err := y.Breeders.Decide(y.Context(), y.m, pen, breeders.Order{Want: 1e6, SurePct: 90}, 0)
	require.NoError(t, err)
	assert.NotEmpty(t, few.Problem)

	c, err := y.Breeders.Costs(y.Context(), y.m, breeders.CostQuery{
		Pen: pen, Eggs: 20, Egg: 1, Batch: 4, Feed: .5, Price: 5, Machine: 300, Better: 5, PerYear: 300,
	})
	require.NoError(t, err)
	assert.InDelta(t, 24/c.Young+.5, c.Each, 1e-9)
	assert.InDelta(t, c.Young*4.5-24, c.Gain, 1e-9)
	assert.InDelta(t, 300/(15*4.5), c.Years, 1e-9)
	assert.True(t, c.Few < c.Many && c.Loss > 0 && c.Loss < .5, "%+v", c)
}

func TestLayingThatFellWithAMale(t *testing.T) {
	y := newYard(t)
	pen := y.pen("Barred", "chicken")
	for back := range 26 {
		eggs := 5
		if back < 9 {
			eggs = 1
		}
		y.collect(pen, back, eggs, 0)
	}
	y.putIn(pen, "Alder", lineage.Male, 60, flock.Already)
	page, err := y.Flock.Pen(y.Context(), y.m, pen)
	require.NoError(t, err)
	assert.Empty(t, page.InPen.Fell, "nobody came in")
	y.putIn(pen, "Birch", lineage.Male, 10, flock.Instead)
	page, err = y.Flock.Pen(y.Context(), y.m, pen)
	require.NoError(t, err)
	assert.Contains(t, page.InPen.Fell, "Since Birch came in the pen lays 1.4 eggs a day; before it were 5.0.")
}
