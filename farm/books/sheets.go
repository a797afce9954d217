package books

import (
	"context"

	"metrogon/farm"
	rows "metrogon/store/books"
)

// Sheet is a kind of record as other programs read it.
type Sheet struct{ ID, Name string }

// Sheets are all of them.
var Sheets = []Sheet{
	{"eggs", "Eggs"}, {"batches", "Batches"}, {"candlings", "Candling calls"}, {"weighings", "Weighings"},
	{"hatches", "Hatches: pips, zips, counts"}, {"young", "Young"}, {Rates, "Rates, by pen and batch"},
	{"journal", "Journal"},
}

// Rates is the sheet that is made of what the page of rates shows.
const Rates = "rates"

// Sheet gives the columns of a sheet, and its rows: texts, numbers, dates and truths, nil for what is not
// known. Figures are SI, hours the farm's.
func (b *Service) Sheet(
	ctx context.Context, m *farm.Member, id string, head func([]string) error, row func([]any) error,
) error {
	return b.Read(ctx, m, func(tx *farm.Tx) error { return rows.On(tx).Sheet(ctx, id, m.Zone, head, row) })
}
