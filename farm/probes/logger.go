package probes

import (
	"context"
	"math"
	"time"

	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	rows "metrogon/store/probes"
)

// Looked is a logger’s file as it would come in.
type Looked struct {
	Instrument rows.Instrument
	N, There   int // moments, and of these those that are there already
	From, To   time.Time
	LowC, TopC *float64
	Says, Text string // how it was read, and its lines
}

// LookAt tells what would come in of a logger’s file.
func (b *Service) LookAt(ctx context.Context, m *farm.Member, id int64, all []Told) (l Looked, err error) {
	if err := m.Refuse(farm.Keeping); err != nil {
		return l, err
	}
	if err := check(all, b.Now()); err != nil {
		return l, err
	}
	l = Looked{N: len(all), From: all[0].At, To: all[len(all)-1].At}
	low, top := math.Inf(1), math.Inf(-1)
	for _, t := range all {
		if t.TempC != nil {
			low, top = min(low, *t.TempC), max(top, *t.TempC)
		}
	}
	if low <= top {
		l.LowC, l.TopC = &low, &top
	}
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		if l.Instrument, err = find(ctx, tx, id); err != nil {
			return err
		}
		at := make([]time.Time, len(all))
		for i, t := range all {
			at[i] = t.At
		}
		l.There, err = rows.On(tx).SamplesThere(ctx, id, at)
		return err
	})
	return l, err
}

// Bring keeps what a logger’s file tells as of an instrument; what is there already stays.
func (b *Service) Bring(ctx context.Context, req farm.Request, id int64, all []Told) (farm.Done, error) {
	if err := req.Refuse(farm.Keeping); err != nil {
		return farm.Done{}, err
	}
	if err := b.Read(ctx, req.Member, func(tx *farm.Tx) error { _, err := find(ctx, tx, id); return err }); err != nil {
		return farm.Done{}, err
	}
	if err := b.take(ctx, rows.Sender{FarmID: req.FarmID, InstrumentID: id}, all); err != nil {
		return farm.Done{}, err
	}
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		x, err := find(ctx, tx, id)
		if err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Gauge, id), nil, "%s of %s came in, from %s to %s.",
			wording.Plural(len(all), "reading"), x.Name, req.Moment(all[0].At), req.Moment(all[len(all)-1].At))
	})
}

// Forget forgets what an instrument told from a moment to another: it lay on a table, or the file was another’s. It
// cannot be taken back.
func (b *Service) Forget(
	ctx context.Context, req farm.Request, id int64, from, to time.Time,
) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		x, err := find(ctx, tx, id)
		if err != nil {
			return farm.Done{}, err
		}
		if !from.Before(to) {
			return farm.Done{}, farm.Problemf("forget_to", "It ends after it begins.")
		}
		if err := rows.On(tx).ForgetSamples(ctx, id, from, to); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Gauge, id), nil, "What %s told from %s to %s is forgotten.", x.Name,
			req.Moment(from), req.Moment(to))
	})
}
