package farm_test

import (
	"strings"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm"
	"metrogon/farm/incubate"
	"metrogon/farm/snapshot"
	"metrogon/store"
)

// map draws where the eggs of pens lie: a letter a pen, a dot for a free place.
func drawn(p snapshot.TrayPage, letters map[int64]string) (rows []string) {
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
	_, err := y.Incubate.ArrangeByPen(ctx, by(y.m), first)
	assert.ErrorContains(t, err, "Cabinet has no trays yet")
	for says, bad := range map[string]store.Tray{
		"rows is 61": {Name: "T", TrayRows: 61, TrayColumns: 2}, "row is 0": {Name: "T", TrayRows: 2},
		"are 2400 places": {Name: "T", TrayRows: 60, TrayColumns: 40}, "name is missing": {TrayRows: 1, TrayColumns: 1},
	} {
		bad.MachineID = cabinet
		_, err := y.Machines.SaveTray(ctx, by(y.m), bad, "", "")
		assert.ErrorContains(t, err, says)
	}
	_, err = y.Machines.SaveTray(
		ctx, by(y.m), store.Tray{MachineID: cabinet, Name: "Top", TrayRows: 2, TrayColumns: 4}, "A1, A2", "B9",
	)
	assert.ErrorContains(t, err, `"B9"; it may be A1 to B4`)
	_, err = y.Machines.SaveTray(
		ctx, by(y.m), store.Tray{MachineID: cabinet, Name: "Top", TrayRows: 2, TrayColumns: 4}, "A1, A2", "b4",
	)
	require.NoError(t, err)
	top := y.trays(first).Trays[0]
	assert.Equal(t, [][]int{{0, 1}, {7}}, [][]int{top.Warm, top.Cool})

	move := func(batch int64, mv incubate.Move) error {
		_, err := y.Incubate.MoveEggs(ctx, by(y.m), batch, mv)
		return err
	}
	require.NoError(
		t, move(other, incubate.Move{EggIDs: []int64{y.trays(other).Loose[0].ID}, TrayID: top.ID, Place: "A2"}),
	)
	done, err := y.Incubate.ArrangeByPen(ctx, by(y.m), first)
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
		ctx, by(y.m), store.Tray{ID: top.ID, MachineID: cabinet, Name: "Top", TrayRows: 1, TrayColumns: 4}, "", "",
	)
	assert.ErrorContains(t, err, "Eggs lie in places that would be gone")
	_, err = y.Undo(ctx, by(y.m), done.Entry)
	require.NoError(t, err)
	assert.Len(t, y.trays(first).Loose, 6, "as they lay before")

	hatcher := y.machine("Hatch box", "hatcher", "chicken", 0, 40)
	_, err = y.Incubate.ArrangeByPen(ctx, by(y.m), first)
	require.NoError(t, err)
	_, err = y.Hatch.Lockdown(ctx, by(y.m), first, hatcher, time.Time{})
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
		ctx, by(y.m), snapshot.Machine{Name: "Rack", Kind: "all-in-one"},
		[]snapshot.Room{{Species: "coturnix-quail", Setting: 40, Hatching: 40, PerPlace: 4}},
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
		ctx, by(y.m), store.Tray{MachineID: rack, Name: "T", TrayRows: 1, TrayColumns: 2}, "", "",
	)
	require.NoError(t, err)
	done, err := y.Incubate.ArrangeByPen(ctx, by(y.m), id)
	require.NoError(t, err)
	assert.Contains(t, done.Said, "8 eggs laid by pen, 1 without a place")
	assert.Equal(t, []string{"QQQQ QQQQ"}, drawn(y.trays(id), map[int64]string{oat: "Q"}))
}
