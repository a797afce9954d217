package farm_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm"
	"metrogon/farm/books"
	"metrogon/farm/snapshot"
	"metrogon/store/breeders"
)

// An old notebook comes in as closed batches that say what it says and no more: clear ones were looked at,
// young were counted with their pen. The same lines again change nothing; all of it is taken back at once.
func TestAnOldNotebook(t *testing.T) {
	y := newYard(t)
	ctx := t.Context()
	y.pen("Barred", "chicken")
	box := y.machine("Box", "all-in-one", "chicken", 48, 40)
	on := func(month time.Month, day int) time.Time { return time.Date(2026, month, day, 0, 0, 0, 0, time.UTC) }
	three, zero, nine := 3, 0, 9
	lines := []books.PastBatch{
		{No: 2, Pen: "Barred", SetOn: on(3, 1), Set: 20, Clear: &three, Hatched: 14},
		{No: 3, Pen: "barred", SetOn: on(4, 1), Set: 12, Hatched: 9, Stored: &nine},              // nobody wrote of candling
		{No: 4, Pen: "Marsh", Kind: "duck", SetOn: on(5, 1), Set: 10, Clear: &zero, Hatched: 10}, // all of them
		{No: 5, Pen: "Barred", SetOn: on(4, 1), Set: 12, Hatched: 9, Stored: &nine},              // a second such line
	}
	bring := func(dry bool, lines ...books.PastBatch) books.Brought {
		t.Helper()
		return must(y.Books.Bring(ctx, by(y.m), books.Notebook{Lines: lines, MachineID: box, Stored: 4, Dry: dry}))
	}
	closed := func() []snapshot.BatchView {
		_, all, err := y.Incubate.Batches(ctx, y.m, 0)
		require.NoError(t, err)
		return all
	}
	dry := bring(true, lines...)
	assert.Equal(t, []any{4, 54, 42, []string{"Marsh"}}, []any{dry.Batches, dry.Eggs, dry.Hatched, dry.NewPens})
	assert.Empty(t, closed(), "only looked")

	in := bring(false, lines...)
	assert.Equal(t, "Brought in 4 batches of a notebook: 54 eggs, 42 hatched.", in.Done.Said)
	pens := map[string][5]int{}
	for _, p := range must(y.Flock.Pens(ctx, y.m)) {
		pens[p.Name] = [5]int{p.Fertility.K, p.Fertility.N, p.HatchOfSet.K, p.HatchOfSet.N, p.Set}
	}
	assert.Equal(t, [5]int{10, 10, 10, 10, 10}, pens["Marsh"])
	barred := pens["Barred"]
	assert.Equal(t, 44, barred[4])
	assert.Equal(t, [2]int{32, 44}, [2]int{barred[2], barred[3]}, "14 of 20, and twice 9 of 12")
	assert.Zero(t, must(breeders.Of(y.owner).Miscounted(ctx)))

	record := must(y.Books.HatchRecord(ctx, y.m, 2026))
	require.Len(t, record.Pens, 2)
	assert.Equal(t, []int{2026}, must(y.Books.RecordYears(ctx, y.m)))
	assert.Equal(t, []int{44, 3}, []int{record.Pens[0].Eggs, len(record.Pens[0].Batches)})
	assert.Equal(t, barred[2], record.Pens[0].HatchOfSet.K, "as the Pens page says")
	first := record.Pens[0].Batches[0]
	assert.Equal(t, [4]int{14, 20, 17, 20}, [4]int{
		first.HatchOfSet.K, first.HatchOfSet.N, first.Fertility.K, first.Fertility.N,
	})
	assert.Empty(t, must(y.Books.HatchRecord(ctx, y.m, 2025)).Pens)

	again := bring(false, lines...)
	assert.Equal(t, "Nothing new in this list.", again.Done.Said)
	more := bring(true, append(lines, books.PastBatch{No: 6, Pen: "Marsh", SetOn: on(6, 1), Set: 5, Hatched: 0})...)
	assert.Equal(t, []int{1, 4}, []int{more.Batches, more.Known})

	bad := bring(false,
		books.PastBatch{No: 2, Pen: "Barred", SetOn: on(3, 1), Set: 10, Clear: &three, Hatched: 8},
		books.PastBatch{No: 3, Pen: "Nobody", SetOn: on(3, 1), Set: 10, Hatched: 8},
		books.PastBatch{No: 4, Pen: "Barred", SetOn: y.m.Date(y.now), Set: 10, Hatched: 8},
	)
	require.Len(t, bad.Bad, 3)
	assert.Equal(t, farm.BadLine{No: 2, Column: "hatched", Reason: "it may be 0 to 7"}, bad.Bad[0])
	assert.Equal(t, "kind", bad.Bad[1].Column)
	assert.Equal(t, "set on", bad.Bad[2].Column)

	must(y.Undo(ctx, by(y.m), in.Done.Entry))
	assert.Empty(t, closed())
	var eggs int
	require.NoError(t, y.owner.Pool.QueryRow(ctx, `select count(*) from eggs`).Scan(&eggs))
	assert.Zero(t, eggs)
	assert.Equal(t, 4, bring(false, lines...).Batches, "and it comes in again")
}
