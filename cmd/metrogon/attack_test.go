//go:build attack

package main

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The attacks that take long: docs/testing.md names the command.

// person is somebody with a browser without scripts, who does not give up.
type person struct {
	http.Client
	address string
}

func visit(t *testing.T, address string) *person {
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return &person{http.Client{
		Jar: jar, Timeout: time.Minute,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}, address}
}

func (p *person) send(path string, form url.Values) (status int, body string) {
	var r *http.Response
	var err error
	if form == nil {
		r, err = p.Get(p.address + path)
	} else {
		r, err = p.PostForm(p.address+path, form)
	}
	if err != nil {
		return 0, err.Error()
	}
	defer r.Body.Close()
	text, err := io.ReadAll(r.Body)
	if err != nil {
		return 0, err.Error()
	}
	return r.StatusCode, string(text)
}

// owner sets a farm up and names a pen.
func owner(t *testing.T, address string) *person {
	p := visit(t, address)
	status, body := p.send("/set-up", url.Values{"farm": {"Wickfold"}, "zone": {"UTC"}, "name": {"Anna"},
		"email": {"anna@wickfold.example"}, "password": {"three-oat-lines"}})
	require.Equal(t, http.StatusSeeOther, status, body)
	status, body = p.send("/pens/new", url.Values{"key": {uuid.NewString()}, "name": {"Barred"}, "species": {"chicken"},
		"females": {"8"}, "males": {"1"}, "from_on": {"2026-01-01"}})
	require.Equal(t, http.StatusSeeOther, status, body)
	return p
}

// write enters one egg until that is acknowledged, with the same key each time.
func (p *person) write(ctx context.Context, n int) (tries int) {
	form := url.Values{"key": {uuid.NewString()}, "pen": {"1"}, "eggs": {"1"},
		"date": {time.Now().UTC().Format("2006-01-02")}, "note": {fmt.Sprint("write ", n)}}
	for ctx.Err() == nil {
		tries++
		if status, _ := p.send("/eggs", form); status == http.StatusSeeOther {
			return tries
		}
		select {
		case <-ctx.Done():
		case <-time.After(30 * time.Millisecond):
		}
	}
	return 0
}

// attacked is a program on a port that stays the same over restarts.
type attacked struct {
	*program
	port   string
	server *exec.Cmd
}

func attack(t *testing.T) *attacked {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	port := strconv.Itoa(l.Addr().(*net.TCPAddr).Port)
	require.NoError(t, l.Close())
	a := &attacked{program: build(t), port: port}
	a.begin()
	t.Cleanup(func() {
		_ = a.server.Process.Signal(os.Interrupt)
		_ = a.server.Wait()
	})
	return a
}

func (a *attacked) begin() {
	a.server = a.command("serve", "--address", "127.0.0.1:"+a.port)
	require.NoError(a, a.server.Start())
	require.Eventually(a, func() bool { return a.well(a.address()) }, time.Minute, 50*time.Millisecond)
}

func (a *attacked) address() string { return "http://127.0.0.1:" + a.port }

func (a *attacked) data() string { return filepath.Join(filepath.Dir(a.path), "data") }

func (a *attacked) postmaster() int {
	text, err := os.ReadFile(filepath.Join(a.data(), "postgres", "postmaster.pid"))
	if err != nil {
		return 0
	}
	pid, _ := strconv.Atoi(strings.SplitN(string(text), "\n", 2)[0])
	return pid
}

// database connects to the database itself, as its owner.
func (a *attacked) database() *pgx.Conn {
	secret, err := os.ReadFile(filepath.Join(a.data(), "secret"))
	require.NoError(a, err)
	text, err := os.ReadFile(filepath.Join(a.data(), "postgres", "postmaster.pid"))
	require.NoError(a, err)
	port := strings.TrimSpace(strings.Split(string(text), "\n")[3])
	conn, err := pgx.Connect(a.Context(), fmt.Sprintf(
		"postgres://metrogon_owner:%s@127.0.0.1:%s/postgres?sslmode=disable", secret, port,
	))
	require.NoError(a, err)
	return conn
}

