// Package card writes the tray card (A6) that travels with the eggs and the
// sheet (A4) for the wall of the shed as PDF.
package card

import (
	"bytes"
	"fmt"
	"image"
	"image/draw"
	"image/png"
	"io"

	"codeberg.org/go-pdf/fpdf"
	"github.com/boombuler/barcode"
	"github.com/boombuler/barcode/qr"

	"metrogon/core/marks"
	"metrogon/formats/paper"
)

// Card is what stands on it, in the words and units of the reader.
type Card struct {
	Code, Kind, Farm string
	Eggs             string // "26 eggs"
	Where            string // machines
	Air              string // warmth and humidity
	Pens             []Pen
	Dates            []Date
	Daily            []string // work of every day, a line each
	Tallies          []string // names of the boxes to be filled in by hand
	Cautions         string
	Address          string // of the batch's page, for the QR code
}

// Pen is a source of the eggs with the band of its hatch basket.
type Pen struct {
	Name  string
	Eggs  int
	Codes string
	marks.Band
}

// Date is one milestone.
type Date struct{ What, When, Counter string }

// Size of paper.
type Size string

// The two sizes.
const (
	A6 Size = "A6" // the card
	A4 Size = "A4" // the sheet
)

// Write writes the PDF, one page. Pens beyond the eighth are left to the sheet,
// which has room for 18.
func (c Card) Write(w io.Writer, size Size) error {
	width, height, scale := 105.0, 148.0, 1.0
	if size == A4 {
		width, height, scale = 210, 297, 1.75
	}
	p := page{
		Fpdf: fpdf.NewCustom(&fpdf.InitType{UnitStr: "mm", Size: fpdf.SizeType{Wd: width, Ht: height}}), width: width,
		scale: scale, margin: 6 * scale,
	}
	paper.Prepare(p.Fpdf, c.Code)
	p.SetAutoPageBreak(false, 0)
	p.SetMargins(p.margin, p.margin, p.margin)
	p.AddPage()
	if err := p.head(c); err != nil {
		return err
	}
	pens := c.Pens[:min(len(c.Pens), map[Size]int{A6: 8, A4: 18}[size])]
	p.pens(pens, len(c.Pens)-len(pens))
	p.dates(c.Dates)
	for _, line := range append([]string{c.Air}, c.Daily...) {
		p.text("", 7, line, "", 3.6)
	}
	p.tallies(c.Tallies, size == A4)
	p.SetXY(p.margin, height-p.margin-6*scale)
	p.SetTextColor(90, 90, 90)
	p.text("", 5.2, c.Cautions, "", 2.6)
	return p.Output(w)
}

type page struct {
	*fpdf.Fpdf
	width, scale, margin float64
}

func (p page) inner() float64 { return p.width - 2*p.margin }

// text writes a line over the whole width, wrapping.
func (p page) text(style string, points float64, s, align string, high float64) {
	if s == "" {
		return
	}
	p.SetFont("go", style, points*p.scale)
	p.SetX(p.margin)
	p.MultiCell(p.inner(), high*p.scale, s, "", align, false)
}

const qrSide = 25.0 // mm on the card

func (p page) head(c Card) error {
	png, err := QR(c.Address)
	if err != nil {
		return err
	}
	p.RegisterImageOptionsReader("qr", fpdf.ImageOptions{ImageType: "PNG"}, bytes.NewReader(png))
	side := qrSide * p.scale
	p.ImageOptions("qr", p.width-p.margin-side, p.margin, side, side, false, fpdf.ImageOptions{}, 0, "")
	p.SetFont("go", "B", 17*p.scale)
	p.CellFormat(p.inner()-side, 8*p.scale, c.Code, "", 2, "L", false, 0, "")
	p.SetFont("go", "", 9*p.scale)
	p.CellFormat(p.inner()-side, 4.6*p.scale, c.Kind+", "+c.Eggs, "", 2, "L", false, 0, "")
	p.CellFormat(p.inner()-side, 4.6*p.scale, c.Where, "", 2, "L", false, 0, "")
	p.SetTextColor(90, 90, 90)
	p.CellFormat(p.inner()-side, 4.2*p.scale, c.Farm, "", 2, "L", false, 0, "")
	p.SetTextColor(0, 0, 0)
	p.SetXY(p.margin, p.margin+side+1.5*p.scale)
	return nil
}

func (p page) rule() {
	p.SetDrawColor(120, 120, 120)
	p.SetLineWidth(.2 * p.scale)
	p.Line(p.margin, p.GetY(), p.width-p.margin, p.GetY())
	p.Ln(1.2 * p.scale)
}

