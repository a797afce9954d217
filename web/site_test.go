package web

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/farm"
	"metrogon/farm/books"
	"metrogon/farm/services"
	"metrogon/store"
	"metrogon/store/people"
	"metrogon/store/storetest"
	"metrogon/web/page"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// noon is when the tests take place.
var noon = time.Date(2027, 4, 14, 12, 0, 0, 0, time.UTC)

// tracer keeps the queries that a page makes.
type tracer struct {
	mu   sync.Mutex
	seen []string
}

func (t *tracer) TraceQueryStart(ctx context.Context, _ *pgx.Conn, q pgx.TraceQueryStartData) context.Context {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.seen = append(t.seen, q.SQL)
	return ctx
}

// TraceBatchStart keeps queries that go in one round trip as one; of those that
// do not name their farm, the first.
func (t *tracer) TraceBatchStart(ctx context.Context, _ *pgx.Conn, b pgx.TraceBatchStartData) context.Context {
	t.mu.Lock()
	defer t.mu.Unlock()
	said := b.Batch.QueuedQueries[0].SQL
	for _, q := range b.Batch.QueuedQueries {
		if !strings.Contains(q.SQL, "farm_id") {
			said = q.SQL
		}
	}
	t.seen = append(t.seen, said)
	return ctx
}

func (t *tracer) TraceBatchQuery(context.Context, *pgx.Conn, pgx.TraceBatchQueryData) {}
func (t *tracer) TraceBatchEnd(context.Context, *pgx.Conn, pgx.TraceBatchEndData)     {}

func (t *tracer) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}

// take returns what was seen since the last call.
func (t *tracer) take() []string {
	t.mu.Lock()
	defer t.mu.Unlock()
	seen := t.seen
	t.seen = nil
	return seen
}

// site is a server over a database of its own.
type site struct {
	testing.TB
	*httptest.Server
	db     *store.DB
	owner  *store.DB // of its tables
	books  *services.Services
	traced *tracer
	now    time.Time
	log    *strings.Builder // what the server wrote
	cut    atomic.Bool      // the line to the server is cut
	mute   atomic.Bool      // answers to posts are lost
	lost   atomic.Int32     // posts whose answer will be lost, while they are worked on
}

func newSite(t testing.TB) *site {
	traced := &tracer{}
	return siteOn(t, traced, storetest.Open(t, traced))
}

// newDemo is a site with the demo farm after so many seasons.
func newDemo(t testing.TB, seasons int) *site {
	traced := &tracer{}
	return siteOn(t, traced, storetest.OpenFilled(t, traced, fmt.Sprintf("demo_%d", seasons), func(owner *store.DB) error {
		return demo.Load(context.WithoutCancel(t.Context()), owner, noon, seasons)
	}))
}

// newDemoIn is the demo of one season in another zone, at noon there.
func newDemoIn(t testing.TB, zone string) *site {
	place, err := time.LoadLocation(zone)
	require.NoError(t, err)
	y, m, d := noon.Date()
	now := time.Date(y, m, d, 12, 0, 0, 0, place)
	traced := &tracer{}
	name := strings.ToLower("demo_" + regexp.MustCompile(`\W`).ReplaceAllString(zone, "_"))
	s := siteOn(t, traced, storetest.OpenFilled(t, traced, name,
		func(owner *store.DB) error {
			return demo.LoadIn(context.WithoutCancel(t.Context()), owner, zone, now, 1)
		}))
	s.now = now
	return s
}

