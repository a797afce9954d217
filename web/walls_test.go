package web

import (
	"bytes"
	"cmp"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/farm"
	"metrogon/farm/people"
	"metrogon/farm/stock"
)

// What strangers may see.
var open = []string{"/sign-in", "/sign-out", "/set-up", "/assets/*", "/healthz", "/sw.js", "/manifest.webmanifest"}

func (s *site) routes() (all []string) {
	e, _, err := routes(s.books, Options{Sessions: s.db.Sessions()})
	require.NoError(s, err)
	for _, r := range e.Router().Routes() {
		if !slices.Contains(open, r.Path) {
			all = append(all, r.Method+" "+r.Path)
		}
	}
	require.Greater(s, len(all), 25, "the list of routes is not whole")
	return
}

// marks are words that only the demo farm's pages hold.
var marks = regexp.MustCompile(`Quillmarsh|Barred|Oat line|Hatch box|Chicken 27-|Fennimoor`)

func (s *site) eggsAndJournal() (n [3]int) {
	require.NoError(
		s,
		s.owner.Pool.QueryRow(
			s.Context(),
			`select (select count(*) from eggs where fate is null),
				(select count(*) from journal where farm_id = 1), (select count(*) from calls)`,
		).Scan(&n[0], &n[1], &n[2]),
	)
	return
}

// Whatever form comes back with an error, the address that it leaves in the bar leads somewhere when it is opened.
func TestEveryAddressInTheBarOpens(t *testing.T) {
	t.Parallel()
	v := newDemo(t, 1).signedIn(demo.Email, demo.Password)
	filled := strings.NewReplacer(":list", "away", ":step", "turner", ":what", "eggs", ":link", "none", ":id", "1")
	tried, all := 0, v.routes()
	for _, route := range all {
		method, path, _ := strings.Cut(route, " ")
		if method != http.MethodPost {
			continue
		}
		tried++
		r := v.get(filled.Replace(path))
		if !slices.Contains(all, http.MethodGet+" "+path) {
			assert.Equal(t, http.StatusSeeOther, r.status, path)
		}
		there := []int{http.StatusOK, http.StatusGone}
		if strings.Contains(path, ":") { // of some things the demo farm has no first
			there = append(there, http.StatusNotFound)
		}
		for led := 0; r.status == http.StatusSeeOther && led < 3; led++ {
			r = v.get(r.header.Get("Location"))
		}
		assert.Contains(t, there, r.status, path)
	}
	assert.Greater(t, tried, 100)
}

func TestEveryRouteIsBehindTheWalls(t *testing.T) {
	s := newDemo(t, 1)
	_, err := s.books.People.SetUp(
		t.Context(),
		people.NewFarm{
			Farm: "Elsewhere", Zone: "UTC", Name: "Eve", Email: "eve@elsewhere.example", Password: "a-long-password",
		},
		false,
	)
	require.NoError(t, err)
	stranger, neighbour, owner := s.visitor(), s.signedIn("eve@elsewhere.example", "a-long-password"), s.signedIn(
		demo.Email, demo.Password,
	)
	batch := strings.TrimPrefix(owner.find("/batches", `href="(/batches/\d+)"`), "/batches/")
	entry := owner.find("/batches/"+batch, `name="egg" value="(\d+)"`)
	var eggs []string
	for _, m := range regexp.MustCompile(`name="egg" value="(\d+)"`).FindAllStringSubmatch(
		owner.get("/batches/"+batch).body, 5,
	) {
		eggs = append(eggs, m[1])
	}
	var journal string
	require.NoError(t, s.owner.Pool.QueryRow(t.Context(), `select max(id)::text from journal`).Scan(&journal))
	before := s.eggsAndJournal()
	for _, route := range s.routes() {
		method, path, _ := strings.Cut(route, " ")
		for _, id := range []string{batch, "1", "999999999", "-1", "x", "99999999999999999999"} {
			at := strings.ReplaceAll(path, ":id", id)
			form := url.Values{"egg": eggs, "entry": {journal}, "call": {"clear"}, "take_out": {"yes"},
				"end": {"removed bad"}, "hatched-1": {"3"}, "step": {"clean"}, "tray": {"0"}, "basket": {"1", "2"},
				"sent": {"5"}, "line": {"a 1"}, "pen": {"1"}, "setter": {"1"},
				"eggs": {"2"}, "date": {"2027-04-13"}, "set_at": {"2027-04-14T10:00"}, "species": {"chicken"},
				"take-1-2027-04-13": {"2"}, "kind": {"pull"}, "day": {"22"}, "name": {"Stolen"}, "from_on": {
					"2027-01-01",
				}}
			ask := func(v *visitor) reply {
				if method == http.MethodPost {
					return v.post(at, form)
				}
				return v.get(at)
			}
			r := ask(stranger)
			if path == "/scale" || path == "/probe" { // it has a key of its own in place of a session
				assert.Equal(t, http.StatusUnauthorized, r.status)
				break
			}
			if path == "/farms/demo" { // makes the neighbour a farm of their own that says the same
				break
			}
			if strings.Contains(path, ":link") { // so has this, which nobody was given
				assert.Equal(t, http.StatusGone, r.status)
				break
			}
			assert.Equal(t, http.StatusSeeOther, r.status, "%s %s without a session", method, at)
			assert.Equal(t, "/sign-in", strings.Split(r.header.Get("Location"), "?")[0], "%s %s", method, at)
			assert.Empty(t, marks.FindString(r.body), "%s %s without a session", method, at)
			r = ask(neighbour)
			assert.Empty(t, marks.FindString(r.body), "%s %s shows the neighbour another farm", method, at)
			assert.Less(t, r.status, 500, "%s %s: %s", method, at, r.body)
			if !strings.Contains(path, ":id") {
				break
			}
		}
	}
	assert.Equal(t, before, s.eggsAndJournal(), "nothing of the farm was changed")
	assert.NotEmpty(t, entry)
}

