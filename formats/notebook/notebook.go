// Package notebook reads the batches of past seasons from somebody's own table, whatever its columns are
// called.
package notebook

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"metrogon/farm/books"
	"metrogon/formats/table"
)

// Field is one thing that a column may hold.
type Field struct {
	ID, Name string
	Needed   bool
	words    []string // by which its column is known
}

// Fields are all of them.
var Fields = []Field{
	{"pen", "Pen", true, []string{"pen", "breed", "line", "flock", "parents", "group", "name"}},
	{"kind", "Kind", false, []string{"kind", "species", "bird", "animal", "type"}},
	{"set_on", "Set on", true, []string{"set on", "set date", "date set", "date", "start", "in"}},
	{"set", "Eggs set", true, []string{"eggs set", "set", "eggs", "number", "count", "no of eggs"}},
	{"clear", "Clear at candling", false, []string{"clear", "clears", "infertile", "unfertile", "blanks"}},
	{"hatched", "Hatched", true, []string{"hatched", "hatch", "chicks", "young", "ducklings", "alive", "out"}},
	{"stored", "Days stored", false, []string{"days stored", "stored", "storage", "age", "days"}},
}

// Guess tells which column holds what by their names; a field that no column fits is left out.
func Guess(head []string) map[string]int {
	columns := map[string]int{}
	taken := map[int]bool{}
	for _, exact := range []bool{true, false} {
		for _, f := range Fields {
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

// Lines reads the rows below the first. What cannot be read is named, line by line.
func Lines(rows [][]string, columns map[string]int) (all []books.PastBatch, bad []books.BadLine, assumed string) {
	cell := func(row []string, field string) string {
		if i, ok := columns[field]; ok && i >= 0 && i < len(row) {
			return strings.TrimSpace(row[i])
		}
		return ""
	}
	var dates []string
	for _, row := range rows[1:] {
		dates = append(dates, cell(row, "set_on"))
	}
	slashes, assumed := table.Slashes(dates)
	for i, row := range rows[1:] {
		l := books.PastBatch{No: i + 2, Pen: cell(row, "pen"), Kind: cell(row, "kind")}
		wrong := func(field, reason string) {
			at := slices.IndexFunc(Fields, func(f Field) bool { return f.ID == field })
			bad = append(bad, books.BadLine{
				No: l.No, Column: strings.ToLower(Fields[at].Name), Reason: fmt.Sprintf("%q: %s", clip(cell(row, field)), reason),
			})
		}
		var err error
		if l.SetOn, err = table.Date(cell(row, "set_on"), slashes); err != nil {
			wrong("set_on", err.Error())
		}
		number := func(field string) *int {
			text := cell(row, field)
			if text == "" {
				return nil
			}
			n, err := strconv.Atoi(strings.TrimSuffix(text, ".0"))
			if err != nil {
				wrong(field, "it may be a whole number")
				return nil
			}
			return &n
		}
		if n := number("set"); n != nil {
			l.Set = *n
		}
		l.Clear, l.Stored = number("clear"), number("stored")
		if n := number("hatched"); n != nil {
			l.Hatched = *n
		} else if cell(row, "hatched") == "" {
			wrong("hatched", "how many hatched is missing; 0 where none did")
		}
		all = append(all, l)
	}
	return all, bad, assumed
}

func clip(s string) string {
	if r := []rune(s); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return s
}
