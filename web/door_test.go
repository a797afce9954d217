package web

import (
	"fmt"
	"html"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/farm"
	"metrogon/farm/people"
	"metrogon/farm/snapshot"
)

const (
	anna  = "anna@wickfold.example"
	tobin = "tobin@wickfold.example"
	words = "three-oat-lines"
)

// household is a farm with an owner and a helper.
func household(t *testing.T) *site {
	t.Parallel()
	s := newSite(t)
	id, err := s.books.People.SetUp(
		t.Context(), people.NewFarm{Farm: "Wickfold", Zone: "UTC", Name: "Anna", Email: anna, Password: words}, true,
	)
	require.NoError(t, err)
	m, err := s.books.People.Member(t.Context(), id)
	require.NoError(t, err)
	require.NoError(t, s.books.People.AddPerson(t.Context(), m, "Tobin", tobin, words, "helper"))
	return s
}

func (v *visitor) try(email, password string) reply {
	v.Helper()
	return v.post("/sign-in", url.Values{"email": {email}, "password": {password}})
}

func (v *visitor) in() bool { return v.get("/settings").status == http.StatusOK }

// Somebody who only knows her address makes wrong tries without end: she still comes
// in at once on her own phone, and after a short wait from a strange one.
func TestAStrangerCannotKeepTheOwnerAway(t *testing.T) {
	s := household(t)
	phone, stranger := s.visitor(), s.visitor()
	require.Equal(t, http.StatusSeeOther, phone.try(anna, words).status)
	phone.post("/sign-out", url.Values{})
	waits := 0
	for range 12 {
		if r := stranger.try(anna, "guess"); strings.Contains(r.body, "Too many wrong tries") {
			waits++
			s.now = s.now.Add(time.Minute) // she waits longer and longer
		}
	}
	assert.Greater(t, waits, 2)
	stranger.try(anna, "guess")
	assert.Contains(t, stranger.try(anna, words).body, "Too many wrong tries; wait")
	assert.Equal(t, http.StatusSeeOther, phone.try(anna, words).status, "her own phone is known")
	s.now = s.now.Add(15 * time.Minute)
	assert.Equal(
		t, http.StatusSeeOther, s.visitor().try(anna, words).status, "the longest wait is a quarter of an hour",
	)

	forged := s.visitor()
	at, err := url.Parse(s.URL + "/sign-in")
	require.NoError(t, err)
	forged.Jar.SetCookies(at, []*http.Cookie{{Name: "metrogon-device", Path: "/sign-in",
		Value: "ABCDEFGHIJKLMNOPQRSTUVWXYZ." + strings.Repeat("0", 32)}})
	for range 6 {
		forged.try(anna, "guess")
	}
	assert.Contains(t, forged.try(anna, words).body, "Too many wrong tries", "a made-up device is a stranger")
}

// Forty guesses at once are counted before they are checked.
func TestGuessesAtOnceAreCountedFirst(t *testing.T) {
	s := household(t)
	var checked atomic.Int64
	var all sync.WaitGroup
	for i := range 40 {
		all.Go(func() {
			if r := s.visitor().try(anna, fmt.Sprint("guess ", i)); strings.Contains(r.body, "is wrong") {
				checked.Add(1)
			}
		})
	}
	all.Wait()
	assert.LessOrEqual(t, checked.Load(), int64(5), "so many guesses were looked at")
}

func TestTriesOfTheFutureDoNotCount(t *testing.T) {
	s := household(t)
	v := s.visitor()
	s.now = s.now.AddDate(1, 0, 0)
	for range 8 {
		v.try(anna, "guess")
	}
	s.now = s.now.AddDate(-1, 0, 0) // the clock was put right
	assert.Equal(t, http.StatusSeeOther, v.try(anna, words).status)
}