// count asks it for a number.
func (a *attacked) count(sql string) (n int) {
	conn := a.database()
	defer conn.Close(a.Context())
	require.NoError(a, conn.QueryRow(a.Context(), sql).Scan(&n))
	return n
}

// Program and database are killed again and again under somebody who enters eggs: what
// was acknowledged is there, once.
func TestKillLoops(t *testing.T) {
	a := attack(t)
	p := owner(t, a.address())
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	var acknowledged, tries atomic.Int64
	// busy waits until she has entered some more: each kill falls into her work.
	busy := func() {
		had := acknowledged.Load()
		require.Eventually(
			t, func() bool { return acknowledged.Load() >= had+20 }, time.Minute, 5*time.Millisecond,
			"nothing could be entered",
		)
	}
	done := make(chan struct{})
	go func() {
		defer close(done)
		for n := 0; ctx.Err() == nil; n++ {
			if k := p.write(ctx, n); k > 0 {
				acknowledged.Add(1)
				tries.Add(int64(k))
			}
		}
	}()
	for range 20 {
		busy()
		require.NoError(t, a.server.Process.Kill())
		_ = a.server.Wait()
		a.begin()
	}
	for range 18 {
		busy()
		if pid := a.postmaster(); pid > 0 {
			_ = syscall.Kill(pid, syscall.SIGKILL)
		}
		require.Eventually(
			t, func() bool { return a.well(a.address()) }, time.Minute, 50*time.Millisecond,
			"the database did not heal",
		)
	}
	stop()
	<-done
	eggs, writes := a.count(`select count(*) from eggs`), a.count(`select count(distinct note) from collections`)
	t.Logf(
		"%d writes acknowledged in %d tries, over 20 kills of the program and 18 of the database; %d eggs",
		acknowledged.Load(), tries.Load(), eggs,
	)
	assert.Equal(t, eggs, writes, "doubled")
	assert.GreaterOrEqual(t, writes, int(acknowledged.Load()), "lost")
	assert.LessOrEqual(t, writes, int(acknowledged.Load())+1, "the last may have been done without an answer")
}

var highWater = regexp.MustCompile(`VmHWM:\s+(\d+) kB`)

// Two hundred people sign in at once.
func TestTwoHundredSignIns(t *testing.T) {
	a := attack(t)
	p := owner(t, a.address())
	var all sync.WaitGroup
	var in, waits, odd atomic.Int64
	began := time.Now()
	for range 200 {
		all.Go(func() {
			v := visit(t, a.address())
			status, body := v.send("/sign-in", url.Values{
				"email": {"anna@wickfold.example"}, "password": {"three-oat-lines"},
			})
			switch {
			case status == http.StatusSeeOther:
				in.Add(1)
			case status == http.StatusServiceUnavailable, strings.Contains(body, "Too many wrong tries"):
				waits.Add(1)
			default:
				t.Logf("odd: %d %.300s", status, body)
				odd.Add(1)
			}
		})
	}
	slowest := time.Duration(0)
	for range 10 {
		at := time.Now()
		status, body := p.send("/pens", nil)
		require.Equal(t, http.StatusOK, status, body)
		slowest = max(slowest, time.Since(at))
	}
	all.Wait()
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", a.server.Process.Pid))
	require.NoError(t, err)
	kB, err := strconv.Atoi(highWater.FindStringSubmatch(string(text))[1])
	require.NoError(t, err)
	t.Logf("200 sign-ins in %v: %d in, %d told to wait; at most %d MB; slowest page meanwhile %v",
		time.Since(began).Round(time.Millisecond), in.Load(), waits.Load(), kB>>10, slowest.Round(time.Millisecond))
	assert.Zero(t, odd.Load())
	assert.Less(t, kB>>10, 300)
	assert.Less(t, slowest, time.Second)
}

