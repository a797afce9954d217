package farm_test

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/calendar"
	"metrogon/core/candling"
	"metrogon/core/choice"
	"metrogon/core/method"
	"metrogon/core/outcome"
	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/farm/candle"
	"metrogon/farm/flock"
	"metrogon/farm/hatch"
	"metrogon/farm/incubate"
	"metrogon/farm/kinds"
	"metrogon/farm/people"
	"metrogon/farm/stock"
	"metrogon/farm/weigh"
	"metrogon/store"
)

func (y *yard) room() farm.EggRoom {
	room, err := y.Stock.EggRoom(y.Context(), y.m)
	require.NoError(y, err)
	return room
}

func (y *yard) gather(c stock.Collected) (string, error) {
	if c.LaidOn.IsZero() {
		c.LaidOn = day(0)
	}
	done, err := y.Stock.Collect(y.Context(), y.m, key(), c)
	return done.Said, err
}

func TestCollectingTellsWhatIsOdd(t *testing.T) {
	y := newYard(t)
	barred := y.pen("Barred", "chicken")
	said, err := y.gather(stock.Collected{PenID: barred, Eggs: 3, Reasons: map[string]int{"crack": 1, "dirty": 2}})
	require.NoError(t, err)
	assert.Equal(t, "3 eggs from Barred, 1 cracked, 2 dirty. Mark them AAA to AAE.", said)
	long, broad, light, usual := 57.0, 43.0, 38.0, 55.0
	said, err = y.gather(stock.Collected{PenID: barred, Hen: "14", Eggs: 1, LengthMM: &long, Breadth: &broad})
	require.NoError(t, err)
	assert.Equal(t, "1 egg from Barred, hen 14. Fresh weight about 57.8 g by its size. Mark it AAF.", said) // Hoyt 1979
	said, err = y.gather(stock.Collected{PenID: barred, Eggs: 1, MassG: &light})
	require.NoError(t, err)
	assert.Contains(t, said, "38.0 g is small: eggs of this kind weigh about 58.0 g. Better not set it.")
	_, err = y.gather(stock.Collected{PenID: barred, Eggs: 12, MassG: &usual})
	require.NoError(t, err)
	said, err = y.gather(stock.Collected{PenID: barred, Eggs: 1, MassG: &light})
	require.NoError(t, err)
	assert.Contains(t, said, "eggs of this pen weigh about 53.7 g", "12 × 55 and 38, over 13")

	pen, err := y.Flock.Pen(y.Context(), y.m, barred)
	require.NoError(t, err)
	assert.Equal(
		t, []any{21, 3, 18, []flock.Reject{{Reason: "dirty", Eggs: 2}, {Reason: "crack", Eggs: 1}}},
		[]any{pen.Laid, pen.Rejected, pen.Stored, pen.Reasons}, "rejects stay in the pen's record",
	)
	for says, c := range map[string]stock.Collected{
		"is no reason":               {PenID: barred, Reasons: map[string]int{"ugly": 1}},
		"it may be 0.3 to 400":       {PenID: barred, Eggs: 1, MassG: new(float64)},
		"both length and breadth":    {PenID: barred, Eggs: 1, LengthMM: &long},
		"Say how many eggs":          {PenID: barred},
		"what was done to the shell": {PenID: barred, Eggs: 1, Washing: "polished"},
		"where the eggs are kept":    {PenID: barred, Eggs: 1, PlaceID: 99},
	} {
		_, err := y.gather(c)
		assert.ErrorContains(t, err, says)
	}
	assert.Equal(t, 18, y.inStore())
}

func TestAWholeRoundIsOneEntry(t *testing.T) {
	y := newYard(t)
	barred, speckled := y.pen("Barred", "chicken"), y.pen("Speckled", "chicken")
	assert.Equal(t, barred, y.room().Next)
	done, err := y.Stock.Collect(
		y.Context(), y.m, key(), stock.Collected{PenID: barred, LaidOn: day(0), Eggs: 4},
		stock.Collected{PenID: speckled, LaidOn: day(0), Eggs: 5},
	)
	require.NoError(t, err)
	assert.Zero(t, y.room().Next, "every pen was gone to")
	_, err = y.Undo(y.Context(), y.m, key(), done.Entry)
	require.NoError(t, err)
	assert.Zero(t, y.inStore())
	_, err = y.Stock.Collect(
		y.Context(), y.m, key(), stock.Collected{PenID: barred, LaidOn: day(0), Eggs: 4},
		stock.Collected{PenID: 77, LaidOn: day(0), Eggs: 5},
	)
	require.Error(t, err)
	assert.Zero(t, y.inStore(), "all or nothing")
}

func TestPlacesAreTiltedDaily(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	barred := y.pen("Barred", "chicken")
	warm, dry := 22.0, 50.0
	_, err := y.Stock.SaveStoragePlace(ctx, y.m, key(), farm.StoragePlace{Name: "Larder", TempC: &warm, RHPct: &dry})
	require.NoError(t, err)
	larder := y.room().Places[0]
	assert.Equal(
		t, []string{"too warm: above 20 °C the germ begins to grow", "dry: 70 to 80 % keeps their water in"},
		larder.Warnings,
	)
	assert.False(t, larder.TiltDue, "nothing lies there")
	_, err = y.gather(stock.Collected{PenID: barred, Eggs: 4, PlaceID: larder.ID})
	require.NoError(t, err)
	due := func() bool { return len(y.chores(farm.Tilt)) == 1 }
	assert.True(t, due())
	done, err := y.Stock.Tilted(ctx, y.m, key(), larder.ID)
	require.NoError(t, err)
	assert.False(t, due())
	y.now = y.now.Add(5*time.Hour + 50*time.Minute) // 23:50
	assert.False(t, due(), "once a day")
	y.now = y.now.Add(20 * time.Minute)
	assert.True(t, due(), "the next day begins at midnight on the farm")
	y.now = y.now.Add(-20 * time.Minute)
	_, err = y.Undo(ctx, y.m, key(), done.Entry)
	require.NoError(t, err)
	assert.True(t, due())

	y.now = start.Add(29 * time.Hour)
	all, _, _, err := y.Stock.Baskets(ctx, y.m, 0)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, []any{1, 29, "Larder", "AAA", "AAF"}, []any{
		all[0].Age, all[0].Hours, all[0].Place, *all[0].FirstMark, *all[0].LastMark,
	})
	assert.Equal(t, []time.Time{day(-7), day(-10)}, []time.Time{all[0].BestOn, all[0].LastOn})
	_, err = y.Stock.MoveBaskets(ctx, y.m, key(), []int64{all[0].Basket.ID}, 0)
	require.NoError(t, err)
	assert.False(t, due(), "they lie elsewhere")
}

