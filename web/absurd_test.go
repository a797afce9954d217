package web

import (
	"io"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
)

func TestAbsurdInputNeverBreaksAPage(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 1)
	v := s.signedIn(demo.Email, demo.Password)
	batch := v.find("/batches", `href="(/batches/\d+)"`)
	clutch := v.find("/clutches", `href="(/clutches/\d+)"`)
	forms := map[string][]string{
		"/eggs": {
			"pen", "date", "eggs", "reason-crack", "hen", "washing", "wash_with", "place", "mass", "length", "breadth",
			"note",
		}, "/eggs/out": {"codes", "pen", "date", "eggs", "why", "who", "price"},
		"/books/lists/collections": {"text", "column-0"},
		"/set": {
			"species", "setter", "hatcher", "set_at", "temp", "take-1-2027-04-13", "take-x-y", "take-1-9999-99-99",
			"unrested", "young", "certainty", "order", "pens", "egg-1-2027-04-13",
		},
		"/set/answer": {
			"species", "setter", "hatcher", "set_at", "temp", "take-1-2027-04-13", "young", "certainty", "order",
			"pens", "propose", "open",
		},
		"/pens/new": {"name", "species", "breed", "females", "males", "from_on", "until_on", "bantam"}, "/pens/1": {
			"name", "species", "females", "from_on",
		},
		"/birds/new": {
			"name", "mark", "species", "breed", "sex", "hatched_on", "origin", "weight", "shell", "note", "sire", "dam", "batch",
		}, "/birds/6": {"name", "sex", "species", "sire", "dam", "weight"}, "/birds/2/leave": {"on", "gone"},
		"/pens/1/birds": {"bird", "bird_name", "bird_sex", "on", "how"}, "/tests": {"pen", "eggs", "why", "again"},
		"/tests/1/batch": {"batch"}, "/tests/1/end": {"decision"}, "/tests/thresholds": {"sell_pct", "swap_pct"},
		"/machines/new":       {"name", "kind", "counter_from", "counter_started_at", "setting-chicken", "until_on"},
		"/promises/new":       {"who", "what", "species", "count", "from_on", "to_on", "sure_pct", "price", "pens", "note"},
		"/promises/1":         {"who", "what", "species", "count", "from_on", "to_on", "sure_pct"},
		"/promises/1/deliver": {"delivered", "end"}, "/board/away": {"from_on", "to_on", "actions", "why"},
		"/board/closed": {"machine", "from_on", "to_on", "why"}, "/board/brooders": {"id", "name", "places"},
		"/board/back": {"line", "option"}, "/planned/1/move": {"set_on", "setter", "hatcher", "eggs", "pen-1", "pen-x"},
		"/planned/2/stays": {"stays"}, "/plan": {"seconds"}, "/plan/if": {"kind", "n", "pen", "from_on", "to_on"},
		"/plan/1/accept": {"which", "some"}, "/plan/1/forbid": {"no"}, batch + "/hatcher": {"hatcher"},
		"/watch/3/tap": {
			"kind", "batch", "pen", "trial", "n", "minutes", "why", "place", "colour", "sex", "band", "weight", "signs", "died",
		}, batch + "/shut": {"hatcher", "when", "basket-1", "pipped-1", "pipped-x"}, batch + "/lockdown/liner": {"is"},
		"/settings/units": {"temperature", "clock", "count_from"}, "/settings/farm": {
			"farm", "zone", "chore_at", "warm_hours", "rest_hours", "altitude", "out",
		},
		"/eggs/line": {"line"}, "/eggs/store": {"basket", "place"}, "/places/new": {"name", "temp", "rh"},
		"/places/1": {"name", "temp", "rh", "until_on"}, "/places/1/tilted": {"back"},
		"/parcels": {"supplier", "ordered", "ordered_on", "note", "expected_on", "setter"}, "/parcels/2": {
			"sent", "broken", "loose", "displaced", "at", "laid_on", "rest", "place", "note",
		},
		"/kinds/duck": {
			"school", "hand_turns", "washing", "mistings", "cool_min", "hatch_days", "candle_days", "temperature_c",
			"humidity_set_pct",
		}, "/kinds/leopard-gecko": {"temperature_c", "clutch"}, "/kinds": {"like", "name"},
		"/clutches/new": {
			"dam", "sired", "good", "slugs", "laid_to", "laid_from", "stuck", "mass", "permit", "box", "machine", "box_name",
			"box_kind", "substrate", "dry", "ratio", "kpa", "water", "cols", "rows", "temp", "night", "night_from", "night_h",
		}, clutch + "/look": {"egg", "sign", "take_out", "when"}, clutch + "/pip": {"egg", "when"}, clutch + "/out": {"egg"},
		clutch + "/opened": {"egg", "stage", "cause"}, clutch + "/mass": {"eggs", "mass", "when"}, clutch + "/young": {
			"young", "sex", "band", "weight", "shed_on", "fed_on", "left", "died", "note",
		}, clutch + "/left": {"left", "when"}, clutch + "/done": {"kind", "day"}, clutch + "/temp": {
			"temp", "from", "until", "night", "night_from", "night_h", "all",
		}, clutch + "/plan": {"now_c", "later_c", "plan_until"},
		"/boxes/5/weighed": {"mass", "gave", "anew", "when", "clutch"},
		"/boxes/5/aired":   {"mould", "clutch"}, "/boxes/5/moved": {"machine", "clutch"},
		"/power": {"from", "to", "room", "machine", "box-1"}, "/power/1/back": {"when"},
		"/power/1/reading": {"machine", "egg_c", "when"}, "/brooders/in": {"batch", "brooder", "on", "young-1", "young-x"},
		"/brooders/buy": {"species", "heads", "age", "brooder"}, "/brooders/1/heat": {"temp"},
		"/broods/1/leave": {"heads", "why", "cause", "buyer", "price", "pen", "when"},
		"/broods/1/move":  {"heads", "brooder", "place"}, "/supplies": {"says", "before", "species"},
		"/supplies/1/drop": {"back"}, batch + "/at-hand": {"before"}, batch + "/next": {"says", "own"},
		batch + "/next-done": {"next"}, "/next/1/end": {"back"}, batch + "/opened": {"egg", "stage", "found", "when"},
		"/instruments": {"name", "machine", "spot", "thermo", "hygro"}, "/machines/1/read": {
			"instrument", "gauge_temp", "gauge_rh", "wet", "display", "display_rh", "when",
		}, "/instruments/1/check": {"how", "of", "shown", "truth", "temp", "other", "by"},
		"/instruments/1/topic": {"topic"}, "/instruments/1/lies": {"machine", "spot", "when"},
		"/instruments/broker":   {"broker", "user", "password"},
		"/instruments/1/logger": {"text", "do"}, "/instruments/1/forget": {"forget_from", "forget_to"},
		"/alarms": {"machine", "phase", "what", "bound", "delay", "wakes"}, "/found/1": {"said", "machine"},
		"/alarms/try": {"machine", "phase", "what", "bound", "delay"}, "/alarms/1": {"what", "bound", "delay"},
		"/nest":             {"pen", "eggs", "from_days", "to_days", "setter", "hatcher"},
		batch + "/clock":    {"from_days", "to_days"},
		"/machines/1/ready": {"step"}, "/machines/1/air": {"temp", "rh"}, "/machines/1/changed": {"what", "now"},
		"/machines/1/looked": {"shows"}, "/machines/1/turns": {"back"}, "/machines/6/dummies": {"back"},
		"/machines/6/swap": {"batch", "n"}, batch + "/way": {
			"school", "hand_turns", "mistings", "cool_min", "late_mist",
		},
		"/machines/1/water": {"water", "poured"}, "/machines/1/note": {"was", "minutes", "worst", "says", "when"},
		batch + "/note": {"was", "says"}, batch + "/move": {
			"which", "pen", "tray", "n", "codes", "from", "to", "join", "hatcher", "why", "when",
		}, batch + "/deal": {"from", "machine", "when", "why"}, "/machines/1/trays": {
			"tray", "tray_name", "tray_rows", "tray_columns", "warm", "cool",
		},
		batch + "/trays": {"egg", "code", "tray", "place"}, batch + "/trays/by-pen": {"back"}, batch +
			"/care": {"kind"}, batch + "/open": {"egg", "stage"}, batch +
			"/water": {"tray", "code", "eggs", "mass", "depth", "cell", "rh", "temp", "at", "sure"}, batch +
			"/scale": {"by", "seen", "next", "odd", "tare", "rh", "temp"}, "/settings/invitations": {
			"name", "role",
		}, "/settings/people/2/role": {"role"}, "/settings/devices": {"device"}, "/settings/invitations/1/withdraw": {"key"},
		"/eggs/gathered/1": {"pen", "date", "eggs", "hen", "note"}, "/journal/1/back": {"shown"},
		"/start/pens": {"name-0", "species-0", "females-0"}, "/start/machine": {"name", "kind", "setting-chicken"},
		"/start/eggs": {"date", "eggs-1"}, "/join/nowhere": {"name", "email", "password", "as"},
		"/password/nowhere": {"password"}, "/farms/2": {"key"}, "/list/nowhere/tick": {"item", "is"},
		"/handover": {"name", "from_on", "to_on", "call", "note"}, "/handover/1/withdraw": {"key"},
		"/reminders/calendar": {"scope", "machine", "alarm", "fresh"},
		"/reminders":          {"kind", "quiet_from", "quiet_to", "late"},
		"/reminders/device":   {"endpoint", "p256dh", "auth"},
		"/account/forget":     {"email"}, "/farms/999999/forget": {"farm"}, "/books/restore": {"file"},
		"/books/lists/batches": {"text", "machine", "stored", "column-0"}, "/books/lists/pens": {"text"},
		"/books/lists/machines":   {"text"},
		"/reminders/calendar/end": {"key"},
		"/undo":                   {"entry", "back"}, batch + "/candle": {"call", "egg"}, batch + "/end": {"end", "egg"},
		batch + "/hatched":  {"hatched-1", "hatched-x"},
		batch + "/lockdown": {"hatcher"}, batch +
			"/done": {"kind", "day"}, "/sign-in": {"email", "password"}, "/set-up": {
			"farm", "zone", "name", "email", "password",
		},
	}
	usual := map[string]string{"pen": "1", "date": "2027-04-13", "eggs": "3", "species": "chicken", "setter": "2",
		"hatcher": "4", "set_at": "2027-04-14T10:00", "take-1-2027-04-13": "2",
		"name": "N", "from_on": "2027-01-01", "kind": "hatcher", "setting-chicken": "5", "farm": "F", "zone": "UTC",
		"chore_at": "07:00", "call": "live", "end": "removed bad",
		"supplier": "9", "ordered": "12", "ordered_on": "2027-04-10", "sent": "12", "at": "2027-04-14T10:00",
		"laid_on": "2027-04-11", "rest": "24", "school": "wet", "hand_turns": "5", "washing": "unwashed",
		"mistings": "0", "cool_min": "0", "tray_name": "T", "tray_rows": "2", "tray_columns": "3", "warm_hours": "24",
		"rest_hours": "24", "line": "barred 2", "what": "a sponge", "from": "40", "to": "50", "minutes": "30",
		"next": "0"}
	absurd := []string{ // one of each sort
		"-1", "1000000000", "99999999999999999999", "9999-12-31", "9999-12-31T00:00", "0000-00-00",
		strings.Repeat("n", 1<<16), "\xff\xfe\xfd", "a\x00b", "<script>alert('1')</script>", "NaN", "",
	}
	var all sync.WaitGroup
	hands := make(chan struct{}, 4)
	for path, fields := range forms {
		hands <- struct{}{}
		all.Go(func() {
			defer func() { <-hands }()
			for _, field := range fields {
				for _, value := range absurd {
					form := url.Values{}
					for _, f := range fields {
						if u, ok := usual[f]; ok {
							form.Set(f, u)
						}
					}
					form.Set(field, value)
					r := v.post(path, form)
					if !assert.Less(t, r.status, 500, "%s with %s = %.30q", path, field, value) {
						_, wrote, _ := strings.Cut(s.log.String(), "level=ERROR")
						t.Logf("%.3000s", wrote)
						return
					}
					assert.NotContains(t, r.body, "<script>alert", "%s %s", path, field)
				}
			}
		})
	}
	all.Wait()
	for _, path := range []string{"/batches?page=-5", "/batches?page=99999999999", "/board?on=9999-12-31",
		"/board?on=x", "/set?kind=phoenix", "/eggs?pen=x", batch + "?do=x", "/batches/0", "/pens/99999999999999999999",
		"/nowhere",
		"/eggs/store?pen=x", "/eggs/store?pen=99999999999999999999", "/eggs/waiting?kind=phoenix",
		"/eggs/waiting?kind=leopard-gecko", "/kinds/phoenix", "/kinds/ball-python", "/places/0",
		"/practice?set=-1&a=%00%ff", "/practice/clutch?set=-1&a=%00%ffzz", "/clutches?page=-9", "/clutches/0",
		"/clutches/water?dry=x&ratio=1e99&kpa=NaN", "/boxes/0", "/clutches/999999", "/practice?set=99999999999999&a=zzzz",
		"/eggs?pen=-1", batch + "/card.pdf?size=a0",
		"/pens/new?supplier=x", "/journal?who=x&from=x&to=9999-12-31&words=%00&before=-1&what=x", "/start?kind=x"} {
		assert.Less(t, v.get(path).status, 500, path)
	}
	assert.Less(t, v.typed("/pens/new", "name="+strings.Repeat("n", 1<<20)).status, 500)
	r, err := http.NewRequestWithContext(t.Context(), "POST", s.URL+"/eggs", io.LimitReader(neverending('x'), 9<<20))
	require.NoError(t, err)
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	assert.Equal(t, http.StatusRequestEntityTooLarge, v.send(r).status)
}

type neverending byte

func (b neverending) Read(p []byte) (int, error) {
	for i := range p {
		p[i] = byte(b)
	}
	return len(p), nil
}
