package wish

import (
	"fmt"
	"strconv"
	"strings"
	"time"
)

var months = []string{
	"january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november",
	"december",
}

const (
	monthWords = `(jan(?:uary)?|feb(?:ruary)?|mar(?:ch)?|apr(?:il)?|may|june?|july?|aug(?:ust)?|sept?(?:ember)?|` +
		`oct(?:ober)?|nov(?:ember)?|dec(?:ember)?)`
	dayWords = `(mon(?:day)?s?|tue(?:s(?:day)?)?s?|wed(?:nesday)?s?|thu(?:rs(?:day)?)?s?|fri(?:day)?s?|` +
		`sat(?:urday)?s?|sun(?:day)?s?)`
)

// day finds the day wanted: a date, a weekday, or one that comes each week.
func (l *line) day() (on time.Time, every *time.Weekday, err error) {
	if f := l.take(`(?:every|each) ` + dayWords); f != nil {
		d := weekday(f[0])
		return on, &d, nil
	}
	if f := l.take(`(?:in|after) (\d{1,3}) (day|week|month)s?`); f != nil {
		n, _ := strconv.Atoi(f[0])
		switch f[1] {
		case "day":
			return l.today.AddDate(0, 0, n), nil, nil
		case "week":
			return l.today.AddDate(0, 0, 7*n), nil, nil
		}
		return l.today.AddDate(0, n, 0), nil, nil
	}
	if f := l.take(`(\d{4})-(\d{1,2})-(\d{1,2})`); f != nil {
		return l.date(f[2], int(number(f[1])), f[0], "")
	}
	dayName := ""
	if f := l.take(dayWords); f != nil {
		dayName = f[0]
	}
	if f := l.take(`(\d{1,2})(?:st|nd|rd|th)?(?: of)? ` + monthWords + `,?(?: (\d{4}))?`); f != nil {
		return l.date(f[0], month(f[1]), f[2], dayName)
	}
	if f := l.take(monthWords + ` (\d{1,2})(?:st|nd|rd|th)?,?(?: (\d{4}))?`); f != nil {
		return l.date(f[1], month(f[0]), f[2], dayName)
	}
	if f := l.take(`(\d{1,2})\.(\d{1,2})\.(\d{4})?`); f != nil {
		return l.date(f[0], int(number(f[1])), f[2], dayName)
	}
	if l.take(`tomorrow`) != nil {
		return l.today.AddDate(0, 0, 1), nil, nil
	}
	if dayName == "" {
		return on, nil, nil
	}
	ahead := (int(weekday(dayName)) - int(l.today.Weekday()) + 7) % 7
	if ahead == 0 {
		ahead = 7
	}
	return l.today.AddDate(0, 0, ahead), nil, nil
}

func number(s string) int64 {
	n, _ := strconv.ParseInt(s, 10, 32)
	return n
}

func month(word string) int {
	for i, m := range months {
		if strings.HasPrefix(m, word[:3]) {
			return i + 1
		}
	}
	return 0
}

func weekday(word string) time.Weekday {
	for d := time.Sunday; d <= time.Saturday; d++ {
		if strings.HasPrefix(strings.ToLower(d.String()), word[:3]) {
			return d
		}
	}
	return time.Sunday
}

// date is a day of the year named, or the next such day. If a weekday stands with it that
// it is not, the day next to it that is comes in the sentence.
func (l *line) date(day string, mo int, year, dayName string) (on time.Time, every *time.Weekday, err error) {
	d, y := int(number(day)), int(number(year))
	if y == 0 {
		y = l.today.Year()
	}
	at := func(y int) time.Time { return time.Date(y, time.Month(mo), d, 0, 0, 0, 0, time.UTC) }
	on = at(y)
	for tries := 0; year == "" && tries < 8 && (on.Before(l.today) || on.Day() != d); tries++ {
		y++
		on = at(y)
	}
	switch {
	case mo < 1 || mo > 12 || on.Day() != d || int(on.Month()) != mo:
		return time.Time{}, nil, Problem("There is no such day in the calendar; a day may look like “12 April”.")
	case on.Before(l.today):
		return time.Time{}, nil, Problem(on.Format("2 January 2006") + " is over; name a day to come.")
	case on.After(l.today.AddDate(3, 0, 0)):
		return time.Time{}, nil, Problem(on.Format("2 January 2006") + " lies more than three years ahead.")
	case dayName != "" && on.Weekday() != weekday(dayName):
		near := on
		for i := 1; near.Weekday() != weekday(dayName); i++ {
			near = on.AddDate(0, 0, (i/2)*(1-2*(i%2)))
		}
		return time.Time{}, nil, Problem(fmt.Sprintf(
			"%s is a %s. Did you mean %s, or %s?", on.Format("2 January 2006"), on.Weekday(),
			near.Format("Monday 2 January"), on.Format("Monday 2 January"),
		))
	}
	return on, nil, nil
}
