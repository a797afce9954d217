package record_test

import (
	"bytes"
	"fmt"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/formats/record"
)

// The record reads as text, line by line; a pen that runs on is headed again on the next page.
func TestARecordOfTwoPages(t *testing.T) {
	pen := record.Pen{
		Name:  "Барред, Chicken",
		Total: record.Line{Batch: "In all", Eggs: "1260", OfSet: "900 of 1260: 66–76 %"},
	}
	for n := range 60 {
		pen.Lines = append(pen.Lines, record.Line{
			Batch: fmt.Sprintf("Chicken 26-%02d", n+1), Set: "Fri 9 Jan", Eggs: "21", Fertile: "20 of 21",
			OfFertile: "18 of 20", OfSet: "18 of 21",
		})
	}
	var whole bytes.Buffer
	require.NoError(t, record.Record{Title: "Hatch record 2026", Pens: []record.Pen{pen}}.Write(&whole))
	read := exec.CommandContext(t.Context(), "pdftotext", "-layout", "-", "-")
	read.Stdin = &whole
	out, err := read.Output()
	require.NoError(t, err)
	said := string(out)
	assert.Equal(t, 2, strings.Count(said, "\f"))
	assert.Contains(t, said, "Барред, Chicken, continued")
	assert.Equal(t, 2, strings.Count(said, "Hatched of fertile"), "the columns are named on both pages")
	assert.Regexp(t, `Chicken 26-60 +Fri 9 Jan +21 +20 of 21 +18 of 20 +18 of 21`, said)
	assert.Regexp(t, `In all +1260 +900 of 1260: 66–76 %`, said)
}
