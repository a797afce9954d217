package sheet_test

import (
	"bytes"
	"encoding/csv"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"metrogon/formats/sheet"
)

var (
	head = []string{"pen", "eggs", "mass_g", "laid_on", "fertile", "note"}
	rows = [][]any{
		{"Barred", int32(12), 58.5, time.Date(2027, 4, 1, 0, 0, 0, 0, time.UTC), true, "a \"big\" one,\nodd"},
		{"=1+1", int32(-3), nil, nil, false, "@SUM(A1)"},
		{"Küken", int32(0), 0.25, nil, nil, ""},
	}
)

func write(t *testing.T, w sheet.Writer) {
	require.NoError(t, w.Head(head))
	for _, r := range rows {
		require.NoError(t, w.Row(r))
	}
	require.NoError(t, w.Close())
}

// RFC 4180: lines end in CR LF, quotes are doubled; UTF-8; what looks like a formula is text; a negative
// number stays one.
func TestCSV(t *testing.T) {
	var b bytes.Buffer
	write(t, sheet.CSV(&b))
	assert.True(t, strings.HasPrefix(b.String(), "pen,eggs,mass_g,laid_on,fertile,note\r\n"))
	read, err := csv.NewReader(&b).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, []string{"Barred", "12", "58.5", "2027-04-01", "yes", "a \"big\" one,\nodd"}, read[1])
	assert.Equal(t, []string{"'=1+1", "-3", "", "", "no", "'@SUM(A1)"}, read[2])
}

func TestXLSXReadBack(t *testing.T) {
	var b bytes.Buffer
	w, err := sheet.XLSX(&b, "eggs")
	require.NoError(t, err)
	write(t, w)
	file := filepath.Join(t.TempDir(), "eggs.xlsx")
	require.NoError(t, os.WriteFile(file, b.Bytes(), 0o600))
	f, err := excelize.OpenFile(file)
	require.NoError(t, err)
	defer f.Close()
	read, err := f.GetRows("eggs")
	require.NoError(t, err)
	assert.Equal(t, head, read[0])
	assert.Equal(t, []string{"=1+1", "-3", "", "", "no", "@SUM(A1)"}, read[2])
	formula, err := f.GetCellFormula("eggs", "A3")
	require.NoError(t, err)
	assert.Empty(t, formula, "a text that looks like a formula is none")
	kind, err := f.GetCellType("eggs", "B3")
	require.NoError(t, err)
	assert.NotEqual(t, excelize.CellTypeInlineString, kind, "a number is a number")

	office, err := exec.LookPath("soffice")
	if err != nil {
		t.Log("no LibreOffice here: read back by excelize alone")
		return
	}
	out, err := exec.Command(
		office, "--headless", "--convert-to", "csv", "--outdir", filepath.Dir(file), file,
	).CombinedOutput()
	require.NoError(t, err, string(out))
	text, err := os.ReadFile(strings.TrimSuffix(file, "xlsx") + "csv")
	require.NoError(t, err)
	assert.Contains(t, string(text), "Küken")
}
