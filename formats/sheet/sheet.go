// Package sheet writes tables for other programs: CSV (RFC 4180, UTF-8) and XLSX.
package sheet

import (
	"encoding/csv"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"
)

// Safe makes a text one that no program takes for a formula.
func Safe(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}

// cell writes a value: nothing for what is not known.
func cell(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case string:
		return Safe(v)
	case time.Time:
		return v.Format(time.DateOnly)
	case bool:
		if v {
			return "yes"
		}
		return "no"
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64)
	}
	return fmt.Sprint(v)
}

// Writer takes a table, its columns first.
type Writer interface {
	Head(columns []string) error
	Row(values []any) error
	Close() error
}

type csvWriter struct{ *csv.Writer }

// CSV writes lines that end in CR LF, as the standard has it.
func CSV(w io.Writer) Writer {
	out := csv.NewWriter(w)
	out.UseCRLF = true
	return csvWriter{out}
}

func (c csvWriter) Head(columns []string) error { return c.Write(columns) }

func (c csvWriter) Row(values []any) error {
	line := make([]string, len(values))
	for i, v := range values {
		line[i] = cell(v)
	}
	return c.Write(line)
}

func (c csvWriter) Close() error {
	c.Flush()
	return c.Error()
}

type xlsxWriter struct {
	to   io.Writer
	file *excelize.File
	out  *excelize.StreamWriter
	row  int
	bold int
}

// XLSX writes a workbook of one sheet: numbers are numbers, dates ISO texts, the first row stays in sight.
func XLSX(w io.Writer, name string) (Writer, error) {
	f := excelize.NewFile()
	if err := f.SetSheetName("Sheet1", name); err != nil {
		return nil, err
	}
	bold, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return nil, err
	}
	out, err := f.NewStreamWriter(name)
	if err != nil {
		return nil, err
	}
	return &xlsxWriter{to: w, file: f, out: out, bold: bold}, nil
}

func (x *xlsxWriter) Head(columns []string) error {
	cells := make([]any, len(columns))
	for i, c := range columns {
		cells[i] = excelize.Cell{StyleID: x.bold, Value: c}
	}
	top := &excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}
	if err := x.out.SetPanes(top); err != nil {
		return err
	}
	return x.write(cells)
}

func (x *xlsxWriter) Row(values []any) error {
	cells := make([]any, len(values))
	for i, v := range values {
		switch v := v.(type) {
		case int16, int32, int64, int, float64, nil:
			cells[i] = v
		case string:
			cells[i] = v // a text cell is never a formula
		default:
			cells[i] = cell(v)
		}
	}
	return x.write(cells)
}

func (x *xlsxWriter) write(cells []any) error {
	x.row++
	at, err := excelize.CoordinatesToCellName(1, x.row)
	if err != nil {
		return err
	}
	return x.out.SetRow(at, cells)
}

func (x *xlsxWriter) Close() error {
	if err := x.out.Flush(); err != nil {
		return err
	}
	defer x.file.Close()
	return x.file.Write(x.to)
}