// A crowd at the door: what cannot be hashed soon is told to come back, and other
// pages answer meanwhile.
func TestACrowdAtTheDoor(t *testing.T) {
	s := household(t)
	v := s.signedIn(anna, words)
	var all sync.WaitGroup
	var odd atomic.Int64
	for i := range 120 {
		all.Go(func() {
			r := s.visitor().try(fmt.Sprintf("nobody%d@x.example", i), "guess")
			if r.status >= 500 && r.status != http.StatusServiceUnavailable {
				odd.Add(1)
			}
		})
	}
	var took []time.Duration
	for range 5 {
		began := time.Now()
		require.Equal(t, http.StatusOK, v.get("/pens").status)
		took = append(took, time.Since(began))
	}
	slices.Sort(took)
	all.Wait()
	assert.Zero(t, odd.Load())
	assert.Less(t, took[2], 3*time.Second, "the middle one of five: %v", took)
	for range 80 { // no password of a set-up is hashed where there is a farm already
		require.Equal(t, http.StatusSeeOther, s.visitor().post("/set-up", url.Values{"farm": {"X"}, "zone": {"UTC"},
			"name":  {"X"},
			"email": {"x@x.example"}, "password": {words}}).status)
	}
}

func TestCommonAndOwnPasswordsAreRefused(t *testing.T) {
	s := household(t)
	m, err := s.books.People.Owner(t.Context(), "Wickfold")
	require.NoError(t, err)
	for password, says := range map[string]string{
		"password123": "Many people use", "PASSWORD!!!!": "Many people use", "1234567890": "Many people use",
		"qwertyuiop":   "Many people use",
		"aaaaaaaaaaaa": "Many people use", "iloveyou2026": "Many people use", "chickenchicken": "Many people use",
		"wickfold-2026": "names you", "bo.bright@x": "names you", "short": "5 characters",
	} {
		err := s.books.People.AddPerson(t.Context(), m, "Bo Bright", "bo.bright@x.example", password, "helper")
		assert.ErrorContains(t, err, says, password)
	}
	assert.NoError(
		t,
		s.books.People.AddPerson(
			t.Context(), m, "Bo Bright", "bo.bright@x.example", "bright-geese-walk-home", "helper",
		),
	)
}

func TestSessionsEnd(t *testing.T) {
	s := household(t)
	desk, phone, helper := s.signedIn(anna, words), s.signedIn(anna, words), s.signedIn(tobin, words)
	form := func(more url.Values) url.Values {
		if more == nil {
			more = url.Values{}
		}
		more.Set("key", farm.NewKey())
		return more
	}
	bad := desk.post("/settings/password", form(url.Values{"before": {"wrong"}, "password": {"some-other-words"}}))
	assert.Contains(t, bad.body, "That is not your password until now.")
	assert.NotContains(t, bad.body, "some-other-words")
	require.Equal(
		t, http.StatusSeeOther,
		desk.post("/settings/password", form(url.Values{"before": {words}, "password": {"some-other-words"}})).status,
	)
	assert.True(t, desk.in(), "where it was changed she stays")
	assert.False(t, phone.in(), "and is signed out elsewhere")

	phone = s.signedIn(anna, "some-other-words")
	require.Equal(t, http.StatusSeeOther, phone.post("/settings/sign-out-everywhere", form(nil)).status)
	assert.False(t, phone.in() || desk.in())

	owner := s.signedIn(anna, "some-other-words")
	assert.True(t, helper.in())
	assert.NotContains(t, helper.get("/settings").body, "Renew the key", "only owners see the scale's key")
	assert.Equal(t, http.StatusForbidden, helper.post("/settings/people/1/remove", form(nil)).status)
	assert.Contains(t, owner.post("/settings/people/1/remove", form(nil)).body, "A farm needs an owner")
	require.Equal(t, http.StatusSeeOther, owner.post("/settings/people/2/remove", form(nil)).status)
	assert.Contains(
		t, owner.post("/settings/people/2/remove", form(nil)).body, "Nobody such is on the farm, or not any more.",
		"tapped twice",
	)
	assert.False(t, helper.in(), "who is taken off the farm is out at once")
	assert.Contains(t, s.visitor().try(tobin, words).header.Get("Location")+"/sign-in", "/sign-in")
	var said string
	require.NoError(
		t, s.owner.Pool.QueryRow(t.Context(), `select string_agg(said, ' ' order by id) from journal`).Scan(&said),
	)
	assert.Contains(t, said, "Made an account for Tobin, helper. Tobin is no longer on the farm.")
}

