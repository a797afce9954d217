// Package cluster runs a PostgreSQL server of the program's own: its data in
// one folder, on loopback only, on a free port. It never touches another one, and
// starts its own again if that was killed.
package cluster

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
)

// Cluster is a running server.
type Cluster struct {
	URL     string // of its database, as the role that serves: no superuser, and no owner of tables
	Owner   string // the same, as the owner of the tables, who may change them
	dir     string
	port    int
	secret  string
	options []string
	bin     string
	asOwner *syscall.SysProcAttr    // root hands the server to the postgres user
	lock    atomic.Pointer[os.File] // held by the program that is to stop the server

	stopWatch func()
}

// ours suit a server of one farm: a count over all its eggs is spread over the
// cores, which PostgreSQL would not think worth it.
var ours = []string{"parallel_setup_cost=100", "parallel_tuple_cost=0.01", "jit=off"}

// Start makes the cluster in dir if there is none and starts it, or joins it
// where it is still running. Extra settings ("fsync=off") are for tests.
func Start(dir string, settings ...string) (*Cluster, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	c := &Cluster{dir: filepath.Join(dir, "postgres")}
	if c.bin, err = binaries(); err != nil {
		return nil, err
	}
	if err := c.prepare(dir); err != nil {
		return nil, err
	}
	if _, err := os.Stat(filepath.Join(c.dir, "PG_VERSION")); errors.Is(err, fs.ErrNotExist) {
		if err := c.init(dir); err != nil {
			return nil, err
		}
	}
	if err := c.checkVersion(); err != nil {
		return nil, err
	}
	secret, err := os.ReadFile(filepath.Join(dir, "secret"))
	if err != nil {
		return nil, fmt.Errorf("the database's password is gone: %w", err)
	}
	c.secret = string(secret)
	for _, s := range append(ours, settings...) {
		c.options = append(c.options, "-c", s)
	}
	if err := c.joinOrStart(); err != nil {
		return nil, err
	}
	c.URL, c.Owner = c.address(server), c.address(owner)
	if err := c.roles(context.Background()); err != nil {
		if lock := c.lock.Swap(nil); lock != nil {
			_ = lock.Close()
		}
		return nil, fmt.Errorf("the database in %s could not be made ready: %w", c.dir, err)
	}
	return c, nil
}

// joinOrStart finds the server running, or starts it as the program that stops it again. Where another program is about
// to stop it, that is waited for.
func (c *Cluster) joinOrStart() error {
	for try := 0; ; try++ {
		if err := c.own(); err != nil {
			return err
		}
		running, err := c.find()
		switch {
		case err != nil || running:
			return err
		case !c.Joined():
			if c.port, err = freePort(); err != nil {
				return err
			}
			return c.start()
		case try == 60:
			return fmt.Errorf("another program holds %s, but the database does not run", c.dir)
		}
		time.Sleep(500 * time.Millisecond)
	}
}

// Leaving tells of a server that somebody stops just now: shut down, shutting down, or gone amid a word.
func Leaving(err error) bool {
	var said *pgconn.PgError
	if errors.As(err, &said) {
		return said.Code == "57P01" || said.Code == "57P03" // admin_shutdown, cannot_connect_now
	}
	return errors.Is(err, syscall.ECONNREFUSED) || errors.Is(err, syscall.ECONNRESET) || errors.Is(
		err, io.ErrUnexpectedEOF,
	)
}

// The roles of a cluster. The first makes the others and is used for nothing else.
const (
	super  = "metrogon"
	owner  = "metrogon_owner"
	server = "metrogon_serve"
)

func (c *Cluster) address(role string) string {
	u := url.URL{
		Scheme: "postgres", User: url.UserPassword(role, c.secret),
		Host: fmt.Sprintf("127.0.0.1:%d", c.port), Path: "/postgres", RawQuery: "sslmode=disable",
	}
	return u.String()
}

// start runs the server on the cluster's port. One that was killed a moment ago may
// be visible still: then it is tried again.
func (c *Cluster) start() error {
	options := append([]string{
		"-p", strconv.Itoa(c.port), "-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories=",
	}, c.options...)
	log := filepath.Join(c.dir, "server.log")
	for try := 0; ; try++ {
		if err := c.clearStale(); err != nil {
			return err
		}
		out, err := c.run("pg_ctl", "-D", c.dir, "-w", "-l", log, "-o", strings.Join(options, " "), "start")
		if err == nil {
			return nil
		}
		said := lastLine(out)
		if tail, err := os.ReadFile(log); err == nil {
			said = lastLine(string(tail[max(0, len(tail)-2000):]))
		}
		if try == 4 || !strings.Contains(said, "still in use") && !strings.Contains(said, "already exists") {
			return fmt.Errorf("the database in %s did not start: %s; its own words are in %s", c.dir, said, log)
		}
		time.Sleep(time.Second)
	}
}

// Joined tells that another program runs the server, and will stop it. A server
// that a killed program left behind is nobody's: who finds it owns it.
func (c *Cluster) Joined() bool { return c.lock.Load() == nil }