func TestTheDoor(t *testing.T) {
	s := newSite(t)
	v := s.visitor()
	assert.Equal(t, "/set-up", v.get("/sign-in").header.Get("Location"), "the first visit sets the farm up")
	r := v.post("/set-up", url.Values{
		"farm": {"Wickfold"}, "zone": {"Europe/London"}, "name": {"Anna"}, "email": {"anna@wickfold.example"},
		"password": {"short"},
	})
	assert.Equal(t, http.StatusUnprocessableEntity, r.status)
	assert.Contains(t, r.body, `value="Wickfold"`, "what was typed comes back")
	assert.NotContains(t, r.body, "short", "but not the password")
	r = v.post("/set-up", url.Values{
		"farm": {"Wickfold"}, "zone": {"Europe/London"}, "name": {"Anna"}, "email": {"anna@wickfold.example"},
		"password": {"a-long-password"},
	})
	require.Equal(t, http.StatusSeeOther, r.status)
	cookie := r.header.Get("Set-Cookie")
	assert.Contains(t, cookie, "HttpOnly")
	assert.Contains(t, cookie, "SameSite=Lax")
	page := v.get("/")
	assert.Contains(t, page.body, "Four steps to your first batch", "an empty farm is told the first step")
	policy := page.header.Get("Content-Security-Policy")
	assert.NotContains(t, policy, "unsafe")
	assert.NotRegexp(t, `<script>|<style|style="| on[a-z]+="`, page.body)
	assert.Equal(
		t, "/sign-in", s.visitor().get("/set-up").header.Get("Location"), "set-up is closed once there is a farm",
	)
	assert.Equal(
		t, http.StatusSeeOther,
		s.visitor().post(
			"/set-up",
			url.Values{
				"farm": {"X"}, "zone": {"UTC"}, "name": {"E"}, "email": {"e@e.example"},
				"password": {"a-long-password"},
			},
		).status,
	)

	for range 5 {
		assert.Contains(
			t, s.visitor().post("/sign-in", url.Values{"email": {"anna@wickfold.example"}, "password": {"guess"}}).body,
			"Address or password is wrong",
		)
	}
	assert.Contains(
		t,
		s.visitor().post(
			"/sign-in", url.Values{"email": {"anna@wickfold.example"}, "password": {"a-long-password"}},
		).body,
		"Too many wrong tries",
	)

	other, err := http.NewRequestWithContext(t.Context(), "POST", s.URL+"/sign-out", nil)
	require.NoError(t, err)
	other.Header.Set("Sec-Fetch-Site", "cross-site")
	assert.Equal(t, http.StatusForbidden, v.send(other).status, "another site cannot send forms here")
	assert.Equal(t, http.StatusSeeOther, v.post("/sign-out", url.Values{}).status)
	assert.Equal(t, "/sign-in", v.get("/").header.Get("Location"))
	assert.Equal(t, "well\n", v.get("/healthz").body)
	assert.Contains(t, s.log.String(), "path=/sign-in", "requests are logged")
	for _, secret := range []string{
		"a-long-password", "guess", "anna@wickfold.example",
		strings.SplitN(strings.TrimPrefix(cookie, "metrogon="), ";", 2)[0],
	} {
		assert.NotContains(t, s.log.String(), secret, "but no secret")
	}
}

