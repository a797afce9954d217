package breeders

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"metrogon/core/breeding"
	"metrogon/farm"
	"metrogon/farm/lineage"
	"metrogon/farm/snapshot"
)

// Dimension is something by which rates are told apart.
type Dimension struct {
	ID   string // as it stands in addresses
	Name string // as a heading
	Says string // what an egg without it lacks: "n eggs are left out: …"; "": every egg has it
	What string // what would be sold, swapped or blamed
	// key of the group that an egg belongs to, "" where it does not tell; one that begins with a
	// tilde stands aside: it is shown, and compared with nothing.
	key   func(s *scene, f *lineage.Fact) string
	label func(s *scene, key string) string
}

// Dimensions lists them in the order in which they are offered.
var Dimensions = []Dimension{
	{"pen", "Pen", "", "the pen", penKey, penLabel},
	{"sire", "Sire", "bought eggs have no sire here", "the male", sireKey, sireLabel},
	{"dam", "Dam", "nobody noted the hen", "the hen", damKey, damLabel},
	{"pair", "Sire and dam", "sire or dam is not certain", "the pair", pairKey, pairLabel},
	{"breed", "Breed", "their pen has no breed", "the breed", breedKey, same},
	{"supplier", "Supplier", "they are of the farm’s own pens", "the supplier", supplierKey, penLabel},
	{"machine", "Setter", "", "the machine", setterKey, machineLabel},
	{"hatcher", "Hatcher", "", "the hatcher", hatcherKey, machineLabel},
	{"place", "Place on the tray", "", "the place", spotKey, spotLabel},
	{"basket", "Hatch basket", "their basket had no name", "the basket", basketKey, same},
	{"age", "Days stored", "", "waiting", ageKey, ageLabel},
	{"week", "Week of the year", "", "the season", weekKey, weekLabel},
	{"month", "Month", "", "the season", monthKey, monthLabel},
	{"washing", "What was done to the shells", "nobody noted it", "the washing", washingKey, same},
	{"candler", "Who candled", "nobody candled them", "the candler", candlerKey, same},
}

// DimensionOf finds one by its ID; the first where there is none such.
func DimensionOf(id string) Dimension {
	i := slices.IndexFunc(Dimensions, func(d Dimension) bool { return d.ID == id })
	return Dimensions[max(i, 0)]
}

func same(_ *scene, key string) string { return key }

func number(id int64) string { return strconv.FormatInt(id, 10) }

func idOf(key string) int64 {
	id, _ := strconv.ParseInt(key, 10, 64)
	return id
}

func penKey(s *scene, f *lineage.Fact) string { return number(f.PenID) }

func penLabel(s *scene, key string) string { return s.w.PenByID[idOf(key)].Name }

// sireKey is the sire where he is sure; else eggs are shown apart, by why he is not.
func sireKey(s *scene, f *lineage.Fact) string {
	switch {
	case s.w.PenByID[f.PenID].Supplier:
		return ""
	case f.Sire.How == breeding.Sure:
		return number(f.Sire.Males[0])
	}
	return "~" + string(f.Sire.How)
}

func sireLabel(s *scene, key string) string {
	why, aside := strings.CutPrefix(key, "~")
	if !aside {
		return s.facts.Flock.MaleName(s.w, idOf(key))
	}
	return map[breeding.Certainty]string{
		breeding.NoMale: "No male on record", breeding.TooEarly: "Too early to count for a new male",
		breeding.SeveralMales: "Several males", breeding.NotCertain: "Sire not certain",
	}[breeding.Certainty(why)]
}

func damKey(s *scene, f *lineage.Fact) string {
	switch {
	case f.Dam != 0:
		return number(f.Dam)
	case f.Hen != "":
		return "hen " + f.Hen + "/" + number(f.PenID)
	}
	return ""
}

func damLabel(s *scene, key string) string {
	if b, ok := s.facts.Flock.Birds[idOf(key)]; ok {
		return b.Name
	}
	hen, pen, _ := strings.Cut(strings.TrimPrefix(key, "hen "), "/")
	return hen + ", " + penLabel(s, pen)
}

