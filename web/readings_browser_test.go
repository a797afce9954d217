package web

import (
	"bytes"
	"fmt"
	"net/http"
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/incubator"
	"metrogon/demo"
	"metrogon/farm"
	"metrogon/farm/gauges"
	"metrogon/formats/senml"
	"metrogon/standin/probe"
	"metrogon/web/browser"
)

// send brings a body to where probes send, and gives the status.
func (s *site) send(key, kind string, body []byte) int {
	r, err := http.NewRequestWithContext(s.Context(), http.MethodPost, s.URL+"/probe", bytes.NewReader(body))
	require.NoError(s, err)
	r.Header.Set("Content-Type", kind)
	r.Header.Set("Authorization", "Bearer "+key)
	answer, err := http.DefaultClient.Do(r)
	require.NoError(s, err)
	defer answer.Body.Close()
	return answer.StatusCode
}

// probe makes an instrument in a machine that sends, and returns its key.
func (s *site) probe(name string, machine int64) string {
	m, err := s.books.People.Owner(s.Context(), demo.Name)
	require.NoError(s, err)
	_, err = s.books.Gauges.Save(s.Context(), farm.NewRequest(m), gauges.Instrument{
		Name: name, Thermo: true, Hygro: true, MachineID: &machine,
	}, time.Time{})
	require.NoError(s, err)
	id := int64(s.number(`select id from instruments where name = $1`, name))
	key, _, err := s.books.Probes.Key(s.Context(), farm.NewRequest(m), id)
	require.NoError(s, err)
	return key
}

// Probes send JSON or CBOR under their key; what cannot be is said in a line, and nothing opens without a key.
func TestProbesSend(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 0)
	key := s.probe("Stick", 1)
	at := float64(noon.Unix())
	pack := []senml.Record{
		{BaseName: "stick:", BaseTime: &at, Name: "t", Unit: "K", Value: ptr(310.65)},
		{Name: "h", Unit: "%RH", Value: ptr(52.)},
		{Name: "t", Unit: "Cel", Value: ptr(37.4), Time: ptr(-60.)},
	}
	inCBOR, err := senml.WriteCBOR(pack)
	require.NoError(t, err)
	inJSON, err := senml.Write(pack)
	require.NoError(t, err)
	assert.Equal(t, http.StatusNoContent, s.send(key, senml.MediaTypeCBOR, inCBOR))
	assert.Equal(t, http.StatusNoContent, s.send(key, senml.MediaType, inJSON), "the same once more")
	assert.Equal(t, 2., s.number(`select count(*) from samples where at > $1::timestamptz - interval '2 min'
		and instrument_id = (select id from instruments where name = 'Stick')`, noon))
	assert.InDelta(t, 37.5, s.number(`select temp_c::float8 from samples where at = $1
		and instrument_id = (select id from instruments where name = 'Stick')`, noon), 1e-4)
	for _, c := range []struct {
		key, kind, body string
		status          int
	}{
		{"", senml.MediaType, string(inJSON), http.StatusUnauthorized},
		{"wrong", senml.MediaType, string(inJSON), http.StatusUnauthorized},
		{key, senml.MediaType, `{"a":1}`, http.StatusBadRequest}, {key, senml.MediaTypeCBOR, "[]", http.StatusBadRequest},
		{key, senml.MediaType, `[{"n":"t","u":"lx","v":3}]`, http.StatusBadRequest},
		{key, senml.MediaType, `[{"n":"t","u":"Cel","v":3000}]`, http.StatusUnprocessableEntity},
		{key, senml.MediaType, `[{"n":"t","u":"Cel","v":37,"t":4102444800}]`, http.StatusUnprocessableEntity},
		{key, senml.MediaType, string(bytes.Repeat([]byte("["), 70_000)), http.StatusRequestEntityTooLarge},
	} {
		assert.Equal(t, c.status, s.send(c.key, c.kind, []byte(c.body)), "%.40s", c.body)
	}
	sim := probe.Probe{
		Run:   incubator.Run{Box: incubator.Tabletop, SetC: 37.5, Room: incubator.Weather{TempC: 18, RHPct: 50}},
		Every: time.Minute,
		Began: noon.Add(-3 * time.Hour), Now: func() time.Time { return noon.Add(-time.Hour) }, Speed: 1e9,
	}
	require.NoError(t, sim.Work(t.Context(), probe.HTTP{To: s.URL, Key: key, CBOR: true}, 150*time.Minute))
	assert.Equal(t, 152., s.number(`select count(*) from samples
		where instrument_id = (select id from instruments where name = 'Stick')`), "what the stand-in sent too")
}

func ptr(v float64) *float64 { return &v }

