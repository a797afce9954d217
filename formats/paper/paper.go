// Package paper is what all printed sheets have in common: the face, the title, the margins.
package paper

import (
	"codeberg.org/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
)

// Face is the family that is set, regular and bold.
const Face = "go"

// Prepare gives a document its face and its title.
func Prepare(p *fpdf.Fpdf, title string) {
	p.AddUTF8FontFromBytes(Face, "", goregular.TTF)
	p.AddUTF8FontFromBytes(Face, "B", gobold.TTF)
	p.SetTitle(title, true)
	p.SetCreator("Metrogon", true)
}

// Portrait is an A4 sheet with its title, and in small what it is; margin in mm. Below the foot a new page begins by
// itself where flows is true.
func Portrait(title, what string, margin float64, flows bool) *fpdf.Fpdf {
	p := fpdf.New("P", "mm", "A4", "")
	Prepare(p, title)
	p.SetMargins(margin, margin, margin)
	p.SetAutoPageBreak(flows, margin)
	p.AddPage()
	p.SetFont(Face, "B", 16)
	p.CellFormat(0, 9, title, "", 1, "L", false, 0, "")
	p.SetFont(Face, "", 9)
	p.CellFormat(0, 5, what, "", 1, "L", false, 0, "")
	return p
}