// A parcel from order to set, and its rates apart from the farm's own pens.
func TestAParcelRestsBeforeItIsSet(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	y.pen("Barred", "chicken")
	_, err := y.Flock.SavePen(ctx, y.m, key(), farm.Pen{
		Name: "Hollin Ridge", Species: "chicken", FromOn: day(30), Supplier: true,
	})
	require.NoError(t, err)
	cabinet := y.machine("Cabinet", "all-in-one", "chicken", 40, 40)
	_, suppliers, _, err := y.Stock.Parcels(ctx, y.m)
	require.NoError(t, err)
	require.Len(t, suppliers, 1)
	from := suppliers[0].ID
	assert.Len(t, y.room().Pens, 1, "nothing is collected from a supplier")
	_, err = y.gather(stock.Collected{PenID: from, Eggs: 3})
	assert.ErrorContains(t, err, "Pick the pen")
	_, err = y.Stock.Order(ctx, y.m, key(), farm.Parcel{PenID: from, Ordered: 24, OrderedOn: day(5)})
	require.NoError(t, err)
	parcels, _, _, err := y.Stock.Parcels(ctx, y.m)
	require.NoError(t, err)
	arrival := stock.Arrival{Sent: 26, Broken: 2, Loose: 3, At: y.now, LaidOn: day(4), RestHours: 24}
	for says, spoil := range map[string]func(*stock.Arrival){
		"it may be 12 to 48":                 func(a *stock.Arrival) { a.RestHours = 6 },
		"broken eggs is 27; it may be 0":     func(a *stock.Arrival) { a.Broken = 27 },
		"within the last month":              func(a *stock.Arrival) { a.At = y.now.AddDate(0, 0, 2) },
		"loose air cells is 25; it may be 0": func(a *stock.Arrival) { a.Loose = 25 },
	} {
		bad := arrival
		spoil(&bad)
		_, err := y.Stock.Arrived(ctx, y.m, key(), parcels[0].ID, bad)
		assert.ErrorContains(t, err, says)
	}
	first, err := y.Stock.Arrived(ctx, y.m, key(), parcels[0].ID, arrival)
	require.NoError(t, err)
	assert.Contains(
		t, first.Said,
		"24 eggs from Hollin Ridge in store, 2 broken. They rest until Tue 2 Mar, 18:00; mark them AAA to",
	)
	_, err = y.Stock.Arrived(ctx, y.m, key(), parcels[0].ID, arrival)
	assert.ErrorContains(t, err, "opened already")
	_, err = y.Undo(ctx, y.m, key(), first.Entry)
	require.NoError(t, err)
	assert.Zero(t, y.inStore())
	_, err = y.Stock.Arrived(ctx, y.m, key(), parcels[0].ID, arrival)
	require.NoError(t, err)

	s := incubate.Setting{
		Species: "chicken", SetterID: cabinet, HatcherID: cabinet, SetAt: y.now.Add(time.Hour),
		Picks: []incubate.Pick{{PenID: from, LaidOn: day(4), Eggs: 20}},
	}
	y.now = y.now.Add(time.Hour)
	page, err := y.Incubate.Plan(ctx, y.m, s)
	require.NoError(t, err)
	assert.Equal(
		t, []string{"20 eggs of Hollin Ridge rest until Tue 2 Mar, 18:00, so that their air cells settle."},
		page.Answer.Resting,
	)
	_, err = y.Incubate.Set(ctx, y.m, key(), s)
	assert.ErrorContains(t, err, "rest until Tue 2 Mar, 18:00")
	proposed, err := y.Incubate.Plan(ctx, y.m, incubate.Setting{Species: "chicken"})
	require.NoError(t, err)
	assert.Empty(t, proposed.Setting.Picks, "eggs that rest are not proposed")

	s.Unrested = true
	done, err := y.Incubate.Set(ctx, y.m, key(), s)
	require.NoError(t, err)
	assert.Contains(
		t, y.batch(done.BatchID).Journal[0].Said,
		"Before their rest was over: 20 eggs of Hollin Ridge rest until Tue 2 Mar, 18:00",
		"the override is written down",
	)
	_, err = y.Undo(ctx, y.m, key(), done.Entry)
	require.NoError(t, err)

	y.now = start.Add(24 * time.Hour)
	s.SetAt, s.Unrested = y.now, false
	done, err = y.Incubate.Set(ctx, y.m, key(), s)
	require.NoError(t, err)
	assert.NotContains(t, done.Said, "rest")
	parcels, _, _, err = y.Stock.Parcels(ctx, y.m)
	require.NoError(t, err)
	assert.Equal(t, []int{24, 26, 2, 4, 20}, []int{
		parcels[0].Ordered, *parcels[0].Sent, *parcels[0].Broken, parcels[0].Stored, parcels[0].Parcel.Set,
	})
	_, err = y.Candle.Candle(
		ctx, y.m, key(), done.BatchID,
		candle.Calling{Call: "clear", Eggs: nos(y.batch(done.BatchID), 1, 2, 3, 4, 5), TakeOut: true},
	)
	require.NoError(t, err)
	pens, err := y.Flock.Pens(ctx, y.m)
	require.NoError(t, err)
	assert.Equal(
		t, []any{"Barred", 0, "Hollin Ridge", 5},
		[]any{pens[0].Name, pens[0].Fertility.N, pens[1].Name, pens[1].Fertility.N}, "bought eggs stand apart, last",
	)
}

// proven is a pen of which enough is known: half of its eggs hatch.
func (y *yard) proven(name string, machine int64) int64 {
	pen := y.pen(name, "chicken")
	y.collect(pen, 0, 40, 0)
	id := y.set(incubate.Setting{
		Species: "chicken", SetterID: machine, HatcherID: machine,
		Picks: []incubate.Pick{{PenID: pen, LaidOn: day(0), Eggs: 40}},
	})
	now := y.now
	y.now = y.now.AddDate(0, 0, 22)
	_, err := y.Hatch.Hatched(y.Context(), y.m, key(), id, hatch.Young{ByPen: map[int64]int{pen: 20}})
	require.NoError(y, err)
	_, err = y.Hatch.Close(y.Context(), y.m, key(), id, time.Time{})
	require.NoError(y, err)
	y.now = now
	return pen
}

