package report

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What stands in the PDF is read back by another program (poppler's pdftotext).
func TestTheReportIsReadBack(t *testing.T) {
	r := Report{
		Title: "Report of Chicken 27-03", Printed: "Quillmarsh Fold", Lead: "18 hatched of 30 set.",
		Facts: [][2]string{{"Set", "Mon 1 Mar"}}, Rates: [][3]string{{"Fertile of set", "26 of 30, 70–95 %", "not known"}},
		Losses: [][3]string{{"Late deaths", "6", "1.1"}}, Why: "Most likely: too humid while turning (about 88 in 100).",
		Causes: []Cause{{"Too humid while turning", []string{"late deaths 6 of 30"}, []string{"humidity in lockdown 70 %"}}},
		Notes:  []string{"Lid ajar"}, Next: []string{"Weigh a tray."},
	}
	var pdf bytes.Buffer
	require.NoError(t, r.Write(&pdf))
	path := filepath.Join(t.TempDir(), "report.pdf")
	require.NoError(t, os.WriteFile(path, pdf.Bytes(), 0o600))
	text, err := exec.Command("pdftotext", "-layout", path, "-").Output()
	require.NoError(t, err)
	for _, want := range []string{
		"Report of Chicken 27-03", "18 hatched of 30 set.", "26 of 30, 70–95 %", "Late deaths", "about 88 in 100",
		"for: late deaths 6 of 30", "against: humidity in lockdown 70 %", "Weigh a tray.", "Lid ajar",
	} {
		assert.Contains(t, string(text), want)
	}
}