// A server that is away for a while loses nothing of what the stand-in measured, and one that refuses is believed.
func TestTheStandInTriesAgain(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 0)
	key := s.probe("Stick", 2)
	now := noon.Add(-time.Hour)
	sim := probe.Probe{
		Run:   incubator.Run{Box: incubator.Tabletop, SetC: 37.5, Room: incubator.Weather{TempC: 18, RHPct: 50}},
		Every: time.Minute, Began: noon.Add(-time.Hour), Now: func() time.Time { return now }, Speed: 1e9,
	}
	told := 0
	sim.Told = func(time.Time, incubator.Reading) {
		told++
		s.cut.Store(told > 10 && told < 40)
	}
	require.NoError(t, sim.Work(t.Context(), probe.HTTP{To: s.URL, Key: key}, time.Hour))
	assert.Equal(t, 60., s.number(`select count(*) from samples
		where instrument_id = (select id from instruments where name = 'Stick')`))
	told = 40
	assert.ErrorAs(t, sim.Work(t.Context(), probe.HTTP{To: s.URL, Key: "wrong"}, time.Hour), &probe.Refused{})
}

// The chart of a machine is drawn, and grows while it is open.
func TestAChartIsLive(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 0)
	key := s.probe("Stick", 2)
	tell := func(ago time.Duration, c float64) {
		at := float64(noon.Add(-ago).Unix())
		body, err := senml.Write([]senml.Record{{Unit: "Cel", Value: &c, Time: &at}})
		require.NoError(t, err)
		require.Equal(t, http.StatusNoContent, s.send(key, senml.MediaType, body))
	}
	for i := range 30 {
		tell(time.Duration(60-i)*time.Minute, 37.5)
	}
	h := s.hand(390, 844)
	h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
	h.open("/machines/2/readings?span=6h")
	h.until(`document.querySelector("[data-drawn]")?.dataset.drawn === "30"`, "it was not drawn")
	h.until(`document.querySelector(".course canvas").width > 200`, "it has no size")
	tell(0, 38.1)
	h.until(`document.querySelector("[data-drawn]")?.dataset.drawn >= "31"`, "it did not grow")
	h.open("/machines/2/readings?span=6h")
	h.reads("38.1 °C", "Stick")
}

// An alarm rings, is seen on Today and says no more; a lid that was ajar, as the readings look, is answered in a tap.
func TestAnAlarmIsRaisedSeenAndSilenced(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 0)
	key := s.probe("Stick", 2)
	h := s.hand(390, 844)
	h.do(browser.SignIn(s.URL, demo.Email, demo.Password))
	h.open("/alarms")
	h.run(`document.querySelector("select[name=what]").value = "cool"`)
	h.fill("bound", "36.4")
	h.fill("delay", "20")
	h.press("Try it on the last month")
	h.settle()
	h.reads("Another alarm", "of readings of the last month")
	h.press("Keep it")
	h.settle()
	h.reads("cooler than 36.4 °C, for 20 minutes")
	sim := probe.Probe{
		Run: incubator.Run{
			Box: incubator.Tabletop, SetC: 37.5, Room: incubator.Weather{TempC: 18, RHPct: 50}, Seed: 3,
			Load: incubator.Load{Eggs: 12, EggG: 58, HatchDay: 21},
			Causes: []incubator.Cause{
				{Kind: incubator.Ajar, From: 5 * time.Hour, To: 6 * time.Hour},
				{Kind: incubator.PowerCut, From: 11*time.Hour + 20*time.Minute, To: 13 * time.Hour},
			},
		}, Every: time.Minute, Began: noon.Add(-12 * time.Hour), Now: func() time.Time { return noon }, Speed: 1e9,
	}
	require.NoError(t, sim.Work(t.Context(), probe.HTTP{To: s.URL, Key: key}, 12*time.Hour))
	require.NoError(t, s.books.Alarms.SearchNow(t.Context()))
	h.open("/")
	h.reads("rings", "too cool for", "Was the lid of")
	h.run(`[...document.querySelectorAll("form[action^='/rings/'] button")][0].click()`)
	h.settle()
	h.until(`!document.querySelector("form[action^='/rings/']")`, "it is still asked")
	h.run(`[...document.querySelectorAll("form[action^='/found/'] button")].find(b => /ajar/.test(b.textContent)).click()`)
	h.settle()
	assert.Equal(t, 1., s.number(`select count(*) from lid_openings where why like '%readings' and machine_id = 2`))
	h.open("/alarms")
	h.reads("rings", "seen", "by Ida Fennimoor")
	found := int(s.number(`select id from incidents where machine_id = 2 and kind = 'power'`))
	h.open(fmt.Sprintf("/power?found=%d", found))
	h.reads("As the readings show it")
}

// A page that is only kept for where there is no signal leaves what is to be said to the one that is opened.
func TestAKeptPageEatsNoMessage(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 0)
	v := s.signedIn(demo.Email, demo.Password)
	v.post("/instruments", url.Values{"name": {"Blue dial"}, "thermo": {"yes"}})
	r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, s.URL+"/eggs", nil)
	require.NoError(t, err)
	r.Header.Set("Metrogon-Keep", "yes")
	assert.NotContains(t, v.send(r).body, "Instrument Blue dial")
	assert.Contains(t, v.get("/").body, "Instrument Blue dial")
}
