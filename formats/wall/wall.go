// Package wall writes the board as a sheet for the wall of the shed (PDF, A4 or A3, landscape):
// machines as lanes, days across, batches as bars, promises above.
package wall

import (
	"fmt"
	"io"
	"time"

	"codeberg.org/go-pdf/fpdf"

	"metrogon/formats/paper"
)

// Sheet is what stands on it, in the words of the reader. Where a thing lies across is a share of
// the days shown.
type Sheet struct {
	Title, Printed string
	From           time.Time // a date
	Days           int
	Promises       []Span
	Away           []Span
	Lanes          []Lane
}

// Span is some days with what is said of them.
type Span struct {
	From, To float64
	Says     string
}

// Lane is a machine, its bars in rows.
type Lane struct {
	Name string
	Shut []Span
	Rows [][]Bar
}

// Bar is a batch in a machine; what is planned is dashed.
type Bar struct {
	Span
	Locked, Planned bool
	Hatch           float64 // from where on young are expected, 0: not here
}

// Size of paper.
type Size string

// The sizes, landscape.
const (
	A4 Size = "A4"
	A3 Size = "A3"
)

const (
	margin = 10.0 // mm
	names  = 30.0 // of the lanes
	row    = 6.0
	letter = 1.75 // of a label, mm a letter
)

type page struct {
	*fpdf.Fpdf
	left, width float64
	floor       float64
	sheet       Sheet
}

// Write writes the PDF, on as many pages as its lanes need.
func (s Sheet) Write(w io.Writer, size Size) error {
	p := page{Fpdf: fpdf.New("L", "mm", string(size), ""), sheet: s}
	paper.Prepare(p.Fpdf, s.Title)
	p.SetAutoPageBreak(false, 0)
	wide, high := p.GetPageSize()
	p.left, p.width, p.floor = margin+names, wide-2*margin-names, high-margin
	y := p.head()
	for _, l := range s.Lanes {
		need := max(1, float64(len(l.Rows)))*row + 3
		if y+need > p.floor {
			y = p.head()
		}
		p.lane(l, y, need)
		y += need
	}
	return p.Output(w)
}

// head begins a page with its title, promises and ruler, and gives where the lanes begin.
func (p page) head() float64 {
	p.AddPage()
	p.SetTextColor(0, 0, 0)
	p.SetFont("go", "B", 14)
	p.Text(margin, margin+4, p.sheet.Title)
	p.SetFont("go", "", 8)
	p.SetXY(margin, margin)
	p.CellFormat(p.left+p.width-margin, 5, p.sheet.Printed, "", 0, "R", false, 0, "")
	y := margin + 9
	for _, s := range p.sheet.Promises {
		p.SetDrawColor(75, 107, 47)
		p.Rect(p.at(s.From), y, max(p.at(s.To)-p.at(s.From), 1), 3.6, "D")
		p.label(s, y+3, 8, "")
		y += 5
	}
	y += 5
	p.SetDrawColor(150, 150, 150)
	for d := range p.sheet.Days {
		day := p.sheet.From.AddDate(0, 0, d)
		x := p.at(float64(d) / float64(p.sheet.Days))
		if day.Weekday() == time.Monday {
			if d < p.sheet.Days-3 { // else it would be cut off
				p.SetFont("go", "B", 8)
				p.Text(x, y-1, day.Format("2 Jan"))
			}
			p.Line(x, y, x, y+2.5)
		} else if p.sheet.Days <= 100 {
			p.Line(x, y+1.2, x, y+2.5)
		}
	}
	return y + 4
}

func (p page) at(share float64) float64 { return p.left + share*p.width }

// label writes what a span is after it, or before it where it would be cut off.
func (p page) label(s Span, y, points float64, style string) {
	p.SetFont("go", style, points)
	wide := p.GetStringWidth(s.Says)
	x := p.at(s.To) + 1.5
	if x+wide > p.left+p.width {
		x = max(p.left, p.at(s.From)-1.5-wide)
	}
	p.Text(x, y, s.Says)
}

func (p page) lane(l Lane, y, high float64) {
	p.SetFont("go", "B", 9)
	p.Text(margin, y+4, l.Name)
	p.SetFillColor(225, 229, 236)
	for _, a := range p.sheet.Away {
		p.Rect(p.at(a.From), y, p.at(a.To)-p.at(a.From), high, "F")
	}
	p.SetFillColor(215, 215, 215)
	for _, a := range l.Shut {
		p.Rect(p.at(a.From), y, p.at(a.To)-p.at(a.From), high, "F")
	}
	p.SetDrawColor(190, 190, 190)
	p.SetLineWidth(0.2)
	p.Line(margin, y+high, p.left+p.width, y+high)
	for i, bars := range l.Rows {
		for _, b := range bars {
			p.bar(b, y+1+float64(i)*row)
		}
	}
}

// bar draws a batch: turning is hollow, lockdown filled, the hatch ruled off; planned is dashed.
func (p page) bar(b Bar, y float64) {
	x, w := p.at(b.From), max(p.at(b.To)-p.at(b.From), 1)
	p.SetDrawColor(20, 83, 90)
	style := "D"
	if b.Locked {
		p.SetFillColor(190, 208, 208)
		style = "FD"
	}
	p.SetLineWidth(0.35)
	if b.Planned {
		p.SetDashPattern([]float64{1.4, 0.9}, 0)
	}
	p.Rect(x, y, w, row-1.6, style)
	p.SetDashPattern([]float64{}, 0)
	if b.Hatch > b.From && b.Hatch < b.To {
		p.Line(p.at(b.Hatch), y, p.at(b.Hatch), y+row-1.6)
	}
	if says := b.Says; float64(len([]rune(says)))*letter+2 < w {
		p.SetFont("go", "B", 8)
		p.Text(x+1, y+3.1, says)
	} else {
		p.label(b.Span, y+3.1, 8, "B")
	}
}

// Name is what the file is called.
func (s Sheet) Name(size Size) string {
	return fmt.Sprintf("board-%s-%s.pdf", s.From.Format("2006-01-02"), size)
}