func TestEggsForAWish(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	cabinet := y.machine("Cabinet", "all-in-one", "chicken", 200, 200)
	barred, speckled := y.proven("Barred", cabinet), y.proven("Speckled", cabinet)
	y.now = y.now.AddDate(0, 0, 30)
	ago := func(days int) time.Time { return day(days - 30) }
	for back, n := range map[int]int{1: 30, 5: 30, 12: 9} {
		_, err := y.Stock.Collect(
			ctx, y.m, key(), stock.Collected{PenID: barred, LaidOn: ago(back), Eggs: n},
			stock.Collected{PenID: speckled, LaidOn: ago(back), Eggs: n / 2},
		)
		require.NoError(t, err)
	}
	plan := func(w incubate.Wish) incubate.SetPage {
		page, err := y.Incubate.Plan(ctx, y.m, incubate.Setting{
			Species: "chicken", SetterID: cabinet, HatcherID: cabinet, SetAt: y.now, Propose: true, Wish: w,
		})
		require.NoError(t, err)
		require.NotNil(t, page.Answer)
		return page
	}
	eggs := func(p incubate.SetPage, pen int64, back int) (n int) {
		for _, x := range p.Setting.Picks {
			if x.PenID == pen && x.LaidOn.Equal(ago(back)) {
				n += x.Eggs
			}
		}
		return
	}
	one := plan(incubate.Wish{Young: 10, CertaintyPct: 90, Order: choice.Freshest, PenID: barred})
	assert.GreaterOrEqual(t, one.Answer.Prob, .9)
	assert.Zero(t, eggs(one, speckled, 1)+eggs(one, barred, 12)+eggs(one, barred, 5))
	fewer := plan(incubate.Wish{Young: 10, CertaintyPct: 50, Order: choice.Freshest, PenID: barred})
	assert.Less(t, fewer.Answer.Eggs, one.Answer.Eggs, "more certainty takes more eggs")
	old := plan(incubate.Wish{Young: 10, CertaintyPct: 90, Order: choice.Oldest, PenID: barred})
	assert.Equal(t, 0, eggs(old, barred, 12), "too old")
	assert.Positive(t, eggs(old, barred, 5))
	assert.GreaterOrEqual(t, old.Answer.Eggs, one.Answer.Eggs, "old eggs give fewer")
	every := plan(incubate.Wish{Young: 12, CertaintyPct: 90, Order: choice.Freshest, EveryPen: true})
	assert.InDelta(t, eggs(every, barred, 1), eggs(every, speckled, 1), 1, "every pen alike")
	short := plan(incubate.Wish{Young: 500, CertaintyPct: 90})
	assert.Contains(t, short.Short, "All eggs that fit give at least 500 young only 0 times in 100")

	var lefts []string
	for _, l := range one.Answer.Left {
		lefts = append(lefts, fmt.Sprintf("%s %d, %d too old, by %s", l.Name, l.Eggs, l.Stale, l.Until.Format("2 Jan")))
	}
	assert.Equal(
		t,
		[]string{fmt.Sprintf("Barred %d, 9 too old, by 5 Apr", 69-one.Answer.Eggs), "Speckled 34, 4 too old, by 5 Apr"},
		lefts,
	)

	l := plan(incubate.Wish{}).Later
	require.NotNil(t, l)
	assert.Equal(t, 90, l.Now.Eggs, "all that are not too old")
	assert.Equal(t, (60*2)/7+(30*2)/7, l.New, "both pens laid 60 and 30 in the last seven days")
	assert.Greater(t, l.Then.Eggs, l.Now.Eggs)
	assert.Positive(t, l.Lost)
	assert.Equal(t, l.Now.Hatch.Add(48*time.Hour), l.Then.Hatch)
}

// Two people at the same moment: one wins, the other is told which eggs went,
// and no egg is lost or doubled. Ten rounds, by number and egg by egg.
func TestTheSameEggsAtTheSameMoment(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	cabinet := y.machine("Cabinet", "all-in-one", "chicken", 2000, 2000)
	for round := range 10 {
		pen := y.pen(fmt.Sprintf("Line %d", round), "chicken")
		y.collect(pen, 1, 30, 0)
		singles, err := y.Incubate.SingleEggs(ctx, y.m, pen, day(1), false)
		require.NoError(t, err)
		pick := incubate.Pick{PenID: pen, LaidOn: day(1), Eggs: 18}
		if round%2 == 1 {
			pick.Eggs = 2
			pick.Only = []int64{singles[4].ID, singles[9].ID}
		}
		var wait sync.WaitGroup
		var said [2]error
		begin := make(chan struct{})
		for who := range said {
			wait.Go(func() {
				<-begin
				_, said[who] = y.Incubate.Set(ctx, y.m, key(), incubate.Setting{
					Species: "chicken", SetterID: cabinet, HatcherID: cabinet, SetAt: y.now,
					Picks: []incubate.Pick{pick},
				})
			})
		}
		close(begin)
		wait.Wait()
		lost := slices.IndexFunc(said[:], func(err error) bool { return err != nil })
		require.GreaterOrEqual(t, lost, 0, "both won")
		require.NoError(t, said[1-lost], "both lost")
		if pick.Only != nil {
			assert.ErrorContains(t, said[lost], fmt.Sprintf(
				"%s, %s of Line %d went meanwhile. Nothing was set", *singles[4].Mark, *singles[9].Mark, round,
			))
		} else {
			assert.ErrorContains(t, said[lost], fmt.Sprintf(
				"from Line %d only 12 are left in store, 18 were picked. Nothing was set", round,
			))
		}
		left, err := y.Incubate.SingleEggs(ctx, y.m, pen, day(1), false)
		require.NoError(t, err)
		assert.Len(t, left, 30-pick.Eggs)
	}
	open, _, err := y.Incubate.Batches(ctx, y.m, 0)
	require.NoError(t, err)
	assert.Len(t, open, 10)
	set := 0
	for _, b := range open {
		set += b.Eggs
	}
	assert.Equal(t, 5*18+5*2, set)
}

func (y *yard) trays(batch int64) farm.TrayPage {
	page, err := y.Incubate.Trays(y.Context(), y.m, batch)
	require.NoError(y, err)
	return page
}

// map draws where the eggs of pens lie: a letter a pen, a dot for a free place.
func drawn(p farm.TrayPage, letters map[int64]string) (rows []string) {
	for _, t := range p.Trays {
		for row := range t.Layout.Rows {
			s := ""
			for column := range t.Layout.Columns {
				here := "."
				for _, e := range t.Lying[row*t.Layout.Columns+column] {
					here = strings.TrimPrefix(here, ".") + letters[e.PenID]
				}
				s += here + " "
			}
			rows = append(rows, strings.TrimSpace(s))
		}
	}
	return
}

