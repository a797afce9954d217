package work

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"github.com/riverqueue/river"

	"metrogon/farm/alarms"
	"metrogon/farm/remind"
	"metrogon/farm/season"
	"metrogon/store"
)

// round is work that comes round by itself.
type round struct {
	name  string
	every time.Duration
	limit time.Duration // of one round
	queue string
	do    func(context.Context) error // nil: not by this process
}

const (
	roundQueue  = "rounds"
	backupQueue = "backup" // worked on where the database's files are
)

// rounds is all that comes round by itself.
func (c *Crew) rounds() []round {
	backup := func(ctx context.Context) error { return c.Backup(ctx, time.Now()) }
	if c.Backup == nil {
		backup = nil
	}
	return []round{
		{"alarms", alarms.LookEvery, time.Minute, roundQueue, c.All.Alarms.LookNow},
		{"search of readings", alarms.SearchEvery, 4 * time.Minute, roundQueue, c.All.Alarms.SearchNow},
		{"reminders", remind.LookEvery, time.Minute, roundQueue, c.All.Remind.Round},
		{"plans that hold", season.HoldsEvery, time.Minute, roundQueue, c.All.Season.HoldsNow},
		{"plans left behind", 15 * time.Second, 30 * time.Second, roundQueue, c.All.Season.LeftBehind},
		{"old readings", 24 * time.Hour, 30 * time.Minute, roundQueue, c.All.Probes.Age},
		{"sessions that are over", 10 * time.Minute, time.Minute, roundQueue, c.All.DB.Sessions().Sweep},
		{"backup", time.Hour, 50 * time.Minute, backupQueue, backup},
	}
}

// Round asks for a round.
type Round struct {
	Name string `json:"name"`
}

// Kind names the job.
func (Round) Kind() string { return "round" }

// periodic lets the queue's leader ask for each round in time; of two leaders' one counts.
func periodic(all []round) (jobs []*river.PeriodicJob) {
	for _, r := range all {
		ask := func() (river.JobArgs, *river.InsertOpts) {
			return Round{r.name}, &river.InsertOpts{
				Queue: r.queue, MaxAttempts: 1, UniqueOpts: river.UniqueOpts{ByArgs: true, ByPeriod: r.every},
			}
		}
		jobs = append(jobs, river.NewPeriodicJob(
			river.PeriodicInterval(r.every), ask, &river.PeriodicJobOpts{RunOnStart: true},
		))
	}
	return jobs
}

type rounder struct {
	river.WorkerDefaults[Round]
	rounds []round
	db     *store.DB
	log    *slog.Logger
	mu     sync.Mutex
	going  map[string]bool
}

func (w *rounder) find(name string) (r round, ok bool) {
	for _, r := range w.rounds {
		if r.name == name {
			return r, r.do != nil
		}
	}
	return r, false
}

// Timeout is the round's own.
func (w *rounder) Timeout(job *river.Job[Round]) time.Duration {
	if r, ok := w.find(job.Args.Name); ok {
		return r.limit
	}
	return jobTime
}

// Work does a round, unless the one before still goes on here.
func (w *rounder) Work(ctx context.Context, job *river.Job[Round]) error {
	r, ok := w.find(job.Args.Name)
	if !ok || !w.begin(r.name) {
		return nil
	}
	defer w.end(r.name)
	began := time.Now()
	err := r.do(store.As(ctx, store.Behind))
	if ctx.Err() != nil { // it did not come round
		return err
	}
	if err != nil {
		w.log.Error("round", "round", r.name, "err", err)
	}
	w.log.Debug("round", "round", r.name, "ms", time.Since(began).Milliseconds())
	return w.db.CameRound(ctx, r.name, time.Now())
}

func (w *rounder) begin(name string) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.going == nil {
		w.going = map[string]bool{}
	}
	if w.going[name] {
		return false
	}
	w.going[name] = true
	return true
}

func (w *rounder) end(name string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	delete(w.going, name)
}
