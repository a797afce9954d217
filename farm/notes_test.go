package farm_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm"
	"metrogon/farm/notes"
	"metrogon/farm/snapshot"
)

// What happened to a machine is told of the batches that stood there then, and of no others; a helper notes it.
func TestWhatHappenedIsNoted(t *testing.T) {
	y := newYard(t)
	ctx := t.Context()
	id := y.incubating(6)
	box := y.batch(id).SetterID
	set := y.now
	y.now = y.now.AddDate(0, 0, 2)
	add := func(n notes.Note) (farm.Done, error) { return y.Notes.Add(ctx, by(y.m), n) }
	says := func() (all []string) {
		for _, n := range y.batch(id).Notes {
			all = append(all, notes.Says(n, y.m))
		}
		return
	}
	ofBox := func() (all []notes.Note) {
		require.NoError(t, snapshot.ReadParts(ctx, y.Service, y.m, notes.OfMachine(box, &all)))
		return all
	}
	owner := y.m
	y.m = y.joined("Tobin", farm.HelperRole)
	minutes, cold := 130, 31.5
	done := must(add(notes.Note{MachineID: &box, Kind: "lid", Minutes: &minutes, TempC: &cold, Says: "the cat"}))
	assert.Regexp(t, `: lid or door ajar, 2\.2 h, 31\.5 °C: the cat\.$`, done.Said)
	must(add(notes.Note{BatchID: &id, Kind: "note", Says: "Two shells are thin."}))
	last := must(add(notes.Note{MachineID: &box, Kind: "power", At: set.AddDate(0, 0, -1)}))
	y.m = owner
	told := []string{"Two shells are thin.", "Lid or door ajar, 2.2 h, 31.5 °C: the cat"}
	assert.Equal(t, told, says(), "not what was before")
	assert.Len(t, ofBox(), 2)

	nothing, weeks := int64(999), 99999
	for wrong, n := range map[string]notes.Note{
		"The note is missing":       {MachineID: &box, Kind: "note"},
		"Pick what it was":          {MachineID: &box, Kind: "ghost"},
		"it may be 1 to 20160":      {MachineID: &box, Kind: "dry", Minutes: &weeks},
		"has not come yet":          {MachineID: &box, Kind: "dry", At: y.now.AddDate(0, 0, 1)},
		"it may be within two year": {MachineID: &box, Kind: "dry", At: y.now.AddDate(-3, 0, 0)},
	} {
		_, err := add(n)
		assert.ErrorContains(t, err, wrong)
	}
	for _, n := range []notes.Note{{Kind: "dry"}, {Kind: "dry", MachineID: &nothing}, {Kind: "dry", BatchID: &nothing}} {
		_, err := add(n)
		require.ErrorIs(t, err, farm.ErrNone)
	}
	must(y.Undo(ctx, by(y.m), last.Entry))
	must(y.Undo(ctx, by(y.m), done.Entry))
	assert.Equal(t, []string{"Two shells are thin."}, says())
	assert.Empty(t, ofBox())
}