func TestABackAddressStaysOnTheSite(t *testing.T) {
	s := newDemo(t, 1)
	v := s.signedIn(demo.Email, demo.Password)
	for _, back := range []string{
		"https://elsewhere.example/", "//elsewhere.example", `/\elsewhere.example`, "javascript:alert(1)",
	} {
		assert.Equal(t, "/", v.post("/undo", url.Values{"entry": {"1"}, "back": {back}}).header.Get("Location"), back)
	}
}

func TestTheSameTapTwiceAndTheBackButton(t *testing.T) {
	s := newDemo(t, 1)
	v := s.signedIn(demo.Email, demo.Password)
	form := url.Values{"key": {farm.NewKey()}, "pen": {"1"}, "date": {"2027-04-14"}, "eggs": {"5"}}
	count := func() string { return v.find("/", `(\d+) eggs in store`) }
	before := count()
	for range 3 { // a double tap, then back and once more
		assert.Equal(t, http.StatusSeeOther, v.post("/eggs", form).status)
	}
	var b, a int
	fmt.Sscan(before, &b)
	fmt.Sscan(count(), &a)
	assert.Equal(t, b+5, a)
}

// Pages that the figures are held on.
func bigPages(v *visitor) map[string]string {
	return map[string]string{"Today": "/", "Eggs": "/eggs", "Set": "/set", "Batches": "/batches", "Batch": v.find(
		"/batches", `href="(/batches/\d+)"`,
	),
		"Board": "/board", "Promises": "/promises", "Promise": v.find("/promises", `href="(/promises/\d+)"`),
		"Days and room": "/board/days", "Planned": v.find("/board", `href="(/planned/\d+)"`), "Plan": "/plan",
		"Reckoned back": "/board?line=ducks+and+hens+out+in+8+weeks", "As a table": "/board?as=table",
		"Pens": "/pens", "Pen": v.find("/pens", `href="(/pens/\d+)"`), "Machines": "/machines",
		"Machine": v.find("/machines", `href="(/machines/\d+)"`), "Hen": "/machines/6", "Sitting": "/machines/1/candle",
		"Settings": "/settings",
		"Import":   "/books/lists/collections",
		"Store":    "/eggs/store", "Taken out": "/eggs/out", "Waiting": "/eggs/waiting?kind=chicken",
		"Place": v.find("/eggs", `href="(/places/\d+)"`), "Parcels": "/parcels", "Kind": "/kinds/duck",
		"Trays": v.find("/batches", `href="(/batches/\d+)"><b>Duck`) +
			"/trays", "Practice": "/practice?set=3&a=lcq",
		"Bench":    v.find("/batches", `href="(/batches/\d+)"><b>Duck`) + "/candle",
		"Water":    v.find("/batches", `href="(/batches/\d+)"><b>Duck`) + "/water",
		"Card":     v.find("/batches", `href="(/batches/\d+)"><b>Duck`) + "/card",
		"Clutches": "/clutches", "Clutch": v.find("/clutches", `href="(/clutches/\d+)"`),
		"Young clutch": v.find("/clutches", `href="(/clutches/\d+)">Corn snake`), "Clutch found": "/clutches/new",
		"Clutch rates": "/clutches/rates", "Telling eggs": "/practice/clutch?a=le",
		"Rates":         "/rates?by=pen&compare=1&compare=2",
		"Behind a rate": "/rates/eggs?by=pen&kind=chicken&group=1", "What moves": "/rates/moves?on=age&on=pen&on=season",
		"Birds": "/birds", "Bird": "/birds/6", "New bird": "/birds/new?batch=1&pen=1", "Mating": "/birds/mating?sire=6&dam=3",
		"Selection": "/birds/selection?kind=coturnix-quail", "Tests": "/tests", "Statement": "/pens/1/statement",
		"Follows": "/pens/1/follows?want=12&sure=90", "Who might go": "/birds/cull",
		"Costs":   "/rates/money?price=5&egg=1&machine=300",
		"Journal": "/journal",
		"Find":    "/find?q=a", "Books": "/books", "Notebook": "/books/lists/batches", "Reminders": "/reminders",
		"Hand-over": "/handover", "Farms": "/farms", "Put right": v.find("/eggs", `href="(/eggs/gathered/\d+)"`),
		"Nest": "/nest", "Brooders": "/brooders", "Power": "/power", "Cut": "/power/last", "At hand": "/supplies",
		"Instruments": "/instruments", "Readings": "/machines/1/readings?span=week", "Alarms": "/alarms",
		"Report":  v.find("/batches", `(?s)<h2 id="closed">.*?href="(/batches/\d+)"`) + "/report",
		"Opened":  v.find("/batches", `(?s)<h2 id="closed">.*?href="(/batches/\d+)"`) + "/opened",
		"Overdue": v.find("/batches", `href="(/batches/\d+)"><b>Duck`) + "/overdue",
		"Move":    v.find("/batches", `href="(/batches/\d+)"><b>Duck`) + "/move",
		"Part":    v.find("/batches", `href="(/batches/\d+)"><b>Chicken[^<]*b<`),
		"Watch":   v.find("/", `href="(/watch/\d+)"`), "Lockdown": v.find("/batches", `href="(/batches/\d+)"><b>Turkey`) +
			"/lockdown"}
}