// A write that waits while its session signs out does not bring the session back.
func TestASessionThatEndedStaysEnded(t *testing.T) {
	s := household(t)
	m, err := s.books.People.Owner(t.Context(), "Wickfold")
	require.NoError(t, err)
	_, err = s.books.Flock.SavePen(t.Context(), farm.NewRequest(m), snapshot.Pen{
		Name: "Barred", Species: "chicken", FromOn: noon,
	})
	require.NoError(t, err)
	v := s.signedIn(anna, words)
	conn, err := s.owner.Pool.Acquire(t.Context())
	require.NoError(t, err)
	defer conn.Release()
	_, err = conn.Exec(t.Context(), `select pg_advisory_lock(728, 1)`)
	require.NoError(t, err)
	wrote := make(chan reply)
	go func() {
		wrote <- v.post("/eggs", url.Values{
			"key": {farm.NewKey()}, "pen": {"1"}, "eggs": {"6"}, "date": {"2027-04-14"},
		})
	}()
	require.Eventually(t, func() bool {
		var waiting bool
		err := s.owner.Pool.QueryRow(
			t.Context(), `select exists (select from pg_locks where locktype = 'advisory' and not granted)`,
		).Scan(&waiting)
		return err == nil && waiting
	}, 5*time.Second, 5*time.Millisecond)
	require.Equal(t, http.StatusSeeOther, v.post("/sign-out", url.Values{}).status)
	_, err = conn.Exec(t.Context(), `select pg_advisory_unlock(728, 1)`)
	require.NoError(t, err)
	assert.Equal(t, http.StatusSeeOther, (<-wrote).status, "what was begun is done")
	assert.Equal(t, 6, s.stored())
	var living int
	require.NoError(
		t, s.owner.Pool.QueryRow(t.Context(), `select count(*) from sessions where not ended`).Scan(&living),
	)
	assert.Zero(t, living)
}

func TestTheScalesKey(t *testing.T) {
	s := household(t)
	v := s.signedIn(anna, words)
	key := func() string {
		require.Equal(t, http.StatusSeeOther, v.post("/settings/scale-key", url.Values{"key": {farm.NewKey()}}).status)
		return regexp.MustCompile(`Its key is<code>(\w+)</code>`).FindStringSubmatch(v.get("/settings").body)[1]
	}
	first := key()
	timed := `[{"bn":"scale:","n":"mass","u":"g","v":612.4,"t":1807704000.5}]`
	plain := `[{"bn":"scale:","n":"mass","u":"g","v":58.2}]`
	send := func(key, body string) int {
		return s.visitor().json("/scale", body, "Authorization", "Bearer "+key).status
	}
	for range 3 {
		assert.Equal(t, http.StatusNoContent, send(first, timed))
	}
	var readings int
	count := func() int {
		require.NoError(t, s.owner.Pool.QueryRow(t.Context(), `select count(*) from readings`).Scan(&readings))
		return readings
	}
	assert.Equal(t, 1, count(), "a pack that is sent again is counted once")
	for range 2 {
		assert.Equal(t, http.StatusNoContent, send(first, plain))
	}
	assert.Equal(t, 3, count(), "two eggs of one weight are two, from a scale without a clock")
	second := key()
	assert.NotEqual(t, first, second)
	assert.Equal(t, http.StatusUnauthorized, send(first, plain), "the old key opens nothing")
	assert.Equal(t, http.StatusNoContent, send(second, plain))
	for _, odd := range []string{"\xff\xfe", "a\x80b", strings.Repeat("k", 5000), "' or ''='"} {
		assert.Equal(t, http.StatusUnauthorized, send(odd, plain), "%.20q", odd)
	}
}

// A broken table is an error of ours: written down, and answered as such.
func TestABrokenTableIsWrittenDown(t *testing.T) {
	s := household(t)
	v := s.signedIn(anna, words)
	_, err := s.owner.Pool.Exec(t.Context(), `alter table journal rename to elsewhere`)
	require.NoError(t, err)
	for path, form := range map[string]url.Values{
		"/undo":     {"key": {farm.NewKey()}, "entry": {"1"}},
		"/pens/new": {"key": {farm.NewKey()}, "name": {"Barred"}, "species": {"chicken"}, "from_on": {"2027-01-01"}},
	} {
		r := v.post(path, form)
		assert.Equal(t, http.StatusInternalServerError, r.status, path)
		assert.Contains(t, r.body, "Something went wrong on our side and was written down.", path)
		assert.Contains(t, s.log.String(), "request failed", path)
	}
	_, err = s.owner.Pool.Exec(t.Context(), `alter table elsewhere rename to journal`)
	require.NoError(t, err)
}

