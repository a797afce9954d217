package remind

import (
	"context"
	"errors"
	"net/url"
	"strings"
	"time"
	"unicode/utf8"

	"metrogon/farm"
	"metrogon/store"
	"metrogon/store/people"
	rows "metrogon/store/remind"
)

// Message is what somebody is told.
type Message = farm.Notice

// Letter is a message on its way to a person by mail.
type Letter struct {
	FarmID   int64     `json:"farm_id"`
	PersonID int64     `json:"person_id"`
	Message  Message   `json:"message"`
	Until    time.Time `json:"until"` // later it says nothing any more
}

// Kind names the job.
func (Letter) Kind() string { return "letter" }

// Ping is a message on its way to one of a person's browsers.
type Ping struct {
	FarmID   int64     `json:"farm_id"`
	PersonID int64     `json:"person_id"`
	Endpoint string    `json:"endpoint"`
	Message  Message   `json:"message"`
	Until    time.Time `json:"until"`
}

// Kind names the job.
func (Ping) Kind() string { return "ping" }

// Queues of messages.
const (
	LetterQueue = "letters"
	PingQueue   = "pings"
)

// holds is how long a message is tried to be brought.
const holds = 24 * time.Hour

// Outside is what carries messages.
type Outside interface {
	Mail(ctx context.Context, to string, m Message) error
	// Push gives ErrGone where the browser takes no messages any more.
	Push(ctx context.Context, to PushPlace, m Message) error
}

// PushPlace is where a person's browser takes messages.
type PushPlace = rows.PushPlace

// ErrGone says that a browser takes no messages any more.
var ErrGone = errors.New("the browser takes no messages any more")

// mostPlaces is on how many devices one person takes messages; the oldest gives way.
const mostPlaces = 20

// TakePush keeps that a browser of the member's takes messages.
func (b *Service) TakePush(ctx context.Context, m *farm.Member, p PushPlace) (farm.Done, error) {
	u, err := url.Parse(p.Endpoint)
	if err != nil || u.Host == "" || !strings.HasPrefix(u.Scheme, "http") || len(p.Endpoint) > 1000 ||
		p.P256dh == "" || len(p.P256dh) > 200 || p.Auth == "" || len(p.Auth) > 100 ||
		!utf8.ValidString(p.Endpoint+p.P256dh+p.Auth) {
		return farm.Done{}, farm.Problemf("push", "This browser’s address for messages cannot be kept.")
	}
	return farm.Done{Said: "Messages come to this device."}, rows.Of(b.DB).SavePush(
		ctx, m.PersonID, p, b.Now(), mostPlaces,
	)
}

// PushPlaces tells on how many devices the member takes messages.
func (b *Service) PushPlaces(ctx context.Context, m *farm.Member) (int, error) {
	all, err := rows.Of(b.DB).PushPlaces(ctx, m.PersonID)
	return len(all), err
}

// Keys are those of this server for push services; fresh makes them where there are none yet.
func (b *Service) Keys(ctx context.Context, fresh func() ([]byte, error)) ([]byte, error) {
	made, err := fresh()
	if err != nil {
		return nil, err
	}
	return people.Of(b.DB).Secret(ctx, "vapid", made)
}

// taker is somebody of a farm who takes messages, and where.
type taker struct {
	*farm.Member
	wish   Wish
	places []PushPlace
}

// takers lists those of a farm who take messages.
func (b *Service) takers(ctx context.Context, farmID int64) (all []taker, err error) {
	wishes, err := rows.Of(b.DB).WishesOf(ctx, farmID)
	if err != nil {
		return nil, err
	}
	for _, w := range wishes {
		by, err := people.Of(b.DB).MemberByPerson(ctx, w.PersonID, farmID, "")
		if errors.Is(err, farm.ErrNone) || err == nil && by.FarmID != farmID { // not on the farm any more
			continue
		}
		if err != nil {
			return nil, err
		}
		to := taker{wish: w}
		if to.Member, err = farm.NewMember(by); err != nil {
			return nil, err
		}
		if w.ByPush {
			if to.places, err = rows.Of(b.DB).PushPlaces(ctx, w.PersonID); err != nil {
				return nil, err
			}
		}
		all = append(all, to)
	}
	return all, nil
}

// send puts a message to somebody in on each way that they chose, with the transaction.
func (to taker) send(tx *store.Tx, what Message, at time.Time) {
	until := at.Add(holds)
	if to.wish.ByMail {
		tx.Later(store.Job{What: Letter{tx.FarmID, to.PersonID, what, until}, Queue: LetterQueue, At: at})
	}
	for _, p := range to.places {
		tx.Later(store.Job{What: Ping{tx.FarmID, to.PersonID, p.Endpoint, what, until}, Queue: PingQueue, At: at})
	}
}

// Teller finds who takes notices on a farm; one that does not wake waits for the end of each one's quiet hours.
func (b *Service) Teller(ctx context.Context, farmID int64) (func(*farm.Tx, farm.Notice), error) {
	all, err := b.takers(ctx, farmID)
	return func(tx *farm.Tx, what farm.Notice) {
		for _, to := range all {
			wait := time.Duration(0)
			if !what.Wakes {
				wait = quietEnd(tx.At, to.Place, to.wish).Sub(tx.At)
			}
			to.send(tx.Tx, what, time.Now().Add(wait))
		}
	}, err
}

// Mail brings a letter. What was to be said long ago is not said any more.
func (b *Service) Mail(ctx context.Context, outside Outside, l Letter) error {
	if time.Now().After(l.Until) {
		return nil
	}
	who, err := people.Of(b.DB).PersonByID(ctx, l.PersonID)
	if errors.Is(err, farm.ErrNone) {
		return nil
	}
	if err != nil {
		return err
	}
	return outside.Mail(ctx, who.Email, l.Message)
}

// Push brings a message to a browser that still takes them.
func (b *Service) Push(ctx context.Context, outside Outside, p Ping) error {
	if time.Now().After(p.Until) {
		return nil
	}
	places, err := rows.Of(b.DB).PushPlaces(ctx, p.PersonID)
	if err != nil {
		return err
	}
	for _, place := range places {
		if place.Endpoint != p.Endpoint {
			continue
		}
		err := outside.Push(ctx, place, p.Message)
		if errors.Is(err, ErrGone) {
			return rows.Of(b.DB).DropPush(ctx, place.Endpoint)
		}
		return err
	}
	return nil // it was signed out meanwhile
}
