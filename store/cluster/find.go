package cluster

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// left is what a server wrote down of itself in its folder: it may have been killed
// since, and its number given to another process.
type left struct{ pid, port int }

func (c *Cluster) pidFile() string { return filepath.Join(c.dir, "postmaster.pid") }

func (c *Cluster) left() (l left, ok bool) {
	text, err := os.ReadFile(c.pidFile())
	if err != nil {
		return l, false
	}
	lines := strings.Split(string(text), "\n")
	if len(lines) < 4 {
		return l, false
	}
	pid, err1 := strconv.Atoi(strings.TrimSpace(lines[0]))
	port, err2 := strconv.Atoi(strings.TrimSpace(lines[3]))
	return left{pid, port}, err1 == nil && err2 == nil
}

// find looks for a server that runs on this folder, which a killed program may have
// left behind, and keeps its port. What stands in the folder is not believed: the
// server itself is asked for the folder of its data.
func (c *Cluster) find() (running bool, err error) {
	for range 20 {
		l, ok := c.left()
		if !ok {
			return false, nil
		}
		c.port = l.port
		ours, err := c.ask()
		switch {
		case err == nil:
			return ours, nil
		case !starting(err) && !c.ownProcess(l.pid):
			return false, nil
		}
		time.Sleep(500 * time.Millisecond) // it is on its way up, or down
	}
	return false, fmt.Errorf("the database in %s runs, but does not answer", c.dir)
}

// ask asks the server on the cluster's port whether its data are in this folder.
func (c *Cluster) ask() (ours bool, err error) {
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	conn, err := pgx.Connect(ctx, c.address(super))
	if err != nil {
		return false, err
	}
	defer conn.Close(ctx)
	var dir string
	if err := conn.QueryRow(ctx, "show data_directory").Scan(&dir); err != nil {
		return false, err
	}
	return same(dir, c.dir), nil
}

func same(a, b string) bool {
	x, err1 := os.Stat(a)
	y, err2 := os.Stat(b)
	return err1 == nil && err2 == nil && os.SameFile(x, y)
}

// starting tells a server that comes up or goes down from one that is not there.
func starting(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "57P03"
}

// ownProcess tells whether a process is a server on this folder.
func (c *Cluster) ownProcess(pid int) bool {
	if syscall.Kill(pid, 0) != nil && !errors.Is(syscall.Kill(pid, 0), syscall.EPERM) {
		return false
	}
	line, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
	if err != nil {
		return false
	}
	args := bytes.Split(line, []byte{0})
	for i, arg := range args {
		if string(arg) == "-D" && i+1 < len(args) && same(string(args[i+1]), c.dir) {
			return strings.HasPrefix(filepath.Base(string(args[0])), "postgres")
		}
	}
	return false
}

// clearStale removes what a killed server wrote down of itself, if its number has
// gone to another process by now; PostgreSQL would not start for that.
func (c *Cluster) clearStale() error {
	l, ok := c.left()
	if !ok || c.ownProcess(l.pid) {
		return nil
	}
	if err := os.Remove(c.pidFile()); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("a stale %s is in the way: %w", c.pidFile(), err)
	}
	return nil
}