func TestPagesAskLittleAndForThisFarmOnly(t *testing.T) {
	s := newDemo(t, 1)
	v := s.signedIn(demo.Email, demo.Password)
	for name, path := range bigPages(v) {
		s.traced.take()
		require.Equal(t, http.StatusOK, v.get(path).status, path)
		asked, bound := 0, false
		for _, sql := range s.traced.take() {
			if strings.HasPrefix(sql, "begin") || sql == "commit" {
				bound = false
				continue
			}
			asked++
			if strings.Contains(sql, "set_config") {
				bound = true
			} else if bound && !strings.Contains(sql, "from farms where id = $1") {
				assert.Contains(t, sql, "farm_id", "%s asks without naming the farm", name)
			}
		}
		assert.LessOrEqual(t, asked, 12, "%s asks %d times", name, asked)
	}
}

func TestTheFirstVisitIsLight(t *testing.T) {
	s := newDemo(t, 1)
	v := s.signedIn(demo.Email, demo.Password)
	page := v.get("/")
	weight := gzipped(t, page.whole)
	for _, m := range regexp.MustCompile(`(?:href|src)="(/assets/[^"]+)"`).FindAllStringSubmatch(page.body, -1) {
		r, err := http.NewRequestWithContext(t.Context(), "GET", s.URL+m[1], nil)
		require.NoError(t, err)
		r.Header.Set("Accept-Encoding", "gzip") // so that the client leaves it packed
		got := v.send(r)
		require.Equal(t, http.StatusOK, got.status, m[1])
		assert.Contains(t, got.header.Get("Cache-Control"), "immutable")
		weight += len(got.body)
	}
	weight += len(v.get("/assets/vendor/hyperlegible-700.woff2").body)
	t.Logf("first visit: %d KB", weight>>10)
	assert.Less(t, weight, 150<<10)
}

func gzipped(t *testing.T, s string) int {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	_, err := z.Write([]byte(s))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return b.Len()
}

// BenchmarkPages opens every page on a farm of ten seasons, or of as many as SEASONS says;
// docs/performance.md holds figures.
func BenchmarkPages(b *testing.B) {
	seasons, err := strconv.Atoi(cmp.Or(os.Getenv("SEASONS"), "10"))
	require.NoError(b, err)
	s := newDemo(b, seasons)
	_, err = s.owner.Pool.Exec(b.Context(), `analyze`)
	require.NoError(b, err)
	var eggs, batches, pens int
	require.NoError(
		b,
		s.owner.Pool.QueryRow(
			b.Context(),
			`select (select count(*) from eggs), (select count(*) from batches), (select count(*) from pens)`,
		).Scan(&eggs, &batches, &pens),
	)
	b.Logf("%d eggs, %d batches, %d pens", eggs, batches, pens)
	v := s.signedIn(demo.Email, demo.Password)
	for name, path := range bigPages(v) {
		b.Run(name, func(b *testing.B) { v.bench(b, path) })
	}
}

// bench opens a page again and again; the time is the server's, so what comes is read,
// and no more.
func (v *visitor) bench(b *testing.B, path string) {
	var took []time.Duration
	v.traced.take()
	for b.Loop() {
		began := time.Now()
		r, err := v.Get(v.URL + path)
		require.NoError(b, err)
		_, err = io.Copy(io.Discard, r.Body)
		require.NoError(b, errors.Join(err, r.Body.Close()))
		took = append(took, time.Since(began))
		require.Equal(b, http.StatusOK, r.StatusCode)
	}
	asked := 0
	for _, sql := range v.traced.take() {
		if sql != "begin" && sql != "commit" {
			asked++
		}
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "median-ms")
	b.ReportMetric(float64(asked)/float64(len(took)), "queries")
}

