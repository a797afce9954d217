package outside_test

import (
	"context"
	"fmt"
	"log/slog"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/farm"
	"metrogon/farm/gauges"
	"metrogon/farm/people"
	"metrogon/farm/probes"
	"metrogon/farm/services"
	"metrogon/formats/senml"
	"metrogon/outside"
	"metrogon/standin/probe"
	probesrows "metrogon/store/probes"
	"metrogon/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// broker is Debian's mosquitto on loopback, which keeps what it holds over a restart.
type broker struct {
	*testing.T
	port   int
	config string
	run    *exec.Cmd
}

func newBroker(t *testing.T) *broker {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	b := &broker{T: t, port: l.Addr().(*net.TCPAddr).Port}
	require.NoError(t, l.Close())
	dir := t.TempDir()
	require.NoError(t, os.Chmod(dir, 0o777))
	b.config = filepath.Join(dir, "mosquitto.conf")
	require.NoError(t, os.WriteFile(b.config, fmt.Appendf(nil,
		"listener %d 127.0.0.1\nallow_anonymous true\npersistence true\npersistence_location %s/\nautosave_interval 1\n"+
			"autosave_on_changes true\nuser root\n", b.port, dir), 0o644))
	b.start()
	t.Cleanup(b.kill)
	return b
}

func (b *broker) start() {
	b.run = exec.Command("/usr/sbin/mosquitto", "-c", b.config)
	require.NoError(b, b.run.Start())
	require.Eventually(b, func() bool {
		c, err := net.Dial("tcp", fmt.Sprintf("127.0.0.1:%d", b.port))
		if err == nil {
			c.Close()
		}
		return err == nil
	}, 10*time.Second, 20*time.Millisecond)
}

func (b *broker) kill() {
	_ = b.run.Process.Kill()
	_ = b.run.Wait()
}

func (b *broker) url() string { return fmt.Sprintf("tcp://127.0.0.1:%d", b.port) }

// What probes publish is kept once, though the broker and the one who listens are killed in between; what nobody told
// is a gap.
func TestABrokerAndItsListenerAreKilled(t *testing.T) {
	db := storetest.Open(t, nil)
	now := time.Date(2027, 4, 14, 12, 0, 0, 0, time.UTC)
	all := services.New(db, func() time.Time { return now })
	owner, err := all.People.SetUp(t.Context(), people.NewFarm{
		Farm: "Wickfold", Zone: "UTC", Name: "Anna", Email: "anna@wickfold.example", Password: demo.Password,
	}, false)
	require.NoError(t, err)
	m, err := all.People.Member(t.Context(), owner)
	require.NoError(t, err)
	_, err = all.Gauges.Save(
		t.Context(), farm.NewRequest(m), gauges.Instrument{Name: "Stick", Thermo: true, Hygro: true}, now,
	)
	require.NoError(t, err)
	list, err := all.Gauges.All(t.Context(), m)
	require.NoError(t, err)
	id := list.Gauges[0].ID
	b := newBroker(t)
	_, err = all.Probes.Topic(t.Context(), farm.NewRequest(m), id, "shed/stick")
	require.NoError(t, err)
	_, err = all.Probes.SaveBroker(t.Context(), farm.NewRequest(m), probes.Broker{URL: b.url()}, false)
	require.ErrorContains(t, err, "own network")
	_, err = all.Probes.SaveBroker(t.Context(), farm.NewRequest(m), probes.Broker{URL: b.url()}, true)
	require.NoError(t, err)

	listen := func() (stop func()) {
		ctx, cancel := context.WithCancel(t.Context())
		done := make(chan struct{})
		go func() {
			defer close(done)
			(&outside.Brokers{
				Probes: all.Probes, Local: true, Log: slog.New(slog.DiscardHandler), Every: 50 * time.Millisecond,
			}).Work(ctx)
		}()
		return func() { cancel(); <-done }
	}
	minutes := func() (n int, at []int) {
		require.NoError(t, all.Read(t.Context(), m, func(tx *farm.Tx) error {
			points, err := probesrows.On(tx).Points(t.Context(), []int64{id}, now.Add(-time.Hour), now, time.Minute)
			for _, p := range points {
				n, at = n+p.Temps, append(at, int(p.At.Sub(now.Add(-time.Hour)).Minutes()))
			}
			return err
		}))
		return n, at
	}
	publish := func(from, to int) {
		p, err := probe.Dial(b.url(), "shed/stick")
		require.NoError(t, err)
		defer p.Close()
		for i := from; i < to; i++ {
			at, c := float64(now.Add(time.Duration(i-60)*time.Minute).Unix()), 37.5
			pack := []senml.Record{{Name: "t", Unit: "Cel", Value: &c, Time: &at}}
			require.NoError(t, p.Send(t.Context(), pack))
			require.NoError(t, p.Send(t.Context(), pack), "and again")
		}
	}
	has := func(want int) {
		t.Helper()
		require.Eventually(t, func() bool { n, _ := minutes(); return n >= want }, 20*time.Second, 20*time.Millisecond)
		n, _ := minutes()
		assert.Equal(t, want, n)
	}
	stop := listen()
	require.Eventually(t, func() bool { // it may subscribe only after the first was published
		publish(0, 1)
		n, _ := minutes()
		return n == 1
	}, 20*time.Second, 100*time.Millisecond)
	publish(1, 10)
	has(10)
	stop()
	publish(10, 20) // the broker holds them meanwhile
	n, _ := minutes()
	assert.Equal(t, 10, n)
	stop = listen()
	has(20)
	b.kill()
	b.start()
	publish(30, 40) // the probe was silent for ten minutes
	has(30)
	stop()
	_, at := minutes()
	assert.Equal(t, 19, at[19])
	assert.Equal(t, 30, at[20], "a gap stays a gap")
}