func TestEggsLieInTrays(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	barred, speckled := y.pen("Barred", "chicken"), y.pen("Speckled", "chicken")
	cabinet := y.machine("Cabinet", "all-in-one", "chicken", 40, 40)
	letters := map[int64]string{barred: "B", speckled: "S"}
	y.collect(barred, 1, 4, 0)
	y.collect(speckled, 1, 3, 0)
	first := y.set(incubate.Setting{
		Species: "chicken", SetterID: cabinet, HatcherID: cabinet,
		Picks: []incubate.Pick{{PenID: barred, LaidOn: day(1), Eggs: 3}, {PenID: speckled, LaidOn: day(1), Eggs: 3}},
	})
	other := y.set(incubate.Setting{
		Species: "chicken", SetterID: cabinet, HatcherID: cabinet,
		Picks: []incubate.Pick{{PenID: barred, LaidOn: day(1), Eggs: 1}},
	})
	_, err := y.Incubate.ArrangeByPen(ctx, y.m, key(), first)
	assert.ErrorContains(t, err, "Cabinet has no trays yet")
	for says, bad := range map[string]store.Tray{
		"rows is 61": {Name: "T", TrayRows: 61, TrayColumns: 2}, "row is 0": {Name: "T", TrayRows: 2},
		"are 2400 places": {Name: "T", TrayRows: 60, TrayColumns: 40}, "name is missing": {TrayRows: 1, TrayColumns: 1},
	} {
		bad.MachineID = cabinet
		_, err := y.Machines.SaveTray(ctx, y.m, key(), bad, "", "")
		assert.ErrorContains(t, err, says)
	}
	_, err = y.Machines.SaveTray(
		ctx, y.m, key(), store.Tray{MachineID: cabinet, Name: "Top", TrayRows: 2, TrayColumns: 4}, "A1, A2", "B9",
	)
	assert.ErrorContains(t, err, `"B9"; it may be A1 to B4`)
	_, err = y.Machines.SaveTray(
		ctx, y.m, key(), store.Tray{MachineID: cabinet, Name: "Top", TrayRows: 2, TrayColumns: 4}, "A1, A2", "b4",
	)
	require.NoError(t, err)
	top := y.trays(first).Trays[0]
	assert.Equal(t, [][]int{{0, 1}, {7}}, [][]int{top.Warm, top.Cool})

	move := func(batch int64, mv incubate.Move) error {
		_, err := y.Incubate.MoveEggs(ctx, y.m, key(), batch, mv)
		return err
	}
	require.NoError(
		t, move(other, incubate.Move{EggIDs: []int64{y.trays(other).Loose[0].ID}, TrayID: top.ID, Place: "A2"}),
	)
	done, err := y.Incubate.ArrangeByPen(ctx, y.m, key(), first)
	require.NoError(t, err)
	assert.Equal(
		t, []string{"B B B B", "S S S ."}, drawn(y.trays(first), letters), "around the other batch's egg in A2",
	)
	page := y.trays(first)
	a1, b1 := page.Trays[0].Lying[0][0], page.Trays[0].Lying[4][0]
	require.NoError(t, move(first, incubate.Move{EggIDs: []int64{a1.ID}, TrayID: top.ID, Place: "b1"}))
	page = y.trays(first)
	assert.Equal(
		t, []int64{b1.ID, a1.ID}, []int64{page.Trays[0].Lying[0][0].ID, page.Trays[0].Lying[4][0].ID},
		"two eggs change places",
	)
	require.NoError(
		t, move(first, incubate.Move{Marks: []string{strings.ToLower(a1.Mark)}, TrayID: top.ID, Place: "B4"}),
	)
	assert.Equal(t, []string{"S B B B", ". S S B"}, drawn(y.trays(first), letters))
	assert.ErrorContains(
		t, move(first, incubate.Move{EggIDs: []int64{a1.ID}, TrayID: top.ID, Place: "A2"}),
		"A2 holds eggs of another batch",
	)
	assert.ErrorContains(
		t, move(first, incubate.Move{EggIDs: []int64{a1.ID}, TrayID: top.ID, Place: "C1"}), "it may be A1 to B4",
	)
	assert.ErrorContains(
		t, move(first, incubate.Move{Marks: []string{"QQQ"}, TrayID: top.ID, Place: "A1"}), `has the code "QQQ"`,
	)
	assert.ErrorContains(
		t, move(first, incubate.Move{EggIDs: []int64{a1.ID, b1.ID}, TrayID: top.ID, Place: "B4"}),
		"From B4 on there is no room for 2 eggs",
	)
	assert.ErrorIs(
		t, move(other, incubate.Move{EggIDs: []int64{a1.ID}, TrayID: top.ID, Place: "B1"}), farm.ErrNone,
		"an egg of another batch",
	)
	require.NoError(t, move(first, incubate.Move{EggIDs: []int64{a1.ID}}))
	assert.Equal(t, []string{"S B B B", ". S S ."}, drawn(y.trays(first), letters))
	assert.Len(t, y.trays(first).Loose, 1)

	_, err = y.Machines.SaveTray(
		ctx, y.m, key(), store.Tray{ID: top.ID, MachineID: cabinet, Name: "Top", TrayRows: 1, TrayColumns: 4}, "", "",
	)
	assert.ErrorContains(t, err, "Eggs lie in places that would be gone")
	_, err = y.Undo(ctx, y.m, key(), done.Entry)
	require.NoError(t, err)
	assert.Len(t, y.trays(first).Loose, 6, "as they lay before")

	hatcher := y.machine("Hatch box", "hatcher", "chicken", 0, 40)
	_, err = y.Incubate.ArrangeByPen(ctx, y.m, key(), first)
	require.NoError(t, err)
	_, err = y.Hatch.Lockdown(ctx, y.m, key(), first, hatcher, time.Time{})
	require.NoError(t, err)
	assert.Equal(
		t, []string{". B . .", ". . . ."}, drawn(y.trays(other), letters),
		"what moved to the hatcher lies in the setter no more",
	)
}

func TestQuailShareAPlace(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	oat := y.pen("Oat", "coturnix-quail")
	_, err := y.Machines.SaveMachine(
		ctx, y.m, key(), farm.Machine{Name: "Rack", Kind: "all-in-one"},
		[]farm.Room{{Species: "coturnix-quail", Setting: 40, Hatching: 40, PerPlace: 4}},
	)
	require.NoError(t, err)
	all, err := y.Machines.List(ctx, y.m)
	require.NoError(t, err)
	rack := all[0].ID
	y.collect(oat, 1, 9, 0)
	id := y.set(incubate.Setting{
		Species: "coturnix-quail", SetterID: rack, HatcherID: rack,
		Picks: []incubate.Pick{{PenID: oat, LaidOn: day(1), Eggs: 9}},
	})
	_, err = y.Machines.SaveTray(
		ctx, y.m, key(), store.Tray{MachineID: rack, Name: "T", TrayRows: 1, TrayColumns: 2}, "", "",
	)
	require.NoError(t, err)
	done, err := y.Incubate.ArrangeByPen(ctx, y.m, key(), id)
	require.NoError(t, err)
	assert.Contains(t, done.Said, "8 eggs laid by pen, 1 without a place")
	assert.Equal(t, []string{"QQQQ QQQQ"}, drawn(y.trays(id), map[int64]string{oat: "Q"}))
}

