// Package tray knows the places in which eggs lie: how many go into one, what a
// place is called, and how eggs of several pens are laid in blocks.
package tray

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"metrogon/core/species"
)

// Most places of one tray.
const Most = 1000

// Tray is rows × columns of places; with Rows 0 it is free: Columns places
// without an order that matters.
type Tray struct{ Rows, Columns int }

// Places is how many there are.
func (t Tray) Places() int { return max(t.Rows, 1) * t.Columns }

// Name of a place, counted from 0: a letter for the row, a number for the
// column; a plain number in a free tray.
func (t Tray) Name(place int) string {
	if t.Rows == 0 {
		return strconv.Itoa(place + 1)
	}
	return rowName(place/t.Columns) + strconv.Itoa(place%t.Columns+1)
}

func rowName(row int) string {
	if row < 26 {
		return string(rune('A' + row))
	}
	return string(rune('A'+row/26-1)) + string(rune('A'+row%26))
}

// Find reads the name of a place.
func (t Tray) Find(name string) (place int, err error) {
	if t.Places() < 1 {
		return 0, errors.New("the tray has no places")
	}
	name = strings.ToUpper(strings.TrimSpace(name))
	digits := strings.TrimLeft(name, "ABCDEFGHIJKLMNOPQRSTUVWXYZ")
	n, err := strconv.Atoi(digits)
	letters := name[:len(name)-len(digits)]
	if err == nil && n >= 1 && n <= t.Columns && len(letters) <= 2 {
		switch {
		case t.Rows == 0 && letters == "":
			return n - 1, nil
		case t.Rows > 0 && letters != "":
			for row := range t.Rows {
				if rowName(row) == letters {
					return row*t.Columns + n - 1, nil
				}
			}
		}
	}
	return 0, fmt.Errorf("there is no place %.12q; it may be %s to %s", name, t.Name(0), t.Name(t.Places()-1))
}

// PerPlace proposes how many eggs of a kind lie in one place made for an egg of
// hen's size: about four Coturnix eggs [common practice]; others by the area
// that they cover, at least one. The farm's own number wins over it.
func PerPlace(p *species.Profile) int {
	const hen = 58.0 // g
	switch {
	case p.ID == "coturnix-quail" || p.ID == "bobwhite-quail":
		return 4
	case p.EggG.At > 0:
		return max(1, int(math.Pow(hen/p.EggG.At, 2./3)))
	}
	return 1
}

// Egg to be laid, of a pen.
type Egg struct {
	ID, Pen int64
	Code    string
}

// Spot is a place in one of several trays.
type Spot struct{ Tray, Place int }

// Blocks lays eggs by pen, each pen in one block and every pen beginning a new
// place, in the order of pens given and of the eggs in it, into the spots that
// are free, each with the number that it still takes. If that needs more spots
// than there are, pens share places; eggs without any are left out.
func Blocks(eggs []Egg, free []Spot, room func(Spot) int) map[int64]Spot {
	eggs = slices.Clone(eggs)
	var pens []int64
	for _, e := range eggs {
		if !slices.Contains(pens, e.Pen) {
			pens = append(pens, e.Pen)
		}
	}
	slices.SortStableFunc(eggs, func(a, b Egg) int {
		return cmp.Compare(slices.Index(pens, a.Pen), slices.Index(pens, b.Pen))
	})
	if laid := lay(eggs, free, room, true); len(laid) == len(eggs) {
		return laid
	}
	return lay(eggs, free, room, false)
}

func lay(eggs []Egg, free []Spot, room func(Spot) int, apart bool) map[int64]Spot {
	laid := map[int64]Spot{}
	at, in := 0, 0
	for i, e := range eggs {
		if apart && i > 0 && eggs[i-1].Pen != e.Pen && in > 0 {
			at, in = at+1, 0
		}
		for at < len(free) && in >= room(free[at]) {
			at, in = at+1, 0
		}
		if at == len(free) {
			break
		}
		laid[e.ID] = free[at]
		in++
	}
	return laid
}