func TestHugeFormsAreRefusedSoon(t *testing.T) {
	s := household(t)
	v := s.signedIn(anna, words)
	began := time.Now()
	for path, form := range map[string]url.Values{
		"/eggs/line": {"key": {farm.NewKey()}, "line": {strings.Repeat("barred 6 ", 9000)}},
		"/set":       {"key": {farm.NewKey()}, "species": {"chicken"}, "open": slices5000()},
		"/eggs":      {"key": {farm.NewKey()}, "note": {strings.Repeat("x", 2<<20)}},
	} {
		r := v.post(path, form)
		assert.True(
			t, r.status == http.StatusUnprocessableEntity || r.status == http.StatusRequestEntityTooLarge, "%s: %d",
			path, r.status,
		)
	}
	calls := v.json("/batches/1/calls", "["+strings.Repeat("{},", 1_300_000)+"{}]", "X-Who", "1-1").status
	assert.Contains(t, []int{http.StatusBadRequest, http.StatusRequestEntityTooLarge}, calls)
	assert.Less(t, time.Since(began), 5*time.Second)
}

func slices5000() (all []string) {
	for range 5000 {
		all = append(all, "1-2027-04-14")
	}
	return
}

// A form that is doubted comes back with the question; sent again with the word that it is so, it is
// taken, with everything that was typed.
func TestADoubtIsAskedOnce(t *testing.T) {
	s := household(t)
	v := s.signedIn(anna, words)
	pen := v.typed("/pens/new", "name=Barred&species=chicken&females=5&males=1&from_on=2027-01-01")
	require.Equal(t, http.StatusSeeOther, pen.status)
	r := v.typed("/eggs", "pen=1&eggs=1000&date=2027-04-14&note=a+%22basket%22")
	assert.Equal(t, http.StatusUnprocessableEntity, r.status)
	assert.Contains(t, r.body, "1000 from 5 females of Barred, laid on one day?")
	again := url.Values{}
	form := regexp.MustCompile(`(?s)class="it-is-so">.*?</form>`).FindString(r.body)
	for _, f := range regexp.MustCompile(`name="([^"]*)" value="([^"]*)"`).FindAllStringSubmatch(form, -1) {
		again.Add(f[1], html.UnescapeString(f[2]))
	}
	assert.Equal(t, `a "basket"`, again.Get("note"))
	assert.Equal(t, http.StatusSeeOther, v.post("/eggs", again).status)
	assert.Contains(t, v.get("/eggs").body, "1000")
	line := v.find("/journal", `<a href="(/journal/\d+)">1000 eggs from Barred`)
	assert.Equal(t, http.StatusSeeOther, v.typed(line+"/back", "").status)
	assert.NotContains(t, v.get("/eggs").body, "<b>1000</b>", "and it does not stay for good")
}

// What opens something to whoever has it is neither in the log nor readable in the database.
func TestSecretsAreLoggedCutAndKeptHashed(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 1)
	v := s.signedIn(demo.Email, demo.Password)
	for _, path := range []string{"/password/abcdefgh", "/join/abcdefgh", "/calendar/abcdefgh.ics", "/list/abcdefgh"} {
		v.get(path)
		assert.Equal(t, path[:strings.LastIndex(path, "/")+1]+"abc…", logged(path))
	}
	assert.NotContains(t, s.log.String(), "abcdefgh")
	address, err := url.Parse(s.URL)
	require.NoError(t, err)
	tokens := 0
	for _, c := range v.Jar.Cookies(address) {
		var there bool
		require.NoError(t, s.owner.Pool.QueryRow(
			t.Context(), `select exists (select from sessions where token = $1)`, c.Value,
		).Scan(&there))
		assert.False(t, there, "who reads the table could sign in")
		tokens++
	}
	assert.Positive(t, tokens)
}