func siteOn(t testing.TB, traced *tracer, db *store.DB) *site {
	s := &site{TB: t, traced: traced, now: noon, log: &strings.Builder{}, db: db}
	s.owner = storetest.Owner(t, s.db)
	s.books = services.New(s.db, func() time.Time { return s.now })
	told, stop := context.WithCancel(context.Background())
	t.Cleanup(stop)
	go s.books.Tell(told)
	h, err := New(s.books, Options{
		Sessions: s.db.Sessions(), Log: slog.New(page.LogHandler{Handler: slog.NewTextHandler(s.log, nil)}),
		Server: page.Server{
			Mail: true, PushKey: "BAAA",
			Forget: people.Of(s.owner).DropFarm,
			LoadDemo: func(ctx context.Context, personID int64) (int64, error) {
				return demo.Beside(ctx, s.owner, s.now, personID)
			},
			Restore: func(ctx context.Context, m *farm.Member, in books.Incoming) error {
				return books.Restore(ctx, s.owner, m, in)
			},
		},
	})
	require.NoError(t, err)
	s.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if s.cut.Load() { // what a lost signal does
			panic(http.ErrAbortHandler)
		}
		if s.mute.Load() && r.Method == http.MethodPost { // the answer is lost on its way
			s.lost.Add(1)
			h.ServeHTTP(httptest.NewRecorder(), r)
			s.lost.Add(-1)
			panic(http.ErrAbortHandler)
		}
		h.ServeHTTP(w, r)
	}))
	t.Cleanup(s.Close)
	return s
}

// visitor is one browser without scripts.
type visitor struct {
	*site
	http.Client
}

func (s *site) visitor() *visitor {
	jar, err := cookiejar.New(nil)
	require.NoError(s, err)
	return &visitor{
		s,
		http.Client{
			Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		},
	}
}

func (s *site) signedIn(email, password string) *visitor {
	v := s.visitor()
	r := v.post("/sign-in", url.Values{"email": {email}, "password": {password}})
	require.Equal(s, http.StatusSeeOther, r.status, r.body)
	return v
}

type reply struct {
	status int
	body   string
	header http.Header
	whole  string // as it came; in body white space is one blank, and none beside tags
}

// squeezed is a page with one blank for white space, and none beside tags.
func squeezed(page []byte) string {
	out := make([]byte, 0, len(page))
	blank, inTag := false, false
	for _, c := range page {
		switch c {
		case ' ', '\t', '\n', '\r', '\f':
			blank = true
			continue
		case '<':
			blank, inTag = blank && inTag, true
		case '>':
			blank, inTag = blank && !inTag, false
		}
		if n := len(out); blank && (n == 0 || inTag || out[n-1] != '>') {
			out = append(out, ' ')
		}
		blank = false
		out = append(out, c)
	}
	return string(out)
}

func (v *visitor) send(r *http.Request) reply {
	v.Helper()
	res, err := v.Do(r)
	require.NoError(v, err)
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	require.NoError(v, err)
	whole := string(body)
	text := whole
	if strings.HasPrefix(res.Header.Get("Content-Type"), "text/html") {
		text = squeezed(body)
	}
	return reply{res.StatusCode, text, res.Header, whole}
}

func (v *visitor) get(path string) reply {
	v.Helper()
	r, err := http.NewRequestWithContext(v.Context(), "GET", v.URL+path, nil)
	require.NoError(v, err)
	return v.send(r)
}

func (v *visitor) post(path string, form url.Values) reply {
	v.Helper()
	if form.Get("key") == "" {
		form.Set("key", farm.NewKey())
	}
	r, err := http.NewRequestWithContext(v.Context(), "POST", v.URL+path, strings.NewReader(form.Encode()))
	require.NoError(v, err)
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return v.send(r)
}

// typed sends a form as it is written in an address.
func (v *visitor) typed(path string, fields ...string) reply {
	v.Helper()
	form, err := url.ParseQuery(strings.Join(fields, "&"))
	require.NoError(v, err)
	return v.post(path, form)
}

// find returns the first group of the first match on a page.
func (v *visitor) find(path, pattern string) string {
	v.Helper()
	m := regexp.MustCompile(pattern).FindStringSubmatch(v.get(path).body)
	require.NotNil(v, m, "%s has no %s", path, pattern)
	return m[1]
}

// json sends a body that is no form, with a header.
func (v *visitor) json(path, body, header, value string) reply {
	v.Helper()
	r, err := http.NewRequestWithContext(v.Context(), http.MethodPost, v.URL+path, strings.NewReader(body))
	require.NoError(v, err)
	r.Header.Set(header, value)
	return v.send(r)
}