func TestAMachineIsMadeReady(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	barred := y.pen("Barred", "chicken")
	cabinet := y.machine("Cabinet", "all-in-one", "chicken", 40, 40)
	y.collect(barred, 1, 10, 0)
	s := incubate.Setting{
		Species: "chicken", SetterID: cabinet, HatcherID: cabinet, SetAt: y.now,
		Picks: []incubate.Pick{{PenID: barred, LaidOn: day(1), Eggs: 5}},
	}
	why := func() string {
		s.SetAt = y.now
		page, err := y.Incubate.Plan(ctx, y.m, s)
		require.NoError(t, err)
		return page.Answer.NotReady
	}
	assert.Equal(t, "not ticked: cleaned and sanitized and 7 more steps", why())
	_, err := y.Machines.MadeReady(
		ctx, y.m, key(), cabinet, "clean", "place", "outlet", "water", "floor", "turner", "thermometers", "nonsense",
	)
	assert.ErrorContains(t, err, `"nonsense" is no step`)
	_, err = y.Machines.MadeReady(
		ctx, y.m, key(), cabinet, "clean", "place", "outlet", "water", "floor", "turner", "thermometers",
	)
	require.NoError(t, err)
	assert.Equal(t, "not running warm yet", why())
	_, err = y.Machines.MadeReady(ctx, y.m, key(), cabinet, "warm")
	require.NoError(t, err)
	y.now = y.now.Add(10 * time.Hour)
	assert.Equal(t, "warm for 10 of 24 hours", why())
	y.now = y.now.Add(14 * time.Hour)
	assert.Empty(t, why())
	id := y.set(s)
	assert.Empty(t, why(), "eggs stand in it")
	y.now = y.now.AddDate(0, 0, 22)
	_, err = y.Hatch.Close(ctx, y.m, key(), id, time.Time{})
	require.NoError(t, err)
	y.now = y.now.Add(time.Minute)
	s.Picks[0].Eggs = 1
	assert.Equal(t, "not ticked: cleaned and sanitized and 7 more steps", why(), "after a hatch it begins anew")
	_, err = y.Machines.MadeReady(ctx, y.m, key(), cabinet)
	assert.ErrorContains(t, err, "Mark what is done")
}

func TestTheFarmsOwnWay(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	ducks := y.pen("Marsh ducks", "duck")
	_, err := y.Machines.SaveMachine(
		ctx, y.m, key(), farm.Machine{Name: "Still box", Kind: "still-air", ByHand: true},
		[]farm.Room{{Species: "duck", Setting: 20, Hatching: 20}},
	)
	require.NoError(t, err)
	all, err := y.Machines.List(ctx, y.m)
	require.NoError(t, err)
	box := all[0].ID
	y.collect(ducks, 0, 8, 0)
	id := y.set(incubate.Setting{
		Species: "duck", SetterID: box, HatcherID: box, Picks: []incubate.Pick{{PenID: ducks, LaidOn: day(0), Eggs: 8}},
	})
	usual := method.Method{School: method.Dry, HandTurns: 3, Washing: method.Unwashed, Mistings: 2, CoolMin: 15}
	for says, changes := range map[string][]species.Change{
		"it may be 21 to 35 days":        {{Figure: "hatch_days", At: 90}},
		"leaves no day before the hatch": {{Figure: "lockdown_day", At: 28}},
	} {
		_, err := y.Kinds.SaveKind(ctx, y.m, key(), "duck", changes, usual)
		assert.ErrorContains(t, err, says)
	}
	_, err = y.Kinds.SaveKind(
		ctx, y.m, key(), "duck", nil, method.Method{School: method.Dry, HandTurns: 4, Washing: method.Unwashed},
	)
	assert.ErrorContains(t, err, "4 turns a day is not possible; it may be 3, 5 or 7")
	done, err := y.Kinds.SaveKind(ctx, y.m, key(), "duck", []species.Change{{Figure: "lockdown_day", At: 23}}, usual)
	require.NoError(t, err)
	assert.Contains(t, done.Said, "Some values are unusual")
	kind, err := y.Kinds.Kind(ctx, y.m, "duck")
	require.NoError(t, err)
	lock := kind.Figures[slices.IndexFunc(kind.Figures, func(f kinds.FigureRow) bool {
		return f.Name == "lockdown_day"
	})]
	assert.Equal(
		t, []any{25.0, "common practice", 23.0, "unusual: 25 to 25 is common"},
		[]any{lock.Shipped.At, lock.Shipped.Origin.String(), lock.Change.At, lock.Unusual},
		"the shipped value stays beside the own one",
	)

	b := y.batch(id)
	stop, _ := b.Milestone(calendar.Lockdown)
	assert.Equal(t, 23.0, stop.Day, "running batches follow")
	assert.Equal(t, farm.Air{TempC: 38.6, Where: "at the top of the eggs"}, b.Air(), "a still-air machine")
	assert.Equal(t, [2]float64{15, 35}, [2]float64{b.Humidity().From, b.Humidity().To}, "the dry school")

	rounds := func() string {
		s := ""
		for _, c := range y.chores(method.Turn, method.Cool, method.Mist) {
			s += fmt.Sprintf("%s %d of %d, ", c.Kind, c.Done, c.Times)
		}
		return s
	}
	assert.Empty(t, rounds(), "they settle first")
	_, err = y.Incubate.Care(ctx, y.m, key(), id, method.Turn)
	assert.ErrorContains(t, err, "does not need this now")
	y.now = y.now.AddDate(0, 0, 2)
	assert.Equal(t, "turn 0 of 3, ", rounds())
	for range 2 {
		done, err = y.Incubate.Care(ctx, y.m, key(), id, method.Turn)
		require.NoError(t, err)
	}
	assert.Equal(t, "turn 2 of 3, ", rounds())
	_, err = y.Undo(ctx, y.m, key(), done.Entry)
	require.NoError(t, err)
	assert.Equal(t, "turn 1 of 3, ", rounds())
	y.now = y.now.AddDate(0, 0, 6)
	assert.Equal(t, "turn 0 of 3, cool 0 of 1, mist 0 of 2, ", rounds(), "from day 7 on, and each day anew")
	assert.Len(t, y.batch(id).Care, 1, "the log keeps what was done")
	y.now = y.now.AddDate(0, 0, 15)
	assert.Empty(t, rounds(), "left alone from lockdown on")
}