func (p page) pens(pens []Pen, more int) {
	p.rule()
	for _, pen := range pens {
		x, y := p.GetXY()
		p.band(pen.Band, x, y+.5*p.scale)
		p.SetX(x + 11*p.scale)
		p.SetFont("go", "B", 8*p.scale)
		p.CellFormat(44*p.scale, 4.4*p.scale, pen.Name, "", 0, "L", false, 0, "")
		p.SetFont("go", "", 7.5*p.scale)
		p.CellFormat(10*p.scale, 4.4*p.scale, fmt.Sprint(pen.Eggs), "", 0, "R", false, 0, "")
		p.CellFormat(0, 4.4*p.scale, "  "+pen.Codes, "", 1, "L", false, 0, "")
	}
	if more > 0 {
		p.text("", 7, fmt.Sprintf("and %d more pens", more), "", 3.6)
	}
}

// colours of bands on paper.
var colours = map[string][3]int{
	"teal": {43, 127, 134}, "amber": {224, 163, 62}, "red": {176, 74, 69}, "violet": {122, 90, 148},
	"green": {109, 143, 63}, "grey": {185, 178, 164},
}

// band draws a basket's band: its colour with its pattern, which stays when the
// paper is printed black on white.
func (p page) band(b marks.Band, x, y float64) {
	w, h := 9*p.scale, 3.4*p.scale
	c := colours[b.Colour]
	p.SetFillColor(c[0], c[1], c[2])
	p.SetDrawColor(0, 0, 0)
	p.SetLineWidth(.15 * p.scale)
	p.Rect(x, y, w, h, "FD")
	p.SetFillColor(0, 0, 0)
	p.SetLineWidth(.45 * p.scale)
	switch b.Pattern {
	case "striped":
		for i := 1.0; i < 4; i++ {
			p.Line(x+i*w/4-h/3, y+h, x+i*w/4+h/3, y)
		}
	case "dotted":
		for i := 1.0; i < 4; i++ {
			p.Circle(x+i*w/4, y+h/2, .22*h, "F")
		}
	case "checked":
		for i := range 4 {
			p.Rect(x+float64(i)*w/4, y+float64(i%2)*h/2, w/4, h/2, "F")
		}
	case "ringed":
		p.Line(x+w/3, y, x+w/3, y+h)
		p.Line(x+2*w/3, y, x+2*w/3, y+h)
	}
	p.SetLineWidth(.2 * p.scale)
}

func (p page) dates(dates []Date) {
	p.Ln(.8 * p.scale)
	p.rule()
	for _, d := range dates {
		p.SetFont("go", "B", 7.5*p.scale)
		p.CellFormat(32*p.scale, 4.1*p.scale, d.What, "", 0, "L", false, 0, "")
		p.SetFont("go", "", 7.5*p.scale)
		p.CellFormat(40*p.scale, 4.1*p.scale, d.When, "", 0, "L", false, 0, "")
		p.CellFormat(0, 4.1*p.scale, d.Counter, "", 1, "R", false, 0, "")
	}
	p.Ln(.8 * p.scale)
	p.rule()
}

// tallies are boxes for pencil; on the sheet with lines beside them.
func (p page) tallies(names []string, sheet bool) {
	p.Ln(1.5 * p.scale)
	each := p.inner() / 3
	for i, name := range names {
		x, y := p.margin+float64(i%3)*each, p.GetY()
		p.SetFont("go", "", 6*p.scale)
		p.SetXY(x, y)
		p.CellFormat(each, 3*p.scale, name, "", 0, "L", false, 0, "")
		p.SetDrawColor(0, 0, 0)
		p.Rect(x, y+3.2*p.scale, each-2*p.scale, 6*p.scale, "D")
		p.SetXY(p.margin, y)
		if i%3 == 2 || i == len(names)-1 {
			p.SetY(y + 10.6*p.scale)
		}
	}
	for sheet && p.GetY() < 297-p.margin-16*p.scale {
		p.SetDrawColor(190, 190, 190)
		p.Line(p.margin, p.GetY()+6*p.scale, p.width-p.margin, p.GetY()+6*p.scale)
		p.SetY(p.GetY() + 6*p.scale)
	}
}

// QR gives the code of an address as PNG, black on white with its quiet zone of four modules.
func QR(address string) ([]byte, error) {
	const quiet = 4
	code, err := qr.Encode(address, qr.M, qr.Auto)
	if err != nil {
		return nil, err
	}
	modules := code.Bounds().Dx()
	each := max(1, 1024/(modules+2*quiet)) // pixels a module: pages and papers make it smaller
	if code, err = barcode.Scale(code, each*modules, each*modules); err != nil {
		return nil, err
	}
	whole := image.NewGray(image.Rect(0, 0, each*(modules+2*quiet), each*(modules+2*quiet)))
	draw.Draw(whole, whole.Bounds(), image.White, image.Point{}, draw.Src)
	draw.Draw(whole, code.Bounds().Add(image.Pt(each*quiet, each*quiet)), code, image.Point{}, draw.Src)
	var b bytes.Buffer
	err = png.Encode(&b, whole)
	return b.Bytes(), err
}
