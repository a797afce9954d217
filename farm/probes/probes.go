// Package probes is instruments that send by themselves: their keys, the broker that has them, what they tell as it
// comes in, and how it went over time.
package probes

import (
	"context"
	"errors"
	"net/url"
	"slices"
	"strings"
	"time"

	"metrogon/farm"
	"metrogon/farm/journal"
	probesrows "metrogon/store/probes"
)

// Service holds the use cases.
type Service struct {
	*farm.Service
	intake  *intake
	senders senders
}

// New opens the room.
func New(on *farm.Service) *Service {
	b := &Service{Service: on}
	b.intake = newIntake(b.keep)
	return b
}

// Probe is an instrument that sends by itself.
type Probe struct {
	probesrows.Probe
	Name string
	Last *time.Time // it told something
	Late bool       // for longer than is usual
}

// lateAfter is after how long a probe that told something counts as silent.
const lateAfter = 30 * time.Minute

// All are the farm's probes, and its broker.
type All struct {
	Probes  []Probe
	Broker  probesrows.Broker // empty: none
	Without []probesrows.Instrument
}

// All lists them.
func (b *Service) All(ctx context.Context, m *farm.Member) (all All, err error) {
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		rows, err := probesrows.On(tx).Gauges(ctx, 0, tx.At, 0)
		if err != nil {
			return err
		}
		probes, err := probesrows.On(tx).Probes(ctx)
		if err != nil {
			return err
		}
		last, err := probesrows.On(tx).LastTold(ctx, tx.At.Add(-probesrows.Exact))
		if err != nil {
			return err
		}
		if all.Broker, err = probesrows.On(tx).Broker(ctx); err != nil && !errors.Is(err, farm.ErrNone) {
			return err
		}
		for _, i := range rows.Instruments {
			at := slices.IndexFunc(probes, func(p probesrows.Probe) bool { return p.InstrumentID == i.ID })
			if at < 0 {
				if i.UntilOn == nil {
					all.Without = append(all.Without, i)
				}
				continue
			}
			p := Probe{Probe: probes[at], Name: i.Name}
			for _, l := range last {
				if l.InstrumentID == i.ID {
					p.Last, p.Late = &l.At, tx.At.Sub(l.At) > lateAfter
				}
			}
			all.Probes = append(all.Probes, p)
		}
		return nil
	})
	return all, err
}

// find finds one of the farm's.
func find(ctx context.Context, tx *farm.Tx, id int64) (x probesrows.Instrument, err error) {
	rows, err := probesrows.On(tx).Gauges(ctx, 0, tx.At, 0)
	if err != nil {
		return x, err
	}
	i := slices.IndexFunc(rows.Instruments, func(o probesrows.Instrument) bool { return o.ID == id })
	if i < 0 {
		return x, farm.ErrNone
	}
	return rows.Instruments[i], nil
}

// Key gives an instrument a key under which it sends; it is shown once. Asked twice by one form it is made once, and
// the second answer has none.
func (b *Service) Key(
	ctx context.Context, req farm.Request, id int64,
) (secret string, done farm.Done, err error) {
	made, digest := farm.NewLink()
	done, err = b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		x, err := find(ctx, tx, id)
		if err != nil {
			return farm.Done{}, err
		}
		if err := probesrows.On(tx).SetProbeKey(ctx, id, digest, tx.At); err != nil {
			return farm.Done{}, err
		}
		secret = made
		return journal.Record(ctx, tx, journal.On(journal.Gauge, id), nil, "%s has a new key to send by.", x.Name)
	})
	return secret, done, err
}

// Topic says on which topic of the broker an instrument is heard; "" on none.
func (b *Service) Topic(ctx context.Context, req farm.Request, id int64, topic string) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		x, err := find(ctx, tx, id)
		if err != nil {
			return farm.Done{}, err
		}
		var p farm.Problems
		topic = p.Name("topic", "The topic", strings.TrimSpace(topic), 200, false)
		if strings.ContainsAny(topic, "#+") {
			p.Addf("topic", "One topic for one probe: without + and #.")
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		if err := probesrows.On(tx).SetProbeTopic(ctx, id, topic, tx.At); err != nil {
			return farm.Done{}, farm.Taken(err, "topic", "Another instrument is heard on that topic.")
		}
		if topic == "" {
			return journal.Record(ctx, tx, journal.On(journal.Gauge, id), nil, "%s is heard on no topic any more.", x.Name)
		}
		return journal.Record(ctx, tx, journal.On(journal.Gauge, id), nil, "%s is heard on %s.", x.Name, topic)
	})
}

// Drop ends that an instrument sends; what it told stays.
func (b *Service) Drop(ctx context.Context, req farm.Request, id int64) (farm.Done, error) {
	return b.Act(ctx, req, farm.Keeping, func(tx *farm.Tx) (farm.Done, error) {
		x, err := find(ctx, tx, id)
		if err != nil {
			return farm.Done{}, err
		}
		if err := probesrows.On(tx).DropProbe(ctx, id); err != nil {
			return farm.Done{}, err
		}
		return journal.Record(ctx, tx, journal.On(journal.Gauge, id), nil, "%s sends no more.", x.Name)
	})
}

// Age sums what is old; to be done once a day.
func (b *Service) Age(ctx context.Context) error {
	_, err := probesrows.Of(b.DB).Age(ctx, b.Now())
	return err
}

// Broker is from where a farm’s probes are heard.
type Broker = probesrows.Broker

// brokerSchemes are how a broker is reached.
var brokerSchemes = []string{"tcp", "mqtt", "ssl", "mqtts", "tls"}

// SaveBroker keeps from which broker the farm’s probes are heard; without an address it is forgotten. local allows
// those in this server’s own network.
func (b *Service) SaveBroker(ctx context.Context, req farm.Request, x Broker, local bool) (farm.Done, error) {
	x.URL = strings.TrimSpace(x.URL)
	at, err := url.Parse(x.URL)
	inward := err == nil && !local && at.Hostname() != "" && !farm.OutwardName(ctx, at.Hostname())
	return b.Act(ctx, req, farm.Owning, func(tx *farm.Tx) (farm.Done, error) {
		var p farm.Problems
		switch {
		case x.URL == "":
		case err != nil || at.Hostname() == "" || !slices.Contains(brokerSchemes, at.Scheme) || len(x.URL) > 300:
			p.Addf("broker", "A broker is named like mqtt://broker.example:1883.")
		case at.User != nil:
			p.Addf("broker", "Name and password go into their own fields.")
		case inward:
			p.Addf("broker", "Brokers in this server’s own network are not allowed here. Whoever runs it starts it with "+
				"METROGON_LOCAL_BROKERS=true.")
		}
		x.Username = p.Name("user", "The name", x.Username, 100, false)
		if len(x.Password) > 200 {
			p.Addf("password", "The password may have 200 characters.")
		}
		if err := p.Err(); err != nil {
			return farm.Done{}, err
		}
		if before, err := probesrows.On(tx).Broker(ctx); err == nil && x.Password == "" && before.URL == x.URL {
			x.Password = before.Password // it is never shown, and so comes back empty
		}
		if err := probesrows.On(tx).SaveBroker(ctx, x); err != nil {
			return farm.Done{}, err
		}
		if x.URL == "" {
			return farm.Done{Said: "No broker is listened to any more."}, nil
		}
		return farm.Done{Said: "Probes are heard from " + x.URL + "."}, nil
	})
}