func TestWaitingIsLearntFromOwnEggs(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	cabinet := y.machine("Cabinet", "all-in-one", "chicken", 500, 500)
	pen := y.pen("Barred", "chicken")
	before, err := y.Stock.Waiting(ctx, y.m, "chicken")
	require.NoError(t, err)
	assert.Contains(t, before.Says(), "published curve alone")
	for back, hatched := range map[int]int{1: 160, 7: 60} {
		y.collect(pen, back, 200, 0)
		id := y.set(incubate.Setting{
			Species: "chicken", SetterID: cabinet, HatcherID: cabinet,
			Picks: []incubate.Pick{{PenID: pen, LaidOn: day(back), Eggs: 200}},
		})
		now := y.now
		y.now = y.now.AddDate(0, 0, 22)
		_, err := y.Hatch.Hatched(ctx, y.m, key(), id, hatch.Young{ByPen: map[int64]int{pen: hatched}})
		require.NoError(t, err)
		_, err = y.Hatch.Close(ctx, y.m, key(), id, time.Time{})
		require.NoError(t, err)
		y.now = now
	}
	after, err := y.Stock.Waiting(ctx, y.m, "chicken")
	require.NoError(t, err)
	assert.Equal(t, 400, after.Curve.Eggs)
	assert.Contains(
		t, after.Says(),
		"Your own 400 eggs keep worse than the published curve, most at 7 days. At 7 days 200 of them count, "+
			"which is 83 % of the blend",
	)
	assert.Less(t, after.Ages[6].Relative, .55)
	assert.InDelta(t, .898, after.Ages[6].Published, .001)
	assert.Equal(t, []int{200, 60}, []int{after.Ages[6].Set, after.Ages[6].Hatched})
}

// incubating sets so many eggs of one pen; where days of storage are named, so many
// of each.
func (y *yard) incubating(eggs int, ages ...int) int64 {
	y.Helper()
	pen, box := y.pen("Barred", "chicken"), y.machine("Cabinet", "all-in-one", "chicken", 40, 40)
	s := incubate.Setting{Species: "chicken", SetterID: box}
	for _, age := range append(ages, 0)[:max(len(ages), 1)] {
		y.collect(pen, age, eggs, 0)
		s.Picks = append(s.Picks, incubate.Pick{PenID: pen, LaidOn: day(age), Eggs: eggs})
	}
	return y.set(s)
}

// Twenty eggs of 60 g in air of 37.5 °C: the figures are R's, by the method of
// core/moisture's test.
func TestWeighingLeadsToAdvice(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(20)
	put := func(eggs int, mass, rh float64, sure bool) error {
		_, err := y.Weigh.Record(
			ctx, y.m, key(), id, weigh.Weighing{Eggs: eggs, MassG: mass, RHPct: rh, TempC: 37.5, At: y.now, Sure: sure},
		)
		return err
	}
	series := func() weigh.WaterSeries {
		w, err := y.Weigh.Water(ctx, y.m, id)
		require.NoError(t, err)
		require.Len(t, w.Series, 1)
		return w.Series[0]
	}
	assert.ErrorContains(t, put(20, 42.33, 50, false), "was it 42.33 ounces?")
	assert.ErrorContains(t, put(0, 1200, 50, false), "it may be 1 to 20")
	require.NoError(t, put(20, 1200, 50, false))
	assert.False(t, series().Known)
	y.now = y.now.AddDate(0, 0, 9)
	assert.ErrorContains(t, put(20, 18*57.3, 60, false), "weighs like 18 eggs, not 20")
	_, err := y.Candle.Candle(
		ctx, y.m, key(), id, candle.Calling{Call: candling.Clear, Eggs: nos(y.batch(id), 1, 2), TakeOut: true},
	)
	require.NoError(t, err)
	require.NoError(t, put(18, 18*57.3, 60, false), "two clears were taken out: they are no water")
	s := series()
	assert.InDelta(t, 4.5, s.LossPct, 1e-9, "2.7 of 60 g")
	assert.InDelta(t, 9, s.ProjectedPct, 1e-6, "as much again by day 18")
	// 2.7 g in nine days at 60 % is 300 mg a day; 4.5 g in nine is 500: (1 − .4 × 5/3) × 100 %.
	assert.InDelta(t, 100*(1-.4*5/3), s.RequiredRHPct, 1e-6)
	assert.Contains(
		t, s.Advice,
		"These eggs have lost 4.5 % and would reach 9.0 % by day 18; the goal is 12 %. Lower from 60 to 33 % "+
			"from now on.",
	)
	assert.Contains(t, s.How, "Take a sponge out")
	assert.ErrorContains(t, put(18, 18*58, 60, false), "later weighing of these eggs already")
	y.now = y.now.AddDate(0, 0, 5)
	assert.ErrorContains(t, put(18, 18*58, 60, false), "how many lay on the scale?")
	require.NoError(t, put(18, 18*53.8, 30, true), "the breeder is sure")
	assert.Contains(t, series().Advice, "Raise from 30 to")
	_, err = y.Undo(ctx, y.m, key(), y.batch(id).Last.ID)
	require.NoError(t, err)
	assert.Len(t, series().Weighings, 2)
}

// By hand: eggs 1 to 4 called clear and taken out, 5 to 10 live. On opening, 1 and
// 2 are infertile, 3 an early death, 4 dead in the middle; 5 to 8 hatch, 9 is late,
// 10 stays shut.
func TestOpenedClearsPutFertilityRight(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(10)
	y.now = y.now.AddDate(0, 0, 7)
	must := func(done farm.Done, err error) farm.Done { t.Helper(); require.NoError(t, err); return done }
	must(y.Candle.Candle(
		ctx, y.m, key(), id, candle.Calling{Call: candling.Clear, Eggs: nos(y.batch(id), 1, 2, 3, 4), TakeOut: true},
	))
	must(y.Candle.CandleRest(ctx, y.m, key(), id, time.Time{}))
	assert.Equal(t, []int{6, 10}, []int{y.batch(id).Fertile, y.batch(id).Examined}, "as it was called")
	_, err := y.Candle.RecordOpened(ctx, y.m, key(), id, nos(y.batch(id), 5), candling.Early)
	assert.ErrorContains(t, err, "taken out and not opened yet")
	must(y.Candle.RecordOpened(ctx, y.m, key(), id, nos(y.batch(id), 1, 2), candling.Infertile))
	must(y.Candle.RecordOpened(ctx, y.m, key(), id, nos(y.batch(id), 3), candling.Early))
	last := must(y.Candle.RecordOpened(ctx, y.m, key(), id, nos(y.batch(id), 4), candling.Middle))
	assert.Equal(t, []int{8, 10}, []int{y.batch(id).Fertile, y.batch(id).Examined}, "two of the clears were fertile")
	must(y.Undo(ctx, y.m, key(), last.Entry))
	assert.Equal(t, 7, y.batch(id).Fertile)
	must(y.Candle.RecordOpened(ctx, y.m, key(), id, nos(y.batch(id), 4), candling.Middle))

	y.now = y.now.AddDate(0, 0, 15)
	must(y.Hatch.End(
		ctx, y.m, key(), id, hatch.Ending{Eggs: nos(y.batch(id), 5, 6, 7, 8), Fate: outcome.Hatched, Stage: ""},
	))
	must(y.Hatch.End(
		ctx, y.m, key(), id, hatch.Ending{Eggs: nos(y.batch(id), 9), Fate: outcome.Unhatched, Stage: "late"},
	))
	must(y.Hatch.Close(ctx, y.m, key(), id, time.Time{}))
	var said []string
	for _, p := range y.batch(id).Proofs {
		said = append(said, fmt.Sprintf("%s, late %t, %s: %d of %d", p.Who, p.Late, p.Call, p.K, p.N))
	}
	assert.Equal(t, []string{"Anna Wick, late false, clear: 3 of 4", "Anna Wick, late false, live: 5 of 5"}, said)
}

