package outside

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net"
	"net/url"
	"slices"
	"sync/atomic"
	"time"

	mqtt "github.com/eclipse/paho.mqtt.golang"

	"metrogon/farm"
	"metrogon/farm/probes"
	"metrogon/formats/senml"
)

// Brokers listens to the MQTT brokers that farms name. Of many processes one listens; what comes is acknowledged once
// it is kept, so that what a broker held meanwhile is not lost, and what it sends twice counts once.
type Brokers struct {
	Probes *probes.Service
	Local  bool // brokers may be on this machine and in its own network
	Log    *slog.Logger
	Every  time.Duration // how often it is looked which brokers there are; 0: ten seconds
}

// Work listens until the context ends.
func (b *Brokers) Work(ctx context.Context) {
	for ctx.Err() == nil {
		if _, err := b.Probes.ListenAlone(ctx, b.listen); err != nil && ctx.Err() == nil {
			b.Log.Error("brokers", "err", err)
		}
		pause(ctx, b.every())
	}
}

func (b *Brokers) every() time.Duration { return cmp.Or(b.Every, 10*time.Second) }

func pause(ctx context.Context, long time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(long):
	}
}

// listen keeps a line to each broker, and looks now and then whether these are still the ones.
func (b *Brokers) listen(ctx context.Context) error {
	lines := map[int64]*line{}
	defer func() {
		for _, l := range lines {
			l.client.Disconnect(250)
		}
	}()
	name, err := b.Probes.ListenerName(ctx)
	if err != nil {
		return err
	}
	for ctx.Err() == nil {
		all, err := b.Probes.Listens(ctx)
		if err != nil {
			return err
		}
		for id, l := range lines {
			if !slices.ContainsFunc(all, l.same) {
				l.client.Disconnect(250)
				delete(lines, id)
			}
		}
		for _, x := range all {
			if lines[x.FarmID] == nil && len(x.By) > 0 {
				lines[x.FarmID] = b.open(ctx, x, fmt.Sprintf("%s-%d", name, x.FarmID))
			}
		}
		pause(ctx, b.every())
	}
	return nil
}

// line is a connection to a farm’s broker.
type line struct {
	probes.Listened
	client mqtt.Client
	since  atomic.Int64 // when it was connected, ns
}

func (l *line) same(x probes.Listened) bool { return x.Broker == l.Broker && maps.Equal(x.By, l.By) }

// heldBack is how long after connecting a broker may still send what it held: of that without a moment nobody knows
// when it was.
const heldBack = 3 * time.Second

func (b *Brokers) open(ctx context.Context, x probes.Listened, name string) *line {
	l := &line{Listened: x}
	o := mqtt.NewClientOptions().AddBroker(x.URL).SetClientID(name).
		SetUsername(x.Username).SetPassword(x.Password).SetCleanSession(false).SetOrderMatters(false).
		SetAutoAckDisabled(true).SetConnectRetry(true).SetConnectRetryInterval(5 * time.Second).
		SetMaxReconnectInterval(30 * time.Second).
		SetCustomOpenConnectionFn(func(at *url.URL, _ mqtt.ClientOptions) (net.Conn, error) {
			return dialBroker(at, b.Local)
		}).
		SetConnectionLostHandler(func(_ mqtt.Client, err error) {
			b.Log.Warn("broker", "farm", x.FarmID, "err", err)
		}).
		SetOnConnectHandler(func(c mqtt.Client) {
			l.since.Store(time.Now().UnixNano())
			topics := map[string]byte{}
			for topic := range x.By {
				topics[topic] = 1
			}
			c.SubscribeMultiple(topics, func(_ mqtt.Client, m mqtt.Message) { b.heard(ctx, l, m) })
		})
	l.client = mqtt.NewClient(o)
	l.client.Connect() // and again until it succeeds
	return l
}

// heard keeps a message, and acknowledges it then. What can never be kept is acknowledged too, or it would come for
// ever.
func (b *Brokers) heard(ctx context.Context, l *line, m mqtt.Message) {
	now := b.Probes.Now()
	from, ok := l.By[m.Topic()]
	pack, err := senml.Loose(m.Payload())
	if !ok || err != nil {
		b.drop(l, m, err)
		return
	}
	// Without a moment of its own a reading is of now: not one that the broker had held, or sends again.
	held := m.Retained() || m.Duplicate() || time.Since(time.Unix(0, l.since.Load())) < heldBack
	if held && !pack[len(pack)-1].Timed() {
		m.Ack()
		return
	}
	measured, err := senml.Measure(pack, now)
	if err != nil {
		b.drop(l, m, err)
		return
	}
	told := make([]probes.Told, len(measured))
	for i, x := range measured {
		told[i] = probes.Told(x)
	}
	for wait := time.Second; ctx.Err() == nil; wait = min(2*wait, time.Minute) {
		var wrong farm.Problems
		err := b.Probes.Hear(ctx, from, told)
		switch {
		case err == nil:
			m.Ack()
			return
		case errors.As(err, &wrong):
			b.drop(l, m, err)
			return
		}
		b.Log.Error("broker", "farm", l.FarmID, "err", err)
		pause(ctx, wait)
	}
}

func (b *Brokers) drop(l *line, m mqtt.Message, err error) {
	b.Log.Warn("broker", "farm", l.FarmID, "topic", m.Topic(), "err", err)
	m.Ack()
}
