// Package probe is a simulated probe in a simulated machine: what it shows goes out as SenML, over HTTP or to a broker.
package probe

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"

	mqtt "github.com/eclipse/paho.mqtt.golang"

	"metrogon/core/incubator"
	"metrogon/formats/senml"
)

// Sender brings a pack of readings to where they are taken.
type Sender interface {
	Send(ctx context.Context, pack []senml.Record) error
}

// HTTP sends to a server under a probe’s key.
type HTTP struct {
	To, Key string
	CBOR    bool
}

// Send brings a pack there; an error is what the server answered, where it took nothing.
func (h HTTP) Send(ctx context.Context, pack []senml.Record) error {
	write, kind := senml.Write, senml.MediaType
	if h.CBOR {
		write, kind = senml.WriteCBOR, senml.MediaTypeCBOR
	}
	body, err := write(pack)
	if err != nil {
		return err
	}
	request, err := http.NewRequestWithContext(
		ctx, http.MethodPost, strings.TrimSuffix(h.To, "/")+"/probe", bytes.NewReader(body),
	)
	if err != nil {
		return err
	}
	request.Header.Set("Content-Type", kind)
	request.Header.Set("Authorization", "Bearer "+h.Key)
	answer, err := http.DefaultClient.Do(request)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	if answer.StatusCode == http.StatusNoContent {
		return nil
	}
	said, _ := io.ReadAll(io.LimitReader(answer.Body, 1000))
	err = fmt.Errorf("the server answers %s: %s", answer.Status, strings.TrimSpace(string(said)))
	if answer.StatusCode < 500 { // it would answer so again
		return Refused{err}
	}
	return err
}

// Refused is what was sent and will not be taken, however often.
type Refused struct{ error }

// Broker publishes on a topic of an MQTT broker; each pack is there once at least.
type Broker struct {
	Topic  string
	client mqtt.Client
}

// Dial connects to a broker, as tcp://127.0.0.1:1883.
func Dial(url, topic string) (*Broker, error) {
	o := mqtt.NewClientOptions().AddBroker(url).SetClientID("metrogon-probe-" + topic).SetConnectTimeout(5 * time.Second)
	b := &Broker{topic, mqtt.NewClient(o)}
	if t := b.client.Connect(); t.Wait() && t.Error() != nil {
		return nil, t.Error()
	}
	return b, nil
}

// Send publishes a pack and returns once the broker has it.
func (b *Broker) Send(ctx context.Context, pack []senml.Record) error {
	body, err := senml.Write(pack)
	if err != nil {
		return err
	}
	t := b.client.Publish(b.Topic, 1, false, body)
	select {
	case <-t.Done():
		return t.Error()
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Close ends the connection.
func (b *Broker) Close() { b.client.Disconnect(250) }

// Pack is a reading as a pack of its own.
func Pack(x incubator.Reading, began time.Time) []senml.Record {
	at := float64(began.Add(x.After).UnixMilli()) / 1000
	return []senml.Record{
		{BaseName: "probe:", BaseTime: &at, Name: "temperature", Unit: "Cel", Value: &x.TempC},
		{Name: "humidity", Unit: "%RH", Value: &x.RHPct},
	}
}

// Probe runs a machine and sends what it shows.
type Probe struct {
	Run   incubator.Run
	Began time.Time     // of the machine
	Every time.Duration // between readings
	Speed float64       // how fast the machine’s time goes, once what is past was sent
	Now   func() time.Time
	Told  func(at time.Time, x incubator.Reading)
}

// several is how many readings go in one pack, of the past or of what waits.
const several = 200

// Work sends until long is over or the context ends: what lies before now at once, the rest as it comes to be. What
// does not arrive waits, and goes out with what comes after it; what is refused, or still waits at the end, is the
// error.
func (p Probe) Work(ctx context.Context, to Sender, long time.Duration) (err error) {
	now := p.Now()
	var pile []senml.Record
	flush := func() {
		for len(pile) > 0 {
			n := min(len(pile), 2*several)
			if err = to.Send(ctx, pile[:n]); err != nil {
				return
			}
			pile = pile[n:]
		}
	}
	lost := func() bool { return errors.As(err, &Refused{}) || ctx.Err() != nil }
	p.Run.Readings(long, p.Every, func(x incubator.Reading) bool {
		at := p.Began.Add(x.After)
		pile = append(pile, Pack(x, p.Began)...)
		if at.Before(now) {
			if len(pile) >= 2*several {
				flush()
			}
			return !lost()
		}
		flush()
		if p.Told != nil {
			p.Told(at, x)
		}
		select {
		case <-ctx.Done():
			return false
		case <-time.After(time.Duration(float64(p.Every) / p.Speed)):
		}
		return !lost()
	})
	if !lost() {
		flush()
	}
	return err
}
