package work

import (
	"context"
	"log/slog"
	"time"

	"metrogon/store"
)

// watchdog says which work has not come round for too long, in whatever process it is done.
type watchdog struct {
	db     *store.DB
	rounds []round
	log    *slog.Logger
	began  time.Time
	barked map[string]time.Time
}

const (
	dogEvery = 30 * time.Second
	barksOn  = 10 * time.Minute // how often it says the same again
)

func (d *watchdog) run(ctx context.Context) error {
	for {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(dogEvery):
		}
		late, err := d.late(ctx, time.Now())
		if err != nil && ctx.Err() == nil {
			d.log.Error("watchdog", "err", err)
		}
		for _, r := range late {
			d.log.Error("work has not come round", "round", r.Name, "since", r.At)
		}
	}
}

// late lists what should have come round since, and was not said to be late just before.
func (d *watchdog) late(ctx context.Context, now time.Time) (all []store.Round, err error) {
	did, err := d.db.Rounds(ctx)
	if err != nil {
		return nil, err
	}
	last := map[string]time.Time{}
	for _, r := range did {
		last[r.Name] = r.At
	}
	for _, r := range d.rounds {
		since := last[r.name]
		if since.Before(d.began) {
			since = d.began // it had no time yet
		}
		if r.do == nil || now.Sub(since) < 3*r.every+r.limit || now.Sub(d.barked[r.name]) < barksOn {
			continue
		}
		if d.barked == nil {
			d.barked = map[string]time.Time{}
		}
		d.barked[r.name] = now
		all = append(all, store.Round{Name: r.name, At: since})
	}
	return all, nil
}
