// Package work is what runs without anybody asking for a page: the jobs of the queue (messages, plans, looking for what
// is to be reminded of), the work that comes round by itself (alarms, plans that do not hold any more, old readings,
// backups), and what listens. The queue is in the database: of many processes one does each job, a job that failed or
// whose process was killed is done again, and of what comes round the queue's leader asks. A Crew starts it all, sees
// that it comes round, and joins it at the end.
package work

import (
	"context"
	"log/slog"
	"math/rand/v2"
	"slices"
	"time"

	"github.com/riverqueue/river"

	"metrogon/farm/remind"
	"metrogon/farm/season"
	"metrogon/farm/services"
	"metrogon/store"
)

// Crew is what works behind the pages of one process.
type Crew struct {
	All    *services.Services
	Post   remind.Outside                         // carries messages
	Listen func(ctx context.Context)              // to farms' brokers, until the context ends
	Backup func(context.Context, time.Time) error // of this server's own database; nil: others see to that
	Log    *slog.Logger
}

// Workers of each queue in a process.
var queues = map[string]river.QueueConfig{
	roundQueue:         {MaxWorkers: 8},
	remind.LookQueue:   {MaxWorkers: 2},
	remind.LetterQueue: {MaxWorkers: 8},
	remind.PingQueue:   {MaxWorkers: 24},
	season.PlanQueue:   {MaxWorkers: 32}, // of which two search at a time
}

const (
	// jobTime is how long a job may take that says nothing else.
	jobTime = time.Minute
	// fetchPause is how long a queue pauses between taking jobs: with River's own tenth of a second two workers look at
	// twenty farms a second, however quick they are.
	fetchPause = 20 * time.Millisecond
	// rescueAfter is when the job of a killed process is done again.
	rescueAfter = 90 * time.Second
	// softStop is how long jobs may go on once the process ends, before they are called off.
	softStop = time.Second
	// Home is how long the crew has at the end.
	Home = 8 * time.Second
)

// Run works until the context ends, and returns once everybody has come home.
func (c *Crew) Run(ctx context.Context) error {
	s := &supervisor{log: c.Log, pause: 2 * time.Second}
	s.run(ctx, "live", func(ctx context.Context) error { c.All.Tell(ctx); return ctx.Err() })
	if c.Listen != nil {
		s.run(ctx, "brokers", func(ctx context.Context) error { c.Listen(ctx); return ctx.Err() })
	}
	s.run(ctx, "queue", c.queue)
	s.run(ctx, "watchdog", (&watchdog{db: c.All.DB, rounds: c.rounds(), log: c.Log, began: time.Now()}).run)
	<-ctx.Done()
	return s.join(Home)
}

// queue works on jobs until the context ends.
func (c *Crew) queue(ctx context.Context) error {
	jobs, err := store.Worked(c.All.DB, c.config())
	if err != nil {
		return err
	}
	if err := jobs.Start(context.WithoutCancel(ctx)); err != nil {
		return err
	}
	<-ctx.Done()
	stop, cancel := context.WithTimeout(context.WithoutCancel(ctx), Home)
	defer cancel()
	return jobs.Stop(stop)
}

func (c *Crew) config() *river.Config {
	rounds := c.rounds()
	workers := river.NewWorkers()
	river.AddWorker(workers, &rounder{rounds: rounds, db: c.All.DB, log: c.Log})
	river.AddWorker(workers, &looker{on: c.All.Remind})
	river.AddWorker(workers, &writer{on: c.All.Remind, post: c.Post})
	river.AddWorker(workers, &pinger{on: c.All.Remind, post: c.Post})
	river.AddWorker(workers, &planner{on: c.All.Season})
	worked := map[string]river.QueueConfig{}
	for name, q := range queues {
		worked[name] = q
	}
	if c.Backup != nil {
		worked[backupQueue] = river.QueueConfig{MaxWorkers: 1}
	}
	return &river.Config{
		Workers: workers, Queues: worked, Logger: quieter(c.Log),
		PeriodicJobs:                periodic(slices.DeleteFunc(rounds, func(r round) bool { return r.do == nil })),
		JobTimeout:                  jobTime,
		FetchCooldown:               fetchPause,
		RescueStuckJobsAfter:        rescueAfter,
		SoftStopTimeout:             softStop,
		CompletedJobRetentionPeriod: time.Hour,
		DiscardedJobRetentionPeriod: 7 * 24 * time.Hour,
		MaxAttempts:                 12, // a day and a half
	}
}

// jitter is a moment about so far away, so that what gives way does not come back all at once.
func jitter(about time.Duration) time.Duration {
	return about/2 + rand.N(about)
}
