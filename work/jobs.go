package work

import (
	"context"
	"errors"
	"net/url"
	"sync"
	"time"

	"github.com/riverqueue/river"

	"metrogon/farm"
	"metrogon/farm/remind"
	"metrogon/farm/season"
	"metrogon/store"
)

// later turns what a room says of its job into what the queue knows.
func later(err error) error {
	var wait farm.Later
	if errors.As(err, &wait) {
		return river.JobSnooze(jitter(time.Duration(wait)))
	}
	return err
}

type looker struct {
	river.WorkerDefaults[remind.Look]
	on *remind.Service
}

// Work looks for what the people of a farm are to be reminded of.
func (w *looker) Work(ctx context.Context, job *river.Job[remind.Look]) error {
	return later(w.on.Look(store.As(ctx, store.Behind), job.Args.FarmID))
}

type writer struct {
	river.WorkerDefaults[remind.Letter]
	on   *remind.Service
	post remind.Outside
}

// Work brings a letter.
func (w *writer) Work(ctx context.Context, job *river.Job[remind.Letter]) error {
	return later(w.on.Mail(ctx, w.post, job.Args))
}

// pinger brings messages to browsers: of one farm a few at a time, and none for a while to a service that does not
// answer, so that one farm's slow service keeps no other farm waiting.
type pinger struct {
	river.WorkerDefaults[remind.Ping]
	on    *remind.Service
	post  remind.Outside
	mu    sync.Mutex
	farms map[int64]int // messages on their way
	dead  map[string]grave
}

// grave is a service that does not answer, and until when it is left alone.
type grave struct {
	until time.Time
	tries int
}

const (
	pingsOfFarm = 2
	pingTime    = 10 * time.Second
	leftAlone   = 20 * time.Second // the first time, then twice as long each
	mostAlone   = 10 * time.Minute
)

// Timeout is how long a service may take.
func (w *pinger) Timeout(*river.Job[remind.Ping]) time.Duration { return pingTime }

// Work brings a message to a browser, or comes back when it is its farm's turn.
func (w *pinger) Work(ctx context.Context, job *river.Job[remind.Ping]) error {
	host := job.Args.Endpoint
	if u, err := url.Parse(host); err == nil {
		host = u.Host
	}
	if wait := w.begin(job.Args.FarmID, host, time.Now()); wait > 0 {
		return later(farm.Later(wait))
	}
	err := w.on.Push(ctx, w.post, job.Args)
	w.end(job.Args.FarmID, host, time.Now(), ctx.Err() != nil)
	return later(err)
}

// begin takes a message on, or tells how long to wait.
func (w *pinger) begin(farmID int64, host string, now time.Time) (wait time.Duration) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.farms == nil {
		w.farms, w.dead = map[int64]int{}, map[string]grave{}
	}
	if until := w.dead[host].until; until.After(now) {
		return until.Sub(now) + time.Second
	}
	if w.farms[farmID] >= pingsOfFarm {
		return 2 * time.Second
	}
	w.farms[farmID]++
	return 0
}

// end keeps what became of a message.
func (w *pinger) end(farmID int64, host string, now time.Time, silent bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.farms[farmID]--; w.farms[farmID] == 0 {
		delete(w.farms, farmID)
	}
	if !silent {
		delete(w.dead, host)
		return
	}
	g := w.dead[host]
	g.until = now.Add(min(leftAlone<<min(g.tries, 10), mostAlone))
	g.tries++
	w.dead[host] = g
}

// planTime is how long a plan may take in all, with its waiting for turns.
const planTime = 2 * time.Hour

type planner struct {
	river.WorkerDefaults[season.Work]
	on *season.Service
}

// Timeout is long, since plans wait for one another.
func (w *planner) Timeout(*river.Job[season.Work]) time.Duration { return planTime }

// Work works on a plan.
func (w *planner) Work(ctx context.Context, job *river.Job[season.Work]) error {
	err := w.on.Plan(store.As(ctx, store.Behind), job.Args)
	if err == nil && ctx.Err() != nil { // the process ends: the next goes on
		return river.JobSnooze(0)
	}
	return later(err)
}
