package remind

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/url"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"metrogon/core/calendar"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/chores"
	"metrogon/store"
)

// Wish is of what a person is reminded on a farm, when, and how.
type Wish = store.Wish

// Wish gives of what the member wants to be reminded, or what is usual.
func (b *Service) Wish(ctx context.Context, m *farm.Member) (w Wish, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		w, err = tx.Wish(ctx, m.PersonID)
		if errors.Is(err, farm.ErrNone) {
			w, err = Wish{Evening: true, Late: true, QuietFrom: "22:00", QuietTo: "06:00"}, nil
		}
		return err
	})
	return w, err
}

// SaveWish keeps of what the member wants to be reminded.
func (b *Service) SaveWish(ctx context.Context, m *farm.Member, key string, w Wish) (farm.Done, error) {
	return b.Act(ctx, m, farm.Reading, key, func(tx *farm.Tx) (farm.Done, error) {
		var p farm.Problems
		for _, k := range w.Kinds {
			if !slices.ContainsFunc(chores.Kinds, func(x chores.Kind) bool { return x.ID == k && x.Name != "" }) {
				p.Addf("kind", "%q is nothing to be reminded of.", k)
			}
		}
		for field, at := range map[string]string{"quiet_from": w.QuietFrom, "quiet_to": w.QuietTo} {
			if _, err := calendar.ParseWallTime(at); err != nil {
				p.Addf(field, "%v.", err)
			}
		}
		if (w.ByMail || w.ByPush) && !w.Evening && !w.HourBefore && !w.Late {
			p.Addf("when", "Say when you want to be reminded.")
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		w.PersonID = m.PersonID
		return farm.Done{Said: "Your reminders are kept."}, tx.SaveWish(ctx, w)
	})
}

// Message is what somebody is told.
type Message struct {
	Title, Body string
	Path        string // of the page to open
}

// Send is a message on its way to a person.
type Send struct {
	PersonID int64   `json:"person_id"`
	FarmID   int64   `json:"farm_id"`
	By       string  `json:"by"` // mail or push
	Message  Message `json:"message"`
}

// Kind names the job.
func (Send) Kind() string { return "send" }

// look is looking for what somebody is to be reminded of.
type look struct{}

func (look) Kind() string { return "look" }

// Outside is what carries messages.
type Outside interface {
	Mail(ctx context.Context, to string, m Message) error
	// Push gives ErrGone where the browser takes no messages any more.
	Push(ctx context.Context, to PushPlace, m Message) error
}

// PushPlace is where a person's browser takes messages.
type PushPlace = store.PushPlace

// TakePush keeps that a browser of the member's takes messages.
func (b *Service) TakePush(ctx context.Context, m *farm.Member, p PushPlace) (farm.Done, error) {
	u, err := url.Parse(p.Endpoint)
	if err != nil || u.Host == "" || !strings.HasPrefix(u.Scheme, "http") || len(p.Endpoint) > 1000 ||
		p.P256dh == "" || len(p.P256dh) > 200 || p.Auth == "" || len(p.Auth) > 100 ||
		!utf8.ValidString(p.Endpoint+p.P256dh+p.Auth) {
		return farm.Done{}, farm.Problemf("push", "This browser’s address for messages cannot be kept.")
	}
	return farm.Done{Said: "Messages come to this device."}, b.DB.SavePush(ctx, m.PersonID, p, b.Now())
}

// PushPlaces tells on how many devices the member takes messages.
func (b *Service) PushPlaces(ctx context.Context, m *farm.Member) (int, error) {
	all, err := b.DB.PushPlaces(ctx, m.PersonID)
	return len(all), err
}

// Keys are those of this server for push services; fresh makes them where there are none yet.
func (b *Service) Keys(ctx context.Context, fresh func() ([]byte, error)) ([]byte, error) {
	made, err := fresh()
	if err != nil {
		return nil, err
	}
	return b.DB.Secret(ctx, "vapid", made)
}

// ErrGone says that a browser takes no messages any more.
var ErrGone = errors.New("the browser takes no messages any more")

// lookEvery is how often chores are looked at.
const lookEvery = 5 * time.Minute

type looker struct {
	river.WorkerDefaults[look]
	*Service
}

// Work looks at all farms.
func (l *looker) Work(ctx context.Context, _ *river.Job[look]) error { return l.LookNow(ctx) }

type sender struct {
	river.WorkerDefaults[Send]
	*Service
	outside Outside
}

// Work sends a message. One that fails is tried again, later and later, for some days.
func (s *sender) Work(ctx context.Context, job *river.Job[Send]) error {
	who, err := s.DB.PersonByID(ctx, job.Args.PersonID)
	if err != nil {
		return err
	}
	if job.Args.By == "mail" {
		return s.outside.Mail(ctx, who.Email, job.Args.Message)
	}
	places, err := s.DB.PushPlaces(ctx, who.ID)
	if err != nil {
		return err
	}
	for _, place := range places {
		switch err := s.outside.Push(ctx, place, job.Args.Message); {
		case errors.Is(err, ErrGone):
			if err := s.DB.DropPush(ctx, place.Endpoint); err != nil {
				return err
			}
		case err != nil:
			return err
		}
	}
	return nil
}

// Work looks for what somebody is to be reminded of and sends it, until ctx ends. Of many processes one
// looks, and each message is sent by one.
func (b *Service) Work(ctx context.Context, outside Outside, log *slog.Logger) error {
	workers := river.NewWorkers()
	river.AddWorker(workers, &looker{Service: b})
	river.AddWorker(workers, &sender{Service: b, outside: outside})
	again := river.NewPeriodicJob(river.PeriodicInterval(lookEvery), func() (river.JobArgs, *river.InsertOpts) {
		return look{}, &river.InsertOpts{UniqueOpts: river.UniqueOpts{ByPeriod: lookEvery}}
	}, &river.PeriodicJobOpts{RunOnStart: true})
	jobs, err := b.DB.Jobs(workers, []*river.PeriodicJob{again}, log)
	if err != nil {
		return err
	}
	if err := jobs.Start(ctx); err != nil {
		return err
	}
	b.jobs.Store(jobs)
	<-ctx.Done()
	stop, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer cancel()
	return jobs.Stop(stop)
}

// Working tells that this process works on jobs.
func (b *Service) Working() bool { return b.jobs.Load() != nil }

// LookNow looks at all farms once and puts in what is to be sent.
func (b *Service) LookNow(ctx context.Context) error {
	jobs := b.jobs.Load()
	if jobs == nil {
		return nil // it begins just now
	}
	wishes, err := b.DB.Wishes(ctx)
	if err != nil {
		return err
	}
	var failed error
	for _, w := range wishes {
		if err := b.remind(ctx, jobs, w); err != nil { // one farm's trouble is not another's
			failed = errors.Join(failed, fmt.Errorf("farm %d, person %d: %w", w.FarmID, w.PersonID, err))
		}
	}
	return failed
}

// Tell sends a message to everybody of a farm who takes messages; one that does not wake waits for the end of quiet
// hours.
func (b *Service) Tell(ctx context.Context, farmID int64, title, body, path string, wakes bool) error {
	jobs := b.jobs.Load()
	if jobs == nil {
		return nil
	}
	wishes, err := b.DB.Wishes(ctx)
	if err != nil {
		return err
	}
	var failed error
	for _, w := range wishes {
		if w.FarmID != farmID {
			continue
		}
		by, err := b.DB.MemberByPerson(ctx, w.PersonID, farmID, "")
		if err != nil || by.FarmID != farmID { // not on the farm any more
			continue
		}
		m, err := farm.NewMember(by)
		if err != nil {
			return err
		}
		later := time.Duration(0)
		for !wakes && quiet(b.Now().Add(later).In(m.Place), w) {
			later += 10 * time.Minute
		}
		failed = errors.Join(failed, b.DB.Then(ctx, farmID, func(*store.Tx) error { return nil }, func(tx pgx.Tx) error {
			return send(ctx, jobs, tx, w, farmID, Message{title, body, path}, time.Now().Add(later))
		}))
	}
	return failed
}

// send puts a message in on each way that a person chose.
func send(ctx context.Context, jobs *store.Jobs, tx pgx.Tx, w Wish, farmID int64, what Message, at time.Time) error {
	for by, wanted := range map[string]bool{"mail": w.ByMail, "push": w.ByPush} {
		if !wanted {
			continue
		}
		message := Send{w.PersonID, farmID, by, what}
		if _, err := jobs.InsertTx(ctx, tx, message, &river.InsertOpts{ScheduledAt: at}); err != nil {
			return err
		}
	}
	return nil
}

func (b *Service) remind(ctx context.Context, jobs *store.Jobs, w Wish) error {
	by, err := b.DB.MemberByPerson(ctx, w.PersonID, w.FarmID, "")
	if errors.Is(err, farm.ErrNone) || err == nil && by.FarmID != w.FarmID { // not on the farm any more
		return nil
	}
	if err != nil {
		return err
	}
	m, err := farm.NewMember(by)
	if err != nil {
		return err
	}
	now := b.Now()
	if quiet(now.In(m.Place), w) {
		return nil
	}
	var due []told
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		due, err = b.due(ctx, tx, w)
		return err
	})
	if err != nil || len(due) == 0 {
		return err
	}
	var fresh []told
	return b.DB.Then(ctx, m.FarmID, func(tx *store.Tx) error {
		keys := make([]string, len(due))
		for i, t := range due {
			keys[i] = t.key
		}
		new, err := tx.NotYet(ctx, m.PersonID, keys, now)
		if err != nil {
			return err
		}
		for _, t := range due {
			if slices.Contains(new, t.key) {
				fresh = append(fresh, t)
			}
		}
		return tx.ForgetReminded(ctx, now.AddDate(0, -3, 0))
	}, func(tx pgx.Tx) error {
		if len(fresh) == 0 {
			return nil
		}
		return send(ctx, jobs, tx, w, m.FarmID, message(m, fresh), time.Now())
	})
}