// own takes the lock of the one who is to stop the server, if nobody has it.
func (c *Cluster) own() error {
	if !c.Joined() {
		return nil
	}
	path := filepath.Join(filepath.Dir(c.dir), "lock")
	lock, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return fmt.Errorf("cannot write %s: %w", path, err)
	}
	if syscall.Flock(int(lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB) != nil {
		return lock.Close()
	}
	c.lock.Store(lock)
	return nil
}

// Stop ends the server after what runs in it is rolled back or done. It is asked who
// it is before: a process that only has the number of a server of ours is left alone.
func (c *Cluster) Stop() error {
	if c.stopWatch != nil {
		c.stopWatch()
	}
	running, err := c.find()
	if err != nil {
		return err
	}
	if running {
		if out, err := c.run("pg_ctl", "-D", c.dir, "-m", "fast", "-w", "stop"); err != nil {
			return fmt.Errorf("the database in %s did not stop: %s", c.dir, lastLine(out))
		}
	}
	if lock := c.lock.Swap(nil); lock != nil {
		return lock.Close()
	}
	return nil
}

func (c *Cluster) init(dir string) error {
	secret := filepath.Join(dir, "secret")
	if err := os.WriteFile(secret, []byte(rand.Text()), 0o600); err != nil {
		return fmt.Errorf("cannot write %s: %w", secret, err)
	}
	if err := c.give(secret); err != nil {
		return err
	}
	out, err := c.run(
		"initdb", "-D", c.dir, "-U", super, "--pwfile="+secret, "--auth=scram-sha-256", "--encoding=UTF8",
		"--locale=C.UTF-8",
	)
	if err != nil {
		os.RemoveAll(c.dir)
		return fmt.Errorf("no database could be made in %s: %s", c.dir, lastLine(out))
	}
	return nil
}

// prepare makes the folder, and as root gives it to the postgres user.
func (c *Cluster) prepare(dir string) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return fmt.Errorf("cannot make the data folder %s: %w", dir, err)
	}
	if os.Geteuid() != 0 {
		return nil
	}
	owner, err := user.Lookup("postgres")
	if err != nil {
		return fmt.Errorf("there is no user named postgres to run the database as; install Debian's package postgresql")
	}
	uid, _ := strconv.Atoi(owner.Uid)
	gid, _ := strconv.Atoi(owner.Gid)
	c.asOwner = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}}
	if err := c.give(dir); err != nil {
		return err
	}
	if err := c.command("test", "-w", dir).Run(); err != nil {
		return fmt.Errorf(
			"the user postgres, who runs the database for root, cannot reach %s; name another folder in METROGON_DATA",
			dir,
		)
	}
	return nil
}

func (c *Cluster) give(path string) error {
	if c.asOwner == nil {
		return nil
	}
	if err := os.Chown(path, int(c.asOwner.Credential.Uid), int(c.asOwner.Credential.Gid)); err != nil {
		return fmt.Errorf("cannot hand %s to the user postgres: %w", path, err)
	}
	return nil
}

func (c *Cluster) checkVersion() error {
	made, err := os.ReadFile(filepath.Join(c.dir, "PG_VERSION"))
	if err != nil {
		return err
	}
	if have := filepath.Base(filepath.Dir(c.bin)); have != strings.TrimSpace(string(made)) {
		return fmt.Errorf(
			"the data in %s is of PostgreSQL %s, but only %s is installed; install Debian's package postgresql-%[2]s",
			c.dir, strings.TrimSpace(string(made)), have,
		)
	}
	return nil
}

func (c *Cluster) command(name string, args ...string) *exec.Cmd {
	cmd := exec.Command(name, args...)
	cmd.Dir = "/"
	cmd.SysProcAttr = c.asOwner
	return cmd
}

func (c *Cluster) run(name string, args ...string) (string, error) {
	// The server outlives pg_ctl and would hold a pipe open: it writes to a file.
	out, err := os.CreateTemp("", "metrogon-")
	if err != nil {
		return err.Error(), err
	}
	defer os.Remove(out.Name())
	defer out.Close()
	cmd := c.command(filepath.Join(c.bin, name), args...)
	cmd.Stdout, cmd.Stderr = out, out
	err = cmd.Run()
	said, _ := os.ReadFile(out.Name())
	return string(said), err
}

// Tool finds a program of the newest installed server, as pg_dump.
func Tool(name string) (string, error) {
	bin, err := binaries()
	return filepath.Join(bin, name), err
}

// binaries finds the newest installed server.
func binaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin")
	version := func(dir string) int { n, _ := strconv.Atoi(filepath.Base(filepath.Dir(dir))); return n }
	found = slices.DeleteFunc(found, func(dir string) bool {
		_, err := os.Stat(filepath.Join(dir, "initdb"))
		return err != nil
	})
	if len(found) == 0 {
		return "", errors.New(
			"PostgreSQL is not installed; install Debian's package postgresql, or name a server in " +
				"METROGON_DATABASE_URL",
		)
	}
	return slices.MaxFunc(found, func(a, b string) int { return version(a) - version(b) }), nil
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, fmt.Errorf("no free port on loopback: %w", err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func lastLine(out string) string {
	lines := strings.Split(strings.TrimSpace(out), "\n")
	for _, l := range slices.Backward(lines) {
		if strings.Contains(l, "error") || strings.Contains(l, "FATAL") || strings.Contains(l, "No space") {
			return l
		}
	}
	return lines[len(lines)-1]
}