func pairKey(s *scene, f *lineage.Fact) string {
	dam := damKey(s, f)
	if f.Sire.How != breeding.Sure || dam == "" || s.w.PenByID[f.PenID].Supplier {
		return ""
	}
	return number(f.Sire.Males[0]) + "×" + dam
}

func pairLabel(s *scene, key string) string {
	sire, dam, _ := strings.Cut(key, "×")
	return sireLabel(s, sire) + " × " + damLabel(s, dam)
}

func breedKey(s *scene, f *lineage.Fact) string { return s.w.PenByID[f.PenID].Breed }

func supplierKey(s *scene, f *lineage.Fact) string {
	if !s.w.PenByID[f.PenID].Supplier {
		return ""
	}
	return number(f.PenID)
}

func setterKey(s *scene, f *lineage.Fact) string { return number(f.Batch.SetterID) }

func hatcherKey(s *scene, f *lineage.Fact) string { return number(f.Batch.HatcherID) }

func machineLabel(s *scene, key string) string { return s.w.MachineByID[idOf(key)].Name }

func spotKey(s *scene, f *lineage.Fact) string { return cmp.Or(f.Spot, "elsewhere") }

func spotLabel(s *scene, key string) string {
	return map[string]string{"warm": "Warm places", "cool": "Cool places", "elsewhere": "Elsewhere, or not on a map"}[key]
}

func basketKey(s *scene, f *lineage.Fact) string {
	return s.baskets[snapshot.GroupKey{PenID: f.PenID, BatchID: f.BatchID}]
}

// Ages are told apart as people speak of them.
var ages = []struct {
	upTo int
	key  string
	says string
}{{2, "0-2", "up to 2 days"}, {4, "3-4", "3 to 4 days"}, {7, "5-7", "5 to 7 days"}, {10, "8-10", "8 to 10 days"},
	{14, "11-14", "11 to 14 days"}, {1 << 30, "15", "15 days and more"}}

func ageKey(s *scene, f *lineage.Fact) string {
	for _, a := range ages {
		if f.Age <= a.upTo {
			return a.key
		}
	}
	return ""
}

func ageLabel(s *scene, key string) string {
	for _, a := range ages {
		if a.key == key {
			return a.says
		}
	}
	return key
}

func weekKey(s *scene, f *lineage.Fact) string {
	_, week := f.SetOn.ISOWeek()
	return fmt.Sprintf("%02d", week)
}

func weekLabel(s *scene, key string) string {
	n, _ := strconv.Atoi(key)
	monday := time.Date(s.w.Now.Year(), 1, 4, 0, 0, 0, 0, time.UTC) // always in the first week
	monday = monday.AddDate(0, 0, 7*(n-1)-(int(monday.Weekday())+6)%7)
	return fmt.Sprintf("Week %d, from %s", n, monday.Format("2 Jan"))
}

func monthKey(_ *scene, f *lineage.Fact) string { return f.SetOn.Format("01") }

func monthLabel(_ *scene, key string) string {
	month, err := time.Parse("01", key)
	if err != nil {
		return ""
	}
	return month.Format("January")
}

func washingKey(s *scene, f *lineage.Fact) string { return f.Washing }

func candlerKey(s *scene, f *lineage.Fact) string { return s.candlers[f.BatchID] }

// before orders groups as people look for them: by name, but for those that have an order of their
// own; what stands aside comes last.
func before(d Dimension, a, b Row) int {
	if a.Aside != b.Aside {
		return farm.OneIf(a.Aside) - farm.OneIf(b.Aside)
	}
	switch d.ID {
	case "age", "week":
		return firstNumber(a.Key) - firstNumber(b.Key)
	}
	return cmp.Or(cmp.Compare(a.Label, b.Label), cmp.Compare(a.Key, b.Key))
}

// firstNumber is what a key begins with.
func firstNumber(key string) (n int) {
	for _, r := range key {
		if r < '0' || r > '9' {
			break
		}
		n = 10*n + int(r-'0')
	}
	return n
}
