package flock

import (
	"context"
	"fmt"
	"math"
	"time"

	"metrogon/core/grading"
	"metrogon/core/laying"
	"metrogon/farm"
	"metrogon/farm/snapshot"
	"metrogon/store/stock"
)

// Pace is how a pen lays, in words.
type Pace struct {
	Says string // "" where too little is written down
	Fell string // that it lays less than it did
	Hens string // how old its hens are, where somebody said
}

// paceOf reads how a pen lays, up to yesterday.
func paceOf(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, pen snapshot.Pen) (p Pace, err error) {
	today := w.Member.Date(w.Now)
	if pen.Supplier || pen.UntilOn != nil {
		return p, nil
	}
	p.Hens = hensSay(pen, today)
	from := today.AddDate(0, 0, -laying.Looked)
	laid, err := stock.On(tx).LaidByDay(ctx, from, today)
	if err != nil {
		return p, err
	}
	mine, all := recordsOf(w, pen.ID, from, laid)
	now, ok := laying.PaceOf(all[mine].Record, pen.Females)
	if !ok {
		return p, nil
	}
	p.Says = fmt.Sprintf("Laid in the last week: %d eggs", now.Week)
	if !math.IsNaN(now.Now) {
		p.Says += fmt.Sprintf(", %.2f per hen and day; in the three weeks before %.2f", now.Now, now.Before)
	}
	p.Says += "."
	if laying.Fell(all)[mine] {
		p.Fell = "The pen lays much less than it did. Moult, short days, heat, feed or water, a new or rough male can do " +
			"that; so can days that were not written down."
	}
	return p, nil
}

// recordsOf are what the farm's pens laid day by day, for as long as there was each, and which of them is one.
func recordsOf(w *snapshot.Snapshot, pen int64, from time.Time, laid []stock.LaidOn) (mine int, all []laying.Pen) {
	for _, x := range w.Pens {
		if x.ID != pen && (x.Supplier || x.UntilOn != nil || w.Kinds[x.Species].IsReptile()) {
			continue
		}
		record := make(laying.Record, laying.Looked)
		for _, l := range laid {
			if l.PenID == x.ID {
				record[farm.AgeDays(from, l.LaidOn)] = l.Eggs
			}
		}
		if x.ID == pen {
			mine = len(all)
		}
		young := max(0, farm.AgeDays(from, x.FromOn))
		all = append(all, laying.Pen{Hens: x.Females, Record: record[min(young, len(record)):]})
	}
	return mine, all
}

// hensSay tells how old the hens of a pen are, and what follows for their eggs.
func hensSay(pen snapshot.Pen, today time.Time) string {
	if pen.HensHatchedOn == nil {
		return ""
	}
	weeks := farm.AgeDays(*pen.HensHatchedOn, today) / 7
	says := fmt.Sprintf("Its hens are %d weeks old.", weeks)
	if grading.YoungLayer(pen.Species, weeks) {
		says += " The first eggs of young layers hatch badly: wait some weeks before they are set."
	}
	return says
}
