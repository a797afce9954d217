// Package report writes the report of a batch (PDF, A4): figures, what became of the eggs, why, and
// what to do otherwise, to be shown or filed. It names no people.
package report

import (
	"io"
	"strings"

	"codeberg.org/go-pdf/fpdf"

	"metrogon/formats/paper"
)

// Report is what stands in it, in the words of the reader.
type Report struct {
	Title, Printed, Lead string
	Facts                [][2]string // name and value
	Rates                [][3]string // name, this batch, the farm's usual
	Losses               [][3]string // name, eggs, about so many would be usual
	Why                  string
	Causes               []Cause
	Notes, Next          []string
}

// Cause is one that may have cost eggs.
type Cause struct {
	Name         string
	For, Against []string
}

const (
	margin = 18.0 // mm
	row    = 5.6
	name   = 58.0
)

type page struct{ *fpdf.Fpdf }

// Write writes the PDF.
func (r Report) Write(w io.Writer) error {
	p := page{paper.Portrait(r.Title, r.Printed, margin, true)}
	p.Ln(3)
	p.SetFont("go", "B", 13)
	p.CellFormat(0, 8, r.Lead, "", 1, "L", false, 0, "")
	for _, f := range r.Facts {
		p.line(f[0], f[1])
	}
	p.table("Rates", "This batch, 95 % span", "Usual here", r.Rates)
	p.table("What became of the others", "Eggs", "About usual", r.Losses)
	p.heading("Why")
	p.text(r.Why)
	for _, c := range r.Causes {
		p.SetFont("go", "B", 10)
		p.MultiCell(0, row, c.Name, "", "L", false)
		p.list("for: ", c.For)
		p.list("against: ", c.Against)
	}
	if len(r.Next) > 0 {
		p.heading("Next time")
	}
	for _, s := range r.Next {
		p.text("– " + s)
	}
	if len(r.Notes) > 0 {
		p.heading("What was noted")
	}
	for _, s := range r.Notes {
		p.text(s)
	}
	return p.Output(w)
}

func (p page) heading(text string) {
	p.Ln(3)
	p.SetFont("go", "B", 11)
	p.CellFormat(0, 7, text, "B", 1, "L", false, 0, "")
	p.Ln(1)
}

func (p page) text(text string) {
	p.SetFont("go", "", 10)
	p.MultiCell(0, row, text, "", "L", false)
}

func (p page) list(what string, all []string) {
	if len(all) > 0 {
		p.text(what + strings.Join(all, "; "))
	}
}

func (p page) line(what, value string) {
	p.SetFont("go", "", 10)
	p.SetTextColor(90, 90, 90)
	p.CellFormat(name, row, what, "", 0, "L", false, 0, "")
	p.SetTextColor(0, 0, 0)
	p.CellFormat(0, row, value, "", 1, "L", false, 0, "")
}

func (p page) table(title, second, third string, rows [][3]string) {
	if len(rows) == 0 {
		return
	}
	p.heading(title)
	p.SetFont("go", "", 8)
	p.SetTextColor(90, 90, 90)
	p.CellFormat(name, row, "", "", 0, "L", false, 0, "")
	p.CellFormat(name, row, second, "", 0, "L", false, 0, "")
	p.CellFormat(0, row, third, "", 1, "L", false, 0, "")
	p.SetTextColor(0, 0, 0)
	p.SetFont("go", "", 10)
	for _, r := range rows {
		p.CellFormat(name, row, r[0], "", 0, "L", false, 0, "")
		p.CellFormat(name, row, r[1], "", 0, "L", false, 0, "")
		p.CellFormat(0, row, r[2], "", 1, "L", false, 0, "")
	}
}
