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
	all := recordsOf(w, pen, from, laid)
	now, ok := laying.PaceOf(all[0].Record, pen.Females)
	if !ok {
		return p, nil
	}
	p.Says = fmt.Sprintf("Laid in the last week: %d eggs", now.Week)
	if !math.IsNaN(now.Now) {
		p.Says += fmt.Sprintf(", %.2f per hen and day; in the three weeks before %.2f", now.Now, now.Before)
	}
	p.Says += "."
	if laying.Fell(all)[0] {
		p.Fell = "The pen lays much less than it did. Moult, short days, heat, feed or water, a new or rough male can do " +
			"that; so can days that were not written down."
	}
	return p, nil
}

// recordsOf are what a pen laid day by day, and after it the farm's other pens of birds, each for as long as it is
// there.
func recordsOf(w *snapshot.Snapshot, pen snapshot.Pen, from time.Time, laid []stock.LaidOn) (all []laying.Pen) {
	add := func(x snapshot.Pen) {
		record := make(laying.Record, laying.Looked)
		for _, l := range laid {
			if l.PenID == x.ID {
				record[farm.AgeDays(from, l.LaidOn)] = l.Eggs
			}
		}
		before := min(max(0, farm.AgeDays(from, x.FromOn)), len(record))
		all = append(all, laying.Pen{Hens: x.Females, Record: record[before:]})
	}
	add(pen)
	for _, x := range w.Pens {
		kind := w.Kinds[x.Species]
		if lays := kind != nil && !kind.IsReptile() && !x.Supplier && x.UntilOn == nil; lays && x.ID != pen.ID {
			add(x)
		}
	}
	return all
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
