package lists

import (
	"time"

	"metrogon/core/machine"
	"metrogon/farm/flock"
	"metrogon/farm/machines"
	"metrogon/farm/snapshot"
)

// OfPens are what a list of pens holds.
var OfPens = []Field{
	{"pen", "Pen", true, []string{"pen", "name", "line", "flock", "group"}},
	{"kind", "Kind", true, []string{"kind", "species", "bird", "animal", "type"}},
	{"breed", "Breed", false, []string{"breed", "strain", "variety", "colour"}},
	{"females", "Females", false, []string{"females", "hens", "ducks", "female"}},
	{"males", "Males", false, []string{"males", "cocks", "roosters", "drakes", "male"}},
	{"since", "Since", false, []string{"since", "from", "start", "date"}},
}

// Pens reads pens; those of which nobody wrote since when they are there are there from today on.
func Pens(rows [][]string, columns map[string]int, today time.Time) ([]flock.PenLine, Found) {
	return lines(rows, columns, OfPens, "since", func(l line) flock.PenLine {
		pen := snapshot.Pen{
			Name: l.text("pen"), Species: l.species("kind"), Breed: l.text("breed"), Females: l.count("females"),
			Males: l.count("males"), FromOn: today,
		}
		if l.text("since") != "" {
			pen.FromOn = l.date("since")
		}
		return flock.PenLine{No: l.No, Pen: pen}
	})
}

// OfMachines are what a list of machines holds.
var OfMachines = []Field{
	{"machine", "Machine", true, []string{"machine", "name", "incubator"}},
	{"kind", "Kind of machine", false, []string{"kind", "type", "kind of machine"}},
	{"setting", "Hens’ eggs it turns", false, []string{"setting", "turning", "eggs", "holds", "capacity", "set"}},
	{"hatching", "Hens’ eggs that hatch in it", false, []string{"hatching", "hatch", "hatches"}},
}

// Machines reads machines. One of which the kind is not told is a hatcher where nothing turns in it, an
// all-in-one where both is done, and else a forced-air setter.
func Machines(rows [][]string, columns map[string]int) ([]machines.Line, Found) {
	return lines(rows, columns, OfMachines, "", func(l line) machines.Line {
		read := machines.Line{No: l.No, Name: l.text("machine"), Setting: l.count("setting"), Hatching: l.count("hatching")}
		kind := l.text("kind")
		switch {
		case kind != "":
		case read.Setting == 0:
			kind = string(machine.Hatcher)
		case read.Hatching > 0:
			kind = string(machine.AllInOne)
		default:
			kind = string(machine.ForcedAir)
		}
		var err error
		if read.Kind, err = machine.Called(kind); err != nil {
			l.wrong("kind", "it may be forced-air, still-air, cabinet, hatcher, all-in-one, broody hen or reptile box")
		}
		return read
	})
}