// Of five eggs with weights of their own, 80 g and four of 55, the heavy one is
// taken out: 300 g, then 4 × 53.35 = 213.4 g. The four lost 3 % each; by the mean
// of all five it would look like 11 %.
func TestAHeavyEggTakenOutIsNoWater(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	pen, box := y.pen("Barred", "chicken"), y.machine("Cabinet", "all-in-one", "chicken", 40, 40)
	var picks []incubate.Pick
	for i, g := range []float64{80, 55, 55, 55, 55} {
		_, err := y.Stock.Collect(ctx, y.m, key(), stock.Collected{PenID: pen, LaidOn: day(i), Eggs: 1, MassG: &g})
		require.NoError(t, err)
		picks = append(picks, incubate.Pick{PenID: pen, LaidOn: day(i), Eggs: 1})
	}
	id := y.set(incubate.Setting{Species: "chicken", SetterID: box, Picks: picks})
	heavy := int64(0)
	for _, e := range y.batch(id).Pens[0].Eggs {
		if *e.MassG == 80 {
			heavy = e.ID
		}
	}
	put := func(x weigh.Weighing) farm.Done {
		t.Helper()
		x.RHPct, x.TempC, x.At = 50, 37.5, y.now
		done, err := y.Weigh.Record(ctx, y.m, key(), id, x)
		require.NoError(t, err)
		return done
	}
	put(weigh.Weighing{Eggs: 5, MassG: 300})
	y.now = y.now.AddDate(0, 0, 5)
	_, err := y.Hatch.End(
		ctx, y.m, key(), id, hatch.Ending{Eggs: []int64{heavy}, Fate: outcome.Removed, Stage: "cracked"},
	)
	require.NoError(t, err)
	put(weigh.Weighing{Eggs: 4, MassG: 213.4, Sure: true})
	w, err := y.Weigh.Water(ctx, y.m, id)
	require.NoError(t, err)
	assert.InDelta(t, 3, w.Series[0].LossPct, .01)
}

// Egg by egg, by the air cell, and what the machine did when a sponge went in.
func TestSingleEggsCellsAndSponges(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(6)
	var code []string
	for _, e := range y.batch(id).Pens[0].Eggs {
		code = append(code, *e.Mark)
	}
	put := func(x weigh.Weighing) (string, error) {
		x.Eggs, x.RHPct, x.TempC, x.At = max(x.Eggs, 1), 50, 37.5, y.now
		done, err := y.Weigh.Record(ctx, y.m, key(), id, x)
		return done.Said, err
	}
	water := func() weigh.Water {
		w, err := y.Weigh.Water(ctx, y.m, id)
		require.NoError(t, err)
		return w
	}
	for i, g := range []float64{60, 62, 58} {
		_, err := put(weigh.Weighing{Code: code[i], MassG: g})
		require.NoError(t, err)
	}
	_, err := put(weigh.Weighing{Code: "ZZZ9", MassG: 60})
	assert.ErrorContains(t, err, `has the code "ZZZ9"`)
	said, err := put(weigh.Weighing{Code: code[5], Cell: weigh.Cell{LossPct: 3, Drawn: true}})
	require.NoError(t, err)
	assert.Contains(t, said, "air cell of egg "+code[5]+" read, about 3 % lost")

	y.now = y.now.AddDate(0, 0, 9)
	for i, g := range []float64{60 * .94, 62 * .94, 58 * .89} { // the third loses twice as fast
		_, err := put(weigh.Weighing{Code: code[i], MassG: g, Sure: i == 2})
		require.NoError(t, err)
	}
	w := water()
	require.Len(t, w.Singles, 3)
	assert.Equal(t, code[2], w.Singles[0].Name, "the one that strays furthest stands first")
	assert.InDelta(t, 22, w.Singles[0].ProjectedPct, 1e-6)
	require.Len(t, w.Series, 1)
	assert.Equal(t, "3 eggs weighed one by one", w.Series[0].Name)
	assert.InDelta(t, 100*(60*.06+62*.06+58*.11)/180, w.Series[0].LossPct, 1e-6)
	assert.Contains(t, w.Series[0].Advice, "Raise from 50 to")

	said, err = put(weigh.Weighing{Code: code[5], Cell: weigh.Cell{LossPct: 9, Drawn: true}})
	require.NoError(t, err)
	assert.Contains(t, said, "the air cell of egg "+code[5]+" grows as it should")
	_, err = put(weigh.Weighing{Eggs: 6, Cell: weigh.Cell{DepthMM: 90}})
	assert.ErrorContains(t, err, "it may be 1 to 3")
	_, err = put(weigh.Weighing{Eggs: 6, Cell: weigh.Cell{DepthMM: 9}})
	require.NoError(t, err, "a ruler, held to one of them all")
	w = water()
	require.Len(t, w.Dark, 1)
	assert.False(t, w.Dark[0].Condemned)
	assert.Equal(t, "Air cells by eye", w.Series[0].Name)
	assert.True(t, w.Series[0].Known, "one look is enough, since a fresh cell is known")
	y.now = y.now.AddDate(0, 0, 2)
	_, err = put(weigh.Weighing{Eggs: 6, Cell: weigh.Cell{DepthMM: 4}})
	assert.ErrorContains(t, err, "it only grows")

	for _, r := range []weigh.Response{
		{What: "a sponge", FromPct: 40, ToPct: 60, Minutes: 50},
		{What: "a second sponge", FromPct: 40, ToPct: 49, Minutes: 40},
		{What: "opening the vents", FromPct: 55, ToPct: 50, Minutes: 20},
	} {
		_, err := y.Weigh.NoteResponse(ctx, y.m, key(), id, r)
		require.NoError(t, err)
	}
	_, err = y.Weigh.NoteResponse(
		ctx, y.m, key(), id, weigh.Response{What: "a spell", FromPct: 40, ToPct: 49, Minutes: 40},
	)
	assert.ErrorContains(t, err, "Pick what you changed")
	together := water().Series[1]
	assert.Equal(t, "3 eggs weighed one by one", together.Name)
	assert.Contains(t, together.How, "In Cabinet, a sponge last time gave +20 points in 50 min")
	_, err = y.Weigh.GoByWeight(ctx, y.m, key(), id)
	require.NoError(t, err)
	assert.True(t, water().ByWeight())
}

