// Package logger reads the files of data loggers: a table with a column of moments and columns of temperature and
// humidity, beneath whatever the logger tells of itself.
package logger

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"metrogon/formats/senml"
	"metrogon/formats/table"
)

// MaxRows that a file may have.
const MaxRows = 100_000

// File is what was found in one.
type File struct {
	Rows       []senml.Measured // the oldest first
	Fahrenheit bool
	Skipped    int    // lines that could not be read
	FirstBad   string // of these, and why
	assumed    string
	columns    []string
}

// Says says how the file was read.
func (f File) Says() string {
	says := "Columns: " + strings.Join(f.columns, ", ") + "."
	if f.Fahrenheit {
		says += " Temperatures are read as °F."
	}
	if f.assumed != "" {
		says += " " + f.assumed
	}
	if f.Skipped > 0 {
		says += fmt.Sprintf(" %d lines are left out, as %s.", f.Skipped, f.FirstBad)
	}
	return says
}

// headWithin is within how many lines the names of the columns stand.
const headWithin = 40

// columns are where what stands; -1 is nowhere.
type columns struct{ at, clock, temp, rh int }

// Read reads a file; moments without a zone are of the place. An error says what is missing.
func Read(file []byte, place *time.Location) (f File, err error) {
	rows, err := table.ReadUpTo(file, MaxRows)
	if err != nil {
		return f, err
	}
	head, c := headOf(rows)
	if head < 0 {
		return f, errors.New(
			"no line names a column of moments (time, date) and one of temperature or humidity; name them in the first line")
	}
	body := rows[head+1:]
	for _, i := range []int{c.at, c.clock, c.temp, c.rh} {
		if i >= 0 {
			f.columns = append(f.columns, rows[head][i])
		}
	}
	var dates []string
	for _, row := range body {
		if c.at < len(row) {
			date, _, _ := strings.Cut(row[c.at], " ")
			dates = append(dates, date)
		}
	}
	slashes, assumed := table.Slashes(dates)
	f.assumed = assumed
	f.Fahrenheit = fahrenheit(rows[head], body, c.temp)
	for n, row := range body {
		if len(row) == 0 {
			continue
		}
		m, err := measured(row, c, slashes, place, f.Fahrenheit)
		if err != nil {
			if f.Skipped++; f.Skipped == 1 {
				f.FirstBad = fmt.Sprintf("line %d: %v", head+n+2, err)
			}
			continue
		}
		f.Rows = append(f.Rows, m)
	}
	if len(f.Rows) == 0 {
		return f, errors.New("no line of the file could be read: " + f.FirstBad)
	}
	slices.SortStableFunc(f.Rows, func(a, b senml.Measured) int { return a.At.Compare(b.At) })
	return f, nil
}

// headOf finds the line that names the columns.
func headOf(rows [][]string) (int, columns) {
	for i, row := range rows[:min(len(rows), headWithin)] {
		c := columns{-1, -1, -1, -1}
		for at, name := range row {
			name = strings.ToLower(name)
			has := func(words ...string) bool {
				return slices.ContainsFunc(words, func(w string) bool { return strings.Contains(name, w) })
			}
			switch {
			case has("hum", "rh", "feucht"):
				c.rh = first(c.rh, at)
			case has("temp", "°c", "°f", "celsius", "fahrenheit"):
				c.temp = first(c.temp, at)
			case has("date", "timestamp", "datetime", "datum", "moment", "utc"):
				c.at = first(c.at, at)
			case has("time", "zeit", "clock", "hour"):
				c.clock = first(c.clock, at)
			}
		}
		if c.at < 0 {
			c.at, c.clock = c.clock, -1
		}
		if c.at >= 0 && (c.temp >= 0 || c.rh >= 0) {
			return i, c
		}
	}
	return -1, columns{}
}

func first(was, now int) int {
	if was >= 0 {
		return was
	}
	return now
}

// hotter than any egg is kept, in °C: then it is °F.
const hotter = 60

// fahrenheit tells by the name of the column, or else by its figures.
func fahrenheit(head []string, body [][]string, at int) bool {
	if at < 0 {
		return false
	}
	name := strings.ToLower(head[at])
	switch {
	case strings.Contains(name, "°f") || strings.Contains(name, "(f)") || strings.Contains(name, "fahr"):
		return true
	case strings.Contains(name, "°c") || strings.Contains(name, "(c)") || strings.Contains(name, "cels"):
		return false
	}
	high, all := 0, 0
	for _, row := range body {
		if at < len(row) {
			if v, err := number(row[at]); err == nil {
				all++
				if v > hotter {
					high++
				}
			}
		}
	}
	return 2*high > all
}

func measured(
	row []string, c columns, slashes string, place *time.Location, fahrenheit bool,
) (m senml.Measured, err error) {
	cell := func(i int) string {
		if i < 0 || i >= len(row) {
			return ""
		}
		return row[i]
	}
	when := cell(c.at)
	if c.clock >= 0 {
		when += " " + cell(c.clock)
	}
	if m.At, err = moment(when, slashes, place); err != nil {
		return m, err
	}
	if text := cell(c.temp); text != "" {
		v, err := number(text)
		if err != nil {
			return m, err
		}
		if fahrenheit {
			v = (v - 32) / 1.8
		}
		if v < -60 || v > 120 {
			return m, fmt.Errorf("%s is no temperature", text)
		}
		m.TempC = &v
	}
	if text := cell(c.rh); text != "" {
		v, err := number(strings.TrimSuffix(text, "%"))
		if err != nil {
			return m, err
		}
		if v < 0 || v > 100 {
			return m, fmt.Errorf("%s is no humidity", text)
		}
		m.RHPct = &v
	}
	if m.TempC == nil && m.RHPct == nil {
		return m, errors.New("nothing was measured")
	}
	return m, nil
}

// number reads a figure with a point or a comma.
func number(s string) (float64, error) {
	s = strings.TrimSpace(strings.TrimRight(s, " °CFcf"))
	v, err := strconv.ParseFloat(strings.Replace(s, ",", ".", 1), 64)
	if err != nil || v != v || v > 1e6 || v < -1e6 {
		return 0, fmt.Errorf("%.20q is no number", s)
	}
	return v, nil
}

// clocks are how hours are written.
var clocks = []string{"15:04:05", "15:04", "3:04:05 PM", "3:04 PM", "15:04:05.999"}

func moment(s, slashes string, place *time.Location) (time.Time, error) {
	s = strings.TrimSpace(strings.Replace(s, "T", " ", 1))
	for _, form := range []string{"2006-01-02 15:04:05Z07:00", "2006-01-02 15:04:05.999Z07:00", "2006-01-02 15:04Z07:00"} {
		if t, err := time.Parse(form, s); err == nil {
			return t, nil
		}
	}
	if n, err := strconv.ParseFloat(s, 64); err == nil && n > 1e9 && n < 1e11 { // seconds since 1970
		return time.Unix(int64(n), 0), nil
	}
	date, clock, _ := strings.Cut(s, " ")
	day, err := table.Date(date, slashes)
	if err != nil {
		return day, fmt.Errorf("%.30q is no moment", s)
	}
	for _, form := range clocks {
		if t, err := time.Parse(form, strings.ToUpper(strings.TrimSpace(clock))); err == nil {
			return time.Date(day.Year(), day.Month(), day.Day(), t.Hour(), t.Minute(), t.Second(), 0, place), nil
		}
	}
	return day, fmt.Errorf("%.30q has no hour", s)
}
