package lists

import "metrogon/farm/books"

// OfBatches are what a breeder's old notebook holds.
var OfBatches = []Field{
	{"pen", "Pen", true, []string{"pen", "breed", "line", "flock", "parents", "group", "name"}},
	{"kind", "Kind", false, []string{"kind", "species", "bird", "animal", "type"}},
	{"set_on", "Set on", true, []string{"set on", "set date", "date set", "date", "start", "in"}},
	{"set", "Eggs set", true, []string{"eggs set", "set", "eggs", "number", "count", "no of eggs"}},
	{"clear", "Clear at candling", false, []string{"clear", "clears", "infertile", "unfertile", "blanks"}},
	{"hatched", "Hatched", true, []string{"hatched", "hatch", "chicks", "young", "ducklings", "alive", "out"}},
	{"stored", "Days stored", false, []string{"days stored", "stored", "storage", "age", "days"}},
}

// Batches reads the batches of past seasons.
func Batches(rows [][]string, columns map[string]int) ([]books.PastBatch, Found) {
	return lines(rows, columns, OfBatches, "set_on", func(l line) books.PastBatch {
		return books.PastBatch{
			No: l.No, Pen: l.text("pen"), Kind: l.text("kind"), SetOn: l.date("set_on"), Set: l.count("set"),
			Clear: l.number("clear"), Stored: l.number("stored"), Hatched: l.needed("hatched"),
		}
	})
}
