package wall

import (
	"bytes"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWrite(t *testing.T) {
	s := Sheet{
		Title: "Wickfold", Printed: "printed 1 March", From: time.Date(2027, 3, 1, 0, 0, 0, 0, time.UTC), Days: 91,
		Promises: []Span{{.5, .55, "20 chicks · Mosswick"}, {.97, 1, "cut off at the edge"}},
		Away:     []Span{{.2, .25, "away"}},
	}
	for i := range 60 {
		s.Lanes = append(s.Lanes, Lane{Name: fmt.Sprintf("Machine %d", i), Shut: []Span{{.7, .8, "lent"}}, Rows: [][]Bar{{
			{Span: Span{.1, .3, "Chicken 27-01"}}, {
				Span: Span{.3, .35, "Chicken 27-01"}, Locked: true, Planned: true, Hatch: .33,
			},
		}}})
	}
	pages := map[Size]int{}
	for _, size := range []Size{A4, A3} {
		var b bytes.Buffer
		require.NoError(t, s.Write(&b, size))
		assert.True(t, bytes.HasPrefix(b.Bytes(), []byte("%PDF")))
		pages[size] = bytes.Count(b.Bytes(), []byte("/Type /Page\n"))
	}
	assert.Greater(t, pages[A4], pages[A3], "smaller paper takes more pages for sixty lanes: %v", pages)
	assert.Equal(t, "board-2027-03-01-A3.pdf", s.Name(A3))
}