// BenchmarkEggRoom opens the egg room's pages with 2,000 eggs in store, from 333
// gatherings of ten days.
func BenchmarkEggRoom(b *testing.B) {
	s := newDemo(b, 1)
	m, err := s.books.People.Owner(b.Context(), demo.Name)
	require.NoError(b, err)
	var all []stock.Collected
	for i := range 333 {
		all = append(all, stock.Collected{
			PenID: int64(1 + i%6), LaidOn: m.Date(noon).AddDate(0, 0, -i%10), Eggs: 6 - i/332*4,
		})
	}
	_, err = s.books.Stock.Collect(b.Context(), farm.NewRequest(m), all...)
	require.NoError(b, err)
	_, err = s.owner.Pool.Exec(b.Context(), `analyze`)
	require.NoError(b, err)
	v := s.signedIn(demo.Email, demo.Password)
	b.Log(v.find("/", `(\d+ eggs in store)`))
	for _, path := range []string{"/eggs", "/eggs/store", "/eggs/waiting?kind=chicken", "/set?kind=chicken", "/"} {
		b.Run(strings.Trim(path, "/"), func(b *testing.B) { v.bench(b, path) })
	}
}

// BenchmarkFloor is what a page cannot be faster than: a bare handler that asks the database
// for nothing but a number.
func BenchmarkFloor(b *testing.B) {
	s := newSite(b)
	e := echo.New()
	e.GET("/", func(c *echo.Context) error {
		var one int
		if err := s.owner.Pool.QueryRow(c.Request().Context(), `select 1`).Scan(&one); err != nil {
			return err
		}
		return c.String(http.StatusOK, "1")
	})
	bare := httptest.NewServer(e)
	defer bare.Close()
	var took []time.Duration
	for b.Loop() {
		began := time.Now()
		r, err := http.Get(bare.URL)
		require.NoError(b, err)
		_, err = io.Copy(io.Discard, r.Body)
		require.NoError(b, errors.Join(err, r.Body.Close()))
		took = append(took, time.Since(began))
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "median-ms")
}

// BenchmarkRatesAfterAChange opens the rates once an egg was called, when what is remembered of all eggs
// has to be read anew.
func BenchmarkRatesAfterAChange(b *testing.B) {
	seasons, err := strconv.Atoi(cmp.Or(os.Getenv("SEASONS"), "10"))
	require.NoError(b, err)
	s := newDemo(b, seasons)
	v := s.signedIn(demo.Email, demo.Password)
	for b.Loop() {
		b.StopTimer()
		_, err := s.owner.Pool.Exec(b.Context(), `update farms set eggs_version = nextval('egg_versions')`)
		require.NoError(b, err)
		b.StartTimer()
		require.Equal(b, http.StatusOK, v.get("/rates?by=machine").status)
	}
}

// Of several forms of a page only the one that was refused comes back as it was typed, with what is wrong told
// once, beside it; the others stand as they were.
func TestOneFormOfAPageIsRefused(t *testing.T) {
	s := newDemo(t, 0)
	v := s.signedIn(demo.Email, demo.Password)
	machine := v.find("/machines", `href="(/machines/\d+)">Cabinet`)
	batch := v.find("/batches", `href="(/batches/\d+)"><b>Turkey`)
	for path, form := range map[string]url.Values{
		machine + "/air":   {"temp": {"12.5"}, "rh": {"44"}},
		machine + "/water": {"water": {"full"}, "poured": {"123456"}},
		machine + "/note":  {"was": {"lid"}, "worst": {"88"}, "says": {"the cat slept on it"}, "minutes": {""}},
		batch + "/note":    {"was": {"jolt"}, "worst": {"88"}, "says": {"the cat slept on it"}, "when": {"2027-04-13T09:30"}},
	} {
		body := v.post(path, form).body
		assert.Equal(t, 1, strings.Count(body, "not right yet"), path)
		stands := []string{form.Get("temp"), form.Get("poured"), form.Get("says")} // what was typed
		assert.LessOrEqual(t, strings.Count(body, `value="2027-04-13T09:30"`), 1, "%s: its hour is of no other form", path)
		if strings.HasPrefix(path, machine) {
			stands = append(stands, `maxlength="60" value="Cabinet"`, `<option value="cabinet" selected`)
		} else {
			stands = append(stands, `name="take_out" value="yes" checked`)
		}
		for _, said := range stands {
			assert.True(t, strings.Contains(body, said), "%s: %s is not there any more", path, said)
		}
	}
}
