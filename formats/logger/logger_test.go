package logger_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/formats/logger"
)

var vienna, _ = time.LoadLocation("Europe/Vienna")

// Files as loggers of several kinds write them, made up for this test.
func TestFilesOfLoggers(t *testing.T) {
	noon := time.Date(2027, 4, 14, 12, 0, 0, 0, vienna)
	for name, c := range map[string]struct {
		file       string
		at         time.Time
		temp, rh   float64
		n          int
		fahrenheit bool
		says       string
	}{
		"comma": {"Time,Temperature °C,Humidity %RH\n2027-04-14 12:00:00,37.5,52\n2027-04-14 12:05:00,37.6,51\n", noon,
			37.5, 52, 2, false, "Columns: Time, Temperature °C, Humidity %RH."},
		"a preamble, semicolons and decimal commas": {
			"Serial;77;;\nStarted;14.04.2027;;\nDatum;Zeit;Temp (C);Feuchte\n14.04.2027;12:00;37,5;52,0\n", noon, 37.5, 52, 1,
			false, "Datum, Zeit, Temp (C), Feuchte"},
		"Fahrenheit by its figures, 12 hours": {"Date\tTemp\tRH\n4/14/2027 12:00 PM\t99.5\t52\n", noon, 37.5, 52, 1, true,
			"read as °F"},
		"the other way round in time, a bad line": {
			"Timestamp,Temperature\n2027-04-14T13:00:00+02:00,37.1\n2027-04-14T10:00:00Z,37.5\nfoo,1\n", noon, 37.5, -1, 2,
			false, `1 lines are left out, as line 4: "foo" is no moment`},
		"seconds since 1970": {"utc,hum\n1807783200,52\n", time.Unix(1807783200, 0), -99, 52, 1, false, ""},
	} {
		t.Run(name, func(t *testing.T) {
			f, err := logger.Read([]byte(c.file), vienna)
			require.NoError(t, err)
			require.Len(t, f.Rows, c.n)
			assert.Equal(t, c.fahrenheit, f.Fahrenheit)
			assert.Contains(t, f.Says(), c.says)
			assert.WithinDuration(t, c.at, f.Rows[0].At, 0, "the oldest first")
			if c.temp != -99 {
				assert.InDelta(t, c.temp, *f.Rows[0].TempC, 1e-9)
			}
			if c.rh >= 0 {
				assert.InDelta(t, c.rh, *f.Rows[0].RHPct, 1e-9)
			}
		})
	}
	for file, says := range map[string]string{
		"a,b\n1,2\n": "no line names a column of moments", "time,temp\nx,y\n": "no line of the file could be read",
		"time,temp\n": "no lines below", "time,temp\n2027-04-14 12:00,1e9\n": "is no number",
	} {
		_, err := logger.Read([]byte(file), vienna)
		assert.ErrorContains(t, err, says, file)
	}
}

func FuzzFile(f *testing.F) {
	f.Add("time,temp,rh\n2027-04-14 12:00,37.5,52\n")
	f.Add("Datum;Zeit;Temp\n14.04.2027;12:00;37,5\n")
	f.Fuzz(func(t *testing.T, text string) {
		got, err := logger.Read([]byte(text), time.UTC)
		if err != nil {
			return
		}
		for _, m := range got.Rows {
			if m.TempC == nil && m.RHPct == nil || m.RHPct != nil && !(*m.RHPct >= 0 && *m.RHPct <= 100) {
				t.Errorf("%v of %q", m, text)
			}
		}
	})
}
