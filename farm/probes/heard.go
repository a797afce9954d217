package probes

import (
	"context"
	"crypto/rand"

	"metrogon/store/people"
	rows "metrogon/store/probes"
)

// Listened is a farm’s broker with the topics that are heard on it.
type Listened struct {
	Broker
	By map[string]rows.Sender // by topic
}

// hears tells the one who listens to brokers from other processes.
const hears = 738

// ListenAlone runs work while no other process listens to brokers; its context ends once that is not sure any more.
func (b *Service) ListenAlone(ctx context.Context, work func(context.Context) error) (did bool, err error) {
	return rows.Of(b.DB).Alone(ctx, hears, work)
}

// Listens lists the brokers of all farms.
func (b *Service) Listens(ctx context.Context) (all []Listened, err error) {
	brokers, heard, err := rows.Of(b.DB).Brokers(ctx)
	if err != nil {
		return nil, err
	}
	for _, x := range brokers {
		l := Listened{x, map[string]rows.Sender{}}
		for _, h := range heard {
			if h.FarmID == x.FarmID {
				l.By[h.Topic] = h.Sender
			}
		}
		all = append(all, l)
	}
	return all, nil
}

// Hear keeps what came on a topic, and returns once it is kept.
func (b *Service) Hear(ctx context.Context, from rows.Sender, all []Told) error {
	return b.take(ctx, from, all)
}

// ListenerName is by what brokers know this server, once and for good.
func (b *Service) ListenerName(ctx context.Context) (string, error) {
	name, err := people.Of(b.DB).Secret(ctx, "listener", []byte("metrogon-"+rand.Text()[:10]))
	return string(name), err
}
