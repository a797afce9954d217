package table_test

import (
	"bytes"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"metrogon/formats/table"
)

func TestReadsWhatPeopleHave(t *testing.T) {
	want := [][]string{{"Pen", "Set on", "Eggs"}, {"Barred", "2026-04-01", "12"}, {"Küken", "1,5", "x"}}
	for name, text := range map[string]string{
		"commas":     "Pen,Set on,Eggs\nBarred,2026-04-01, 12\n\nKüken,\"1,5\",x\n",
		"semicolons": "\ufeffPen;Set on;Eggs\r\nBarred;2026-04-01;12\r\nKüken;1,5;x",
		"tabs":       "Pen\tSet on\tEggs\nBarred\t2026-04-01\t12\nKüken\t1,5\tx\n",
	} {
		rows, err := table.Read([]byte(text))
		require.NoError(t, err, name)
		if name == "commas" {
			require.Empty(t, rows[2], "an empty line keeps its number")
			rows = slices.Delete(rows, 2, 3)
		}
		assert.Equal(t, want, rows, name)
	}
	f := excelize.NewFile()
	for i, row := range want {
		cells := []any{row[0], row[1], row[2]}
		require.NoError(t, f.SetSheetRow("Sheet1", "A"+string(rune('1'+i)), &cells))
	}
	var b bytes.Buffer
	require.NoError(t, f.Write(&b))
	rows, err := table.Read(b.Bytes())
	require.NoError(t, err)
	assert.Equal(t, want, rows)
}

func TestWhatCannotBeRead(t *testing.T) {
	for says, file := range map[string]string{
		"no lines below": "Pen,Eggs\n", "neither XLSX": "a\x00b,c", "no XLSX workbook": "PK\x03\x04nonsense",
		"more than 10000 lines": "a,b\n" + strings.Repeat("1,2\n", 10_001),
	} {
		_, err := table.Read([]byte(file))
		assert.ErrorContains(t, err, says)
	}
}
