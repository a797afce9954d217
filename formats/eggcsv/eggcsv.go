// Package eggcsv reads files of collections: a line each, with the columns
// date, pen, species, eggs, rejected, note.
package eggcsv

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"metrogon/farm"
	"metrogon/farm/stock"
	"metrogon/formats/table"
)

// The most that one file may hold.
const (
	MaxBytes = 4 << 20
	MaxLines = 10_000
	MaxEggs  = 40_000 // sound and rejected
)

// File is what was read. Lines are whole only if Bad is empty.
type File struct {
	Lines   []stock.ImportLine
	Bad     []stock.BadLine
	Assumed []string // how doubtful things were read
}

var columns = []string{"date", "pen", "species", "eggs", "rejected", "note"}

// Read reads a file with commas, semicolons or tabs, with or without a byte
// order mark. Dates may be 2026-04-14, 14.04.2026, 14 Apr 2026, 14/04/2026 or
// 04/14/2026; which of the last two is told by the whole file, day first where
// nothing tells, and said in Assumed. An error means that the file as a whole
// cannot be read.
func Read(r io.Reader) (*File, error) {
	text, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	switch {
	case err != nil:
		return nil, err
	case len(text) > MaxBytes:
		return nil, fmt.Errorf("the file is larger than %d MB; send it in parts", MaxBytes>>20)
	case !utf8.Valid(text):
		return nil, errors.New("the file is not UTF-8 text; save it as CSV UTF-8")
	case bytes.IndexByte(text, 0) >= 0:
		return nil, errors.New("the file is not text; save it as CSV")
	}
	text = bytes.TrimPrefix(text, []byte("\ufeff"))
	f := new(File)
	in := csv.NewReader(bytes.NewReader(text))
	in.Comma = separator(text, f)
	in.FieldsPerRecord = -1
	in.TrimLeadingSpace = in.Comma != '\t'
	in.LazyQuotes = true
	header, err := in.Read()
	if err != nil {
		return nil, errors.New("the file is empty; its first line names the columns: " + strings.Join(columns, ", "))
	}
	at, err := find(header)
	if err != nil {
		return nil, err
	}
	var rows [][]string
	var numbers []int
	for {
		row, err := in.Read()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("the file cannot be read: %v", err)
		}
		line, _ := in.FieldPos(0)
		if slices.ContainsFunc(row, func(s string) bool { return strings.TrimSpace(s) != "" }) {
			rows, numbers = append(rows, row), append(numbers, line)
		}
		if len(rows) > MaxLines {
			return nil, fmt.Errorf("the file has more than %d lines; send it in parts", MaxLines)
		}
	}
	if len(rows) == 0 {
		return nil, errors.New("the file has a header but no lines")
	}
	field := func(row []string, column string) string {
		if i, ok := at[column]; ok && i < len(row) {
			return strings.TrimSpace(row[i])
		}
		return ""
	}
	dates := make([]string, len(rows))
	for i, row := range rows {
		dates[i] = field(row, "date")
	}
	slashes, assumed := table.Slashes(dates)
	if assumed != "" {
		f.Assumed = append(f.Assumed, assumed)
	}
	for i, row := range rows {
		f.read(numbers[i], func(column string) string { return field(row, column) }, slashes)
	}
	eggs := 0
	for _, l := range f.Lines {
		eggs += min(max(l.Eggs, 0), MaxEggs) + min(max(l.Rejected, 0), MaxEggs)
	}
	if eggs > MaxEggs {
		return nil, fmt.Errorf("the file has %d eggs, more than %d; send it in parts", eggs, MaxEggs)
	}
	return f, nil
}

// separator picks the mark that the header holds most of.
func separator(text []byte, f *File) rune {
	header, _ := bufio.NewReader(bytes.NewReader(text)).ReadString('\n')
	best, name := ',', ""
	for _, c := range []struct {
		mark rune
		name string
	}{{';', "semicolons"}, {'\t', "tabs"}} {
		if strings.Count(header, string(c.mark)) > strings.Count(header, string(best)) {
			best, name = c.mark, c.name
		}
	}
	if name != "" {
		f.Assumed = append(f.Assumed, "Columns are read as parted by "+name+".")
	}
	return best
}

func find(header []string) (map[string]int, error) {
	at := map[string]int{}
	for i, h := range header {
		h = strings.ToLower(strings.TrimSpace(h))
		if _, twice := at[h]; !slices.Contains(columns, h) || twice {
			return nil, fmt.Errorf(
				"line 1: %q is no column or comes twice; the columns are %s", h, strings.Join(columns, ", "),
			)
		}
		at[h] = i
	}
	for _, needed := range []string{"date", "pen", "eggs"} {
		if _, ok := at[needed]; !ok {
			return nil, fmt.Errorf(
				"line 1: the column %q is missing; the columns are %s", needed, strings.Join(columns, ", "),
			)
		}
	}
	return at, nil
}

func (f *File) read(no int, field func(string) string, slashes string) {
	l := stock.ImportLine{No: no, Pen: field("pen"), Species: field("species"), Note: field("note")}
	bad := func(column, reason string) {
		f.Bad = append(f.Bad, stock.BadLine{No: no, Column: column, Value: clip(field(column)), Reason: reason})
	}
	var err error
	if l.Date, err = table.Date(field("date"), slashes); err != nil {
		bad("date", err.Error())
	}
	if l.Pen == "" {
		bad("pen", "it is missing")
	}
	count := func(column string) int {
		s := field(column)
		if s == "" && column == "rejected" {
			return 0
		}
		n, err := strconv.Atoi(s)
		if err != nil || n < 0 || n > farm.MaxEggs {
			bad(column, fmt.Sprintf("it may be a whole number from 0 to %d", farm.MaxEggs))
			return 0
		}
		return n
	}
	l.Eggs, l.Rejected = count("eggs"), count("rejected")
	f.Lines = append(f.Lines, l)
}

func clip(s string) string {
	if r := []rune(s); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return s
}
