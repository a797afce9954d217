package main

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"metrogon/core/incubator"
	"metrogon/standin/probe"
)

type probeCmd struct {
	To       string        `default:"http://127.0.0.1:8480" help:"The server that the readings go to."`
	Key      string        `help:"The probe's key, as the page of instruments shows it once."`
	CBOR     bool          `name:"cbor" help:"Send CBOR instead of JSON."`
	Broker   string        `help:"Publish on this MQTT broker instead, like tcp://127.0.0.1:1883."`
	Topic    string        `default:"metrogon/probe" help:"The topic on the broker."`
	Box      string        `enum:"table,cabinet" default:"table" help:"The machine: table or cabinet."`
	Eggs     int           `default:"24" help:"How many hens' eggs lie in it."`
	RoomC    float64       `default:"19" help:"The room's temperature, in °C."`
	Scenario string        `default:"quiet" help:"What happens from now on: ${scenarios}."`
	Seed     uint64        `default:"1" help:"The same seed tells the same."`
	Every    time.Duration `default:"1m" help:"Between readings."`
	Past     time.Duration `default:"0" help:"How far back it begins; that is sent at once."`
	Long     time.Duration `default:"24h" help:"How long it goes on."`
	Speed    float64       `default:"1" help:"${help_speed}"`
}

// Run is a simulated probe in a simulated machine.
func (p *probeCmd) Run(ctx context.Context, c *cli) error {
	causes, ok := incubator.Scenario(p.Scenario, p.Past, p.Seed)
	if !ok {
		return wrong{fmt.Errorf("--scenario: %q is none; it may be %s", p.Scenario, strings.Join(incubator.Scenarios, ", "))}
	}
	if p.Every < incubator.Finest || p.Speed <= 0 || p.Past < 0 || p.Long < 0 || p.Eggs < 0 {
		return wrong{errors.New("--every is ten seconds or more, --speed more than nothing, the others not less")}
	}
	if p.Key == "" && p.Broker == "" {
		return wrong{errors.New("--key is missing: make one on the page of instruments, or name a --broker")}
	}
	run := incubator.Run{
		Box: incubator.Tabletop, SetC: 37.5, Seed: p.Seed, Causes: causes, Fill: 24 * time.Hour,
		Room: incubator.Weather{TempC: p.RoomC, RHPct: 50}, Load: incubator.Load{Eggs: p.Eggs, EggG: 58, HatchDay: 21},
	}
	if p.Box == "cabinet" {
		run.Box = incubator.Cabinet
	}
	var to probe.Sender = probe.HTTP{To: p.To, Key: p.Key, CBOR: p.CBOR}
	if p.Broker != "" {
		broker, err := probe.Dial(p.Broker, p.Topic)
		if err != nil {
			return err
		}
		defer broker.Close()
		to = broker
	}
	now := c.Now.clock()
	sim := probe.Probe{
		Run: run, Began: now().Add(-p.Past), Every: p.Every, Speed: p.Speed, Now: now,
		Told: func(at time.Time, x incubator.Reading) {
			fmt.Printf("%s %.2f °C %.1f %%\n", at.Format(time.TimeOnly), x.TempC, x.RHPct)
		},
	}
	return sim.Work(ctx, to, p.Past+p.Long)
}