// Two trays on a scale that sends its weights: each counts once, an odd one is
// asked about and taken when it comes again.
func TestHandsFree(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(10)
	_, err := y.Weigh.RenewScaleKey(ctx, y.m, key())
	require.NoError(t, err)
	p, err := y.Weigh.HandsFree(ctx, y.m, id, weigh.Run{OneByOne: true, TareG: 5, RHPct: 50, TempC: 37.5}, false)
	require.NoError(t, err)
	require.Len(t, p.Targets, 10)
	hear := func(h weigh.Run) weigh.ScalePage {
		t.Helper()
		p, err := y.Weigh.HandsFree(ctx, y.m, id, h, true)
		require.NoError(t, err)
		return p
	}
	assert.False(t, hear(p.Run).Heard, "nothing was sent yet")
	assert.ErrorIs(t, y.Weigh.RecordReading(ctx, "no key", 60, ""), farm.ErrNone)
	assert.ErrorContains(t, y.Weigh.RecordReading(ctx, p.Key, -3, ""), "it may be 0.1 to 200000")
	y.now = y.now.Add(time.Minute)
	require.NoError(t, y.Weigh.RecordReading(ctx, p.Key, 65, ""))
	first, again := hear(p.Run), hear(p.Run)
	assert.Equal(t, 1, first.Next)
	assert.Equal(t, first.Run, again.Run, "asked twice, the reading counts once")
	w, err := y.Weigh.Water(ctx, y.m, id)
	require.NoError(t, err)
	require.Len(t, w.Singles, 1)
	assert.InDelta(t, 60, w.Singles[0].Weighings[0].MassG, 1e-9, "without the tray")

	require.NoError(t, y.Weigh.RecordReading(ctx, p.Key, 7.1, ""))
	odd := hear(first.Run)
	assert.Contains(t, odd.Asks, "ounces?")
	assert.Equal(t, 1, odd.Next, "it is asked about, not kept")
	require.NoError(t, y.Weigh.RecordReading(ctx, p.Key, 7.1, ""))
	assert.Equal(t, 2, hear(odd.Run).Next, "put down again, so it is meant")
	h := p.Run
	h.Next = 99
	assert.Nil(t, hear(h).Now())
}

// By hand, for a pen without a record: 85 % fertile, of these 80 % hatch, so ten
// eggs promise 6.8. Two clears go out, one clear stays in, seven are seen alive:
// 7 × .8 with a record of 7 fertile among 10 seen still open: 5.6.
func TestYoungToExpect(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(10)
	assert.InDelta(t, 6.8, y.batch(id).Prospect.Young, 1e-9)
	y.now = y.now.AddDate(0, 0, 7)
	_, err := y.Candle.Candle(
		ctx, y.m, key(), id, candle.Calling{Call: candling.Clear, Eggs: nos(y.batch(id), 1, 2), TakeOut: true},
	)
	require.NoError(t, err)
	_, err = y.Candle.Candle(
		ctx, y.m, key(), id, candle.Calling{Call: candling.Clear, Eggs: nos(y.batch(id), 3), TakeOut: false},
	)
	require.NoError(t, err)
	_, err = y.Candle.CandleRest(ctx, y.m, key(), id, time.Time{})
	require.NoError(t, err)
	p := y.batch(id).Prospect
	assert.InDelta(t, 5.6, p.Young, 1e-9)
	assert.Equal(t, 2, p.Out)
}

// A farm that leaves clears in until lockdown says so once.
func TestTheFarmsRuleForTakingOut(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(4)
	_, err := y.People.SaveFarm(ctx, y.m, key(), people.Rules{
		Name: "Wickfold", Zone: "UTC", ChoreAt: "07:00", WarmHours: 24, RestHours: 24,
		Out: []candling.Call{candling.Bad, candling.Live},
	})
	require.NoError(t, err)
	y.m, err = y.People.Owner(ctx, "Wickfold")
	require.NoError(t, err)
	assert.Equal(t, []string{"bad"}, y.m.OutCalls, "a live one is never taken out by rule")
	_, err = y.Candle.Candle(
		ctx, y.m, key(), id, candle.Calling{Call: candling.Clear, Eggs: nos(y.batch(id), 1), TakeOut: true},
	)
	require.NoError(t, err)
	_, err = y.Candle.Candle(
		ctx, y.m, key(), id, candle.Calling{Call: candling.Bad, Eggs: nos(y.batch(id), 2), TakeOut: true},
	)
	require.NoError(t, err)
	assert.Equal(t, 3, y.batch(id).Alive)
}

func TestUnsureEggsAreLookedAtAgain(t *testing.T) {
	y := newYard(t)
	ctx := y.Context()
	id := y.incubating(6)
	y.now = y.now.AddDate(0, 0, 8)
	_, err := y.Candle.Candle(
		ctx, y.m, key(), id, candle.Calling{Call: candling.Unsure, Eggs: nos(y.batch(id), 1, 2), TakeOut: false},
	)
	require.NoError(t, err)
	again := func() (titles []string) {
		for _, c := range y.chores(incubate.LookAgain) {
			titles = append(titles, c.Title)
		}
		return
	}
	assert.Empty(t, again(), "not on the same day")
	y.now = y.now.AddDate(0, 0, 3)
	assert.Equal(t, []string{"Look again at 2 doubtful eggs"}, again())
	_, err = y.Candle.Candle(
		ctx, y.m, key(), id, candle.Calling{Call: candling.Live, Eggs: nos(y.batch(id), 1), TakeOut: false},
	)
	require.NoError(t, err)
	assert.Equal(t, []string{"Look again at 1 doubtful egg"}, again())
	_, err = y.Candle.Candle(
		ctx, y.m, key(), id, candle.Calling{Call: candling.Quit, Eggs: nos(y.batch(id), 2), TakeOut: true},
	)
	require.NoError(t, err)
	assert.Empty(t, again())
}
