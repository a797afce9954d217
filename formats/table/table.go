// Package table reads somebody's own tables: XLSX, or text with commas, semicolons or tabs.
package table

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"
)

// The most that a file may hold.
const (
	MaxBytes = 4 << 20
	MaxRows  = 10_000
	maxCells = 60 // of a row
)

// Read gives the rows of a file, the first with the names of the columns; of a workbook those of its first
// sheet. Row n of the file is the nth; an empty one has no cells.
func Read(file []byte) (rows [][]string, err error) { return ReadUpTo(file, MaxRows) }

// ReadUpTo is Read of a file of at most so many lines.
func ReadUpTo(file []byte, most int) (rows [][]string, err error) {
	switch {
	case len(file) > MaxBytes:
		return nil, fmt.Errorf("the file is larger than %d MB; send it in parts", MaxBytes>>20)
	case bytes.HasPrefix(file, []byte("PK\x03\x04")):
		rows, err = workbook(file)
	default:
		rows, err = text(file, most)
	}
	if err != nil {
		return nil, err
	}
	full, last := 0, 0
	for i, row := range rows {
		for c := range row {
			row[c] = strings.TrimSpace(row[c])
		}
		if strings.Join(row, "") == "" {
			rows[i] = nil
			continue
		}
		rows[i] = row[:min(len(row), maxCells)]
		full, last = full+1, i
	}
	switch {
	case full < 2 || len(rows[0]) == 0:
		return nil, errors.New("the file has no lines below its first, which names the columns")
	case len(rows) > most:
		return nil, fmt.Errorf("the file has more than %d lines; send it in parts", most)
	}
	return rows[:last+1], nil
}

func workbook(file []byte) ([][]string, error) {
	f, err := excelize.OpenReader(bytes.NewReader(file), excelize.Options{
		UnzipSizeLimit: 64 << 20, UnzipXMLSizeLimit: 64 << 20, ShortDatePattern: "yyyy-mm-dd",
	})
	if err != nil {
		return nil, errors.New("the file is no XLSX workbook that can be read")
	}
	defer f.Close()
	sheets := f.GetSheetList()
	if len(sheets) == 0 {
		return nil, errors.New("the workbook has no sheet")
	}
	return f.GetRows(sheets[0])
}

func text(file []byte, most int) ([][]string, error) {
	if !utf8.Valid(file) || bytes.IndexByte(file, 0) >= 0 {
		return nil, errors.New("the file is neither XLSX nor UTF-8 text; save it as one of these")
	}
	file = bytes.TrimPrefix(file, []byte("\ufeff"))
	first, _, _ := bytes.Cut(file, []byte("\n"))
	in := csv.NewReader(bytes.NewReader(file))
	for _, sep := range "\t;," { // the one that the first line has most of
		if bytes.Count(first, []byte(string(sep))) > bytes.Count(first, []byte(string(in.Comma))) {
			in.Comma = sep
		}
	}
	in.FieldsPerRecord, in.LazyQuotes = -1, true
	var rows [][]string
	for {
		row, err := in.Read()
		if errors.Is(err, io.EOF) {
			return rows, nil
		}
		if err != nil {
			return nil, fmt.Errorf("the file cannot be read: %w", err)
		}
		for at, _ := in.FieldPos(0); len(rows) < at-1 && len(rows) <= most; { // empty lines are skipped
			rows = append(rows, nil)
		}
		rows = append(rows, row)
	}
}
