package farm_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/candling"
	"metrogon/farm/candle"
	"metrogon/farm/find"
)

// A pencil code leads to its egg, in store, in a batch, and after it was taken out of one; letters that begin
// it are enough. Names are found in whole or in part; another farm's are not.
func TestWhatIsWrittenIsFound(t *testing.T) {
	y := newYard(t)
	ctx := t.Context()
	batch := y.incubating(6)
	pen := y.pen("Hill bantams", "chicken")
	y.collect(pen, 0, 2, 0)
	look := func(words string) find.Found { return must(y.Find.Find(ctx, y.m, words)) }
	says := func(words string) (all []string) {
		for _, e := range look(words).Eggs {
			all = append(all, e.Mark+" "+find.Where(e))
		}
		return
	}
	mark := func(no int) string {
		for _, p := range y.batch(batch).Pens {
			for _, e := range p.Eggs {
				if e.No == no {
					return *e.Mark
				}
			}
		}
		t.Fatalf("no egg %d", no)
		return ""
	}
	one := mark(1)
	require.Len(t, says(one), 1)
	assert.Contains(t, says(one)[0], "egg 1 of Chicken 27-01")
	assert.Equal(t, says(one), says(" "+string(one[0]+'a'-'A')+one[1:]), "small letters, and a space before")
	assert.Len(t, says(one[:2]), 8, "six in the batch and two in store begin alike")
	assert.Contains(t, says(one[:2])[7], "in store, Hill bantams, laid 1 Mar")
	must(y.Candle.Candle(ctx, by(y.m), batch, candle.Calling{
		Call: candling.Clear, Eggs: nos(y.batch(batch), 1), TakeOut: true,
	}))
	require.Len(t, says(one), 1)
	assert.Contains(t, says(one)[0], "; removed")
	assert.Len(t, says(one[:2]), 7, "by its beginning only those that live")

	f := look("bantam")
	require.Len(t, f.Pens, 1)
	assert.Equal(t, "Hill bantams", f.Pens[0].Name)
	assert.Len(t, look("27-01").Batches, 1)
	assert.True(t, look("%").None(), "no sign stands for others")
	assert.True(t, look("").None())
	_, err := y.Find.Find(ctx, y.m, "a\x00b")
	assert.ErrorContains(t, err, "use plain text")
	stranger := y.settle("Elsewhere", "x@elsewhere.example")
	assert.True(t, must(y.Find.Find(ctx, stranger, one)).None())
}
