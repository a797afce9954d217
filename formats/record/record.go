// Package record writes the hatch record of a year (PDF, A4): pen by pen what was set, was fertile and
// hatched, for the shelf or for whoever buys eggs.
package record

import (
	"io"

	"codeberg.org/go-pdf/fpdf"

	"metrogon/formats/paper"
)

// Record is what stands in it, in the words of the reader.
type Record struct {
	Title, Printed string
	Note           string // how the figures are to be read
	Pens           []Pen
}

// Pen is one pen's part.
type Pen struct {
	Name  string
	Lines []Line
	Total Line
}

// Line is a batch, or the sum of them.
type Line struct{ Batch, Set, Eggs, Fertile, OfFertile, OfSet string }

const (
	margin = 15.0 // mm
	row    = 5.6
	floor  = 297 - margin
)

// The columns: their width in mm, what stands above, and where in the column it stands.
var columns = []struct {
	wide  float64
	name  string
	align string
}{
	{30, "Batch", "L"}, {26, "Set on", "L"}, {14, "Eggs", "R"}, {36, "Fertile", "R"}, {38, "Hatched of fertile", "R"},
	{36, "Hatched of set", "R"},
}

type page struct{ *fpdf.Fpdf }

// Write writes the PDF, on as many pages as its lines need.
func (r Record) Write(w io.Writer) error {
	p := page{paper.Portrait(r.Title, r.Printed, margin, false)}
	p.MultiCell(0, 4.4, r.Note, "", "L", false)
	for _, pen := range r.Pens {
		p.pen(pen)
	}
	return p.Output(w)
}

func (p page) pen(pen Pen) {
	p.room(3 * row) // the name does not stand alone at the foot
	p.Ln(4)
	p.heading(pen.Name)
	for _, l := range pen.Lines {
		if p.room(row) {
			p.heading(pen.Name + ", continued")
		}
		p.line("", l)
	}
	p.room(row)
	p.SetDrawColor(120, 120, 120)
	p.Line(margin, p.GetY(), margin+180, p.GetY())
	p.line("B", pen.Total)
}

// room begins a new page where so much is not left on this one.
func (p page) room(high float64) bool {
	if p.GetY()+high <= floor {
		return false
	}
	p.AddPage()
	return true
}

func (p page) heading(name string) {
	p.SetFont("go", "B", 11)
	p.CellFormat(0, 6, name, "", 1, "L", false, 0, "")
	p.SetFont("go", "", 8)
	p.SetTextColor(90, 90, 90)
	for _, c := range columns {
		p.CellFormat(c.wide, row, c.name, "B", 0, c.align, false, 0, "")
	}
	p.SetTextColor(0, 0, 0)
	p.Ln(row)
}

func (p page) line(style string, l Line) {
	p.SetFont("go", style, 9)
	for i, text := range []string{l.Batch, l.Set, l.Eggs, l.Fertile, l.OfFertile, l.OfSet} {
		p.CellFormat(columns[i].wide, row, text, "", 0, columns[i].align, false, 0, "")
	}
	p.Ln(row)
}
