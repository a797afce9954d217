package lists

import "metrogon/farm/stock"

// OfCollections are what a list of gathered eggs holds.
var OfCollections = []Field{
	{"date", "Day", true, []string{"date", "day", "laid", "laid on", "collected"}},
	{"pen", "Pen", true, []string{"pen", "line", "flock", "group", "breed", "name"}},
	{"species", "Kind", false, []string{"species", "kind", "bird", "animal", "type"}},
	{"eggs", "Sound eggs", true, []string{"eggs", "sound", "good", "count", "number"}},
	{"rejected", "Rejected", false, []string{"rejected", "rejects", "cracked", "bad"}},
	{"note", "Note", false, []string{"note", "notes", "remark", "remarks", "comment"}},
}

// Collections reads gathered eggs, a pen's of one day a line.
func Collections(rows [][]string, columns map[string]int) ([]stock.ImportLine, Found) {
	return lines(rows, columns, OfCollections, "date", func(l line) stock.ImportLine {
		read := stock.ImportLine{
			No: l.No, Date: l.date("date"), Pen: l.text("pen"), Species: l.text("species"), Eggs: l.needed("eggs"),
			Rejected: l.count("rejected"), Note: l.text("note"),
		}
		if read.Pen == "" {
			l.wrong("pen", "it is missing")
		}
		return read
	})
}
