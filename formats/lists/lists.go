// Package lists reads somebody's own lists, whatever their columns are called: collections, batches of past
// seasons, pens, machines.
package lists

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"metrogon/core/species"
	"metrogon/farm"
	"metrogon/formats/table"
)

// Field is one thing that a column may hold.
type Field struct {
	ID, Name string
	Needed   bool
	words    []string // by which its column is known
}

// Guess tells which column holds what by their names; a field that no column fits is left out.
func Guess(fields []Field, head []string) map[string]int {
	columns := map[string]int{}
	taken := map[int]bool{}
	for _, exact := range []bool{true, false} {
		for _, f := range fields {
			if _, ok := columns[f.ID]; ok {
				continue
			}
			for _, word := range f.words {
				i := slices.IndexFunc(head, func(h string) bool {
					h = strings.ToLower(strings.TrimSpace(h))
					return h == word || !exact && len(word) > 3 && strings.Contains(h, word)
				})
				if i >= 0 && !taken[i] {
					columns[f.ID], taken[i] = i, true
					break
				}
			}
		}
	}
	return columns
}

// Missing is the first field that is needed and that no column holds; nil where none is.
func Missing(fields []Field, columns map[string]int) *Field {
	for _, f := range fields {
		if _, ok := columns[f.ID]; f.Needed && !ok {
			return &f
		}
	}
	return nil
}

// Found is what is to be said of a list besides its lines.
type Found struct {
	Bad     []farm.BadLine
	Assumed string // how doubtful dates were read
}

// line is one row as it is read; what cannot be read is noted.
type line struct {
	No      int
	cells   []string
	fields  []Field
	columns map[string]int
	slashes string
	found   *Found
}

// lines reads the rows below the first; dated is the field whose dates tell how all are written, "" for none.
func lines[T any](
	rows [][]string, columns map[string]int, fields []Field, dated string, read func(line) T,
) (all []T, found Found) {
	l := line{fields: fields, columns: columns, found: &found}
	var dates []string
	for _, row := range rows[1:] {
		l.cells = row
		dates = append(dates, l.text(dated))
	}
	l.slashes, found.Assumed = table.Slashes(dates)
	for i, row := range rows[1:] {
		if len(row) == 0 {
			continue
		}
		l.No, l.cells = i+2, row
		all = append(all, read(l))
	}
	return all, found
}

func (l line) text(field string) string {
	if i, ok := l.columns[field]; ok && i >= 0 && i < len(l.cells) {
		return strings.TrimSpace(l.cells[i])
	}
	return ""
}

func (l line) wrong(field, reason string) {
	at := slices.IndexFunc(l.fields, func(f Field) bool { return f.ID == field })
	l.found.Bad = append(l.found.Bad, farm.BadLine{
		No: l.No, Column: strings.ToLower(l.fields[at].Name), Reason: fmt.Sprintf("%q: %s", clip(l.text(field)), reason),
	})
}

func (l line) date(field string) time.Time {
	on, err := table.Date(l.text(field), l.slashes)
	if err != nil {
		l.wrong(field, err.Error())
	}
	return on
}

// number reads a whole number; nil where there is none.
func (l line) number(field string) *int {
	text := l.text(field)
	if text == "" {
		return nil
	}
	n, err := strconv.Atoi(strings.TrimSuffix(text, ".0"))
	if err != nil {
		l.wrong(field, "it may be a whole number")
		return nil
	}
	return &n
}

// count reads a whole number, 0 where there is none.
func (l line) count(field string) int {
	if n := l.number(field); n != nil {
		return *n
	}
	return 0
}

// needed reads a whole number that has to be there.
func (l line) needed(field string) int {
	if l.text(field) == "" {
		l.wrong(field, "it is missing; 0 where it is none")
		return 0
	}
	return l.count(field)
}

// species reads a kind of animal.
func (l line) species(field string) string {
	kind, err := species.Called(l.text(field))
	if err != nil {
		l.wrong(field, "it is no kind that is known, like chicken, duck or coturnix quail")
		return ""
	}
	return kind.ID
}

func clip(s string) string {
	if r := []rune(s); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return s
}