// The disk is full, and has room again.
func TestAFullDiskHeals(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("a small disk is mounted for this, which root may")
	}
	a := &attacked{program: build(t)}
	require.NoError(t, os.Mkdir(a.data(), 0o755))
	require.NoError(t, syscall.Mount("tmpfs", a.data(), "tmpfs", 0, "size=320m"))
	t.Cleanup(func() { _ = syscall.Unmount(a.data(), syscall.MNT_DETACH) })
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	a.port = strconv.Itoa(l.Addr().(*net.TCPAddr).Port)
	require.NoError(t, l.Close())
	a.begin()
	defer func() {
		_ = a.server.Process.Signal(os.Interrupt)
		_ = a.server.Wait()
	}()
	p := owner(t, a.address())
	require.Equal(t, 1, p.write(t.Context(), 0))

	filler := filepath.Join(a.data(), "filler")
	f, err := os.Create(filler)
	require.NoError(t, err)
	block := make([]byte, 1<<16)
	for err == nil {
		_, err = f.Write(block)
	}
	require.NoError(t, f.Close())
	refused := 0
	form := func(n int) url.Values {
		return url.Values{
			"key": {uuid.NewString()}, "pen": {"1"}, "eggs": {"500"}, "date": {time.Now().UTC().Format("2006-01-02")},
			"note": {fmt.Sprint(n)},
		}
	}
	stored := 1
	for n := range 200 {
		status, _ := p.send("/eggs", form(n))
		if status == http.StatusSeeOther {
			stored += 500
			continue
		}
		if refused++; refused > 5 {
			break
		}
	}
	assert.Positive(t, refused, "the disk was never full")
	require.NoError(t, os.Remove(filler))
	began := time.Now()
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	require.Positive(t, p.write(ctx, 1), "it did not heal")
	t.Logf(
		"%d writes refused while the disk was full; healed %v after there was room", refused,
		time.Since(began).Round(time.Millisecond),
	)
	eggs := a.count(`select count(*) from eggs`)
	assert.GreaterOrEqual(t, eggs, stored+1, "what was acknowledged is there")
	assert.Zero(t, (eggs-2)%500, "and nothing by halves")
}

// The largest file that may come in, while another farm's page is opened.
func TestTheLargestImport(t *testing.T) {
	a := attack(t)
	p := owner(t, a.address())
	var text strings.Builder
	text.WriteString("date,pen,species,eggs\n")
	for n := range 5000 {
		fmt.Fprintf(&text, "2026-%02d-%02d,Line %d,chicken,8\n", 1+n%9, 1+n%28, n%40)
	}
	said, code := a.run(
		"another-long-word\n", "user", "add", "bo@elsewhere.example", "--name", "Bo", "--farm", "Elsewhere",
	)
	require.Zero(t, code, said)
	bo := visit(t, a.address())
	status, _ := bo.send("/sign-in", url.Values{"email": {"bo@elsewhere.example"}, "password": {"another-long-word"}})
	require.Equal(t, http.StatusSeeOther, status)
	began := time.Now()
	in := make(chan int)
	go func() {
		status, _ := p.send("/books/lists/collections", url.Values{
			"key": {uuid.NewString()}, "text": {text.String()}, "bring": {"yes"},
		})
		in <- status
	}()
	slowest := time.Duration(0)
	for status = -1; status < 0; {
		at := time.Now()
		code, body := bo.send("/", nil)
		require.Equal(t, http.StatusOK, code, body)
		slowest = max(slowest, time.Since(at))
		select {
		case status = <-in:
		default:
		}
	}
	t.Logf(
		"40,000 eggs in 5,000 lines came in within %v; slowest page of another farm %v",
		time.Since(began).Round(time.Millisecond), slowest.Round(time.Millisecond),
	)
	assert.Equal(t, http.StatusOK, status)
	assert.Equal(t, 40_000, a.count(`select count(*) from eggs`))
	assert.Less(t, slowest, time.Second)
}
