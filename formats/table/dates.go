package table

import (
	"errors"
	"strconv"
	"strings"
	"time"
)

// Slashes tells from all dates of a file whether 4/5/2026 begins with the day: how they are read, and
// what was assumed, in a sentence. Both are empty where no date has slashes.
func Slashes(dates []string) (form, assumed string) {
	slashed, dayFirst, monthFirst := false, false, false
	for _, d := range dates {
		parts := strings.Split(d, "/")
		if len(parts) != 3 || len(parts[0]) > 2 {
			continue
		}
		slashed = true
		a, _ := strconv.Atoi(parts[0])
		b, _ := strconv.Atoi(parts[1])
		dayFirst = dayFirst || a > 12
		monthFirst = monthFirst || b > 12
	}
	switch {
	case !slashed:
		return "", ""
	case monthFirst && !dayFirst:
		return "1/2/2006", "Dates with slashes are read as month/day/year."
	case dayFirst:
		return "2/1/2006", "Dates with slashes are read as day/month/year."
	}
	return "2/1/2006", "Dates with slashes could be read both ways; day/month/year is assumed."
}

// Date reads a date as people write it; slashes is what Slashes gave.
func Date(s, slashes string) (time.Time, error) {
	forms := []string{
		"2006-01-02", "2006/01/02", "2.1.2006", "2 Jan 2006", "2 January 2006", "Jan 2, 2006", "20060102",
	}
	if slashes != "" {
		forms = append(forms, slashes)
	}
	for _, form := range forms {
		if t, err := time.Parse(form, s); err == nil {
			return t, nil
		}
	}
	return time.Time{}, errors.New("it may be a date like 2026-04-14, 14.04.2026 or 14 Apr 2026")
}