// quiet tells whether nothing is sent at an hour of the farm's clock.
func quiet(local time.Time, w Wish) bool {
	at := local.Format("15:04")
	if w.QuietFrom <= w.QuietTo {
		return at >= w.QuietFrom && at < w.QuietTo
	}
	return at >= w.QuietFrom || at < w.QuietTo
}

// told is a chore of which somebody is reminded, and when it was chosen for.
type told struct {
	chores.Item
	key  string
	late bool
}

// Hours of reminding.
const (
	evening   = 18 // o'clock, the day before
	lateAfter = 2 * time.Hour
)

// due lists of what a person is to be reminded at this moment, whether they were already or not.
func (b *Service) due(ctx context.Context, tx *farm.Tx, w Wish) (all []told, err error) {
	snapshot, err := tx.Snapshot(ctx)
	if err != nil {
		return nil, err
	}
	today := tx.Member.Date(tx.At)
	items, err := chores.Ahead(ctx, tx, snapshot, b.Chores, nil, today, today.AddDate(0, 0, 1))
	if err != nil {
		return nil, err
	}
	for _, i := range items {
		if i.At.IsZero() || len(w.Kinds) > 0 && !slices.Contains(w.Kinds, i.Kind) {
			continue
		}
		at := i.At.In(tx.Member.Place)
		before := time.Date(at.Year(), at.Month(), at.Day()-1, evening, 0, 0, 0, tx.Member.Place)
		add := func(when string, late bool) {
			all = append(all, told{i, fmt.Sprintf("%s@%s/%s", i.Key(), at.Format("2006-01-02"), when), late})
		}
		switch {
		case w.Late && tx.At.After(at.Add(lateAfter)):
			add("late", true)
		case tx.At.After(at):
		case w.HourBefore && !tx.At.Before(at.Add(-time.Hour)):
			add("hour", false)
		case w.Evening && !tx.At.Before(before):
			add("evening", false)
		}
	}
	return all, nil
}

func message(m *farm.Member, all []told) Message {
	var lines []string
	late := 0
	for _, t := range all {
		line := m.Moment(t.At) + ": " + strings.TrimPrefix(t.Code+": "+t.Title, ": ")
		if t.Reason != "" {
			line += " (" + t.Reason + ")"
		}
		if t.late {
			late++
			line = "Late. " + line
		}
		lines = append(lines, line)
	}
	title := fmt.Sprintf("%s: %s", m.FarmName, wording.Plural(len(all), "thing"))
	switch {
	case len(all) == 1:
		title = fmt.Sprintf("%s: %s", m.FarmName, strings.TrimPrefix(all[0].Code+": "+all[0].Title, ": "))
	case late > 0:
		title += fmt.Sprintf(", %d late", late)
	}
	return Message{Title: title, Body: strings.Join(lines, "\n"), Path: "/"}
}
