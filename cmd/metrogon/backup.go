package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"

	"metrogon/store"
	"metrogon/store/cluster"
	"metrogon/store/people"
)

type backupCmd struct {
	database
	File string `arg:"" help:"File to write; it must not be there yet."`
}

// Run writes the whole database, all farms and accounts, into one file, and reads it again.
func (b *backupCmd) Run(ctx context.Context) error {
	o, err := b.ready(ctx)
	if err != nil {
		return err
	}
	defer o.close()
	if err := dump(ctx, o.owner, b.File); err != nil {
		return err
	}
	fmt.Printf("Written to %s, and read again.\n", b.File)
	return nil
}

type restoreCmd struct {
	database
	File string `arg:"" type:"existingfile" help:"File that metrogon backup wrote."`
}

// Run puts a backup into a database without farms, all or nothing.
func (r *restoreCmd) Run(ctx context.Context) error {
	o, err := r.ready(ctx) // makes the roles, and the tables that are put in anew
	if err != nil {
		return err
	}
	defer o.close()
	some := false
	err = asOwner(ctx, o.owner, func(db *store.DB) error {
		some, err = people.Of(db).Populated(ctx)
		return err
	})
	if err != nil {
		return err
	}
	if some {
		return errors.New("this database has accounts already; a backup is restored into an empty one")
	}
	tool, err := cluster.Tool("pg_restore")
	if err != nil {
		return err
	}
	cmd, err := onDatabase(ctx, tool, o.owner, "--clean", "--if-exists", "--no-owner", "--single-transaction",
		"--exit-on-error", r.File)
	if err != nil {
		return err
	}
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("the backup could not be restored: %s", lastLine(out))
	}
	if _, err := store.Migrate(ctx, o.owner); err != nil { // it may be of an older program
		return err
	}
	fmt.Println("Restored. The tables are up to date.")
	return nil
}

// dump writes a database into a file by pg_dump, reads it to the end, and only then gives it its name.
func dump(ctx context.Context, url, file string) error {
	if _, err := os.Stat(file); err == nil {
		return fmt.Errorf("%s is there already", file)
	}
	write, err := cluster.Tool("pg_dump")
	if err != nil {
		return err
	}
	read, err := cluster.Tool("pg_restore")
	if err != nil {
		return err
	}
	part := file + ".part"
	out, err := os.OpenFile(part, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer os.Remove(part)
	var says strings.Builder
	cmd, err := onDatabase(ctx, write, url, "--format", "custom", "--no-owner")
	if err != nil {
		return err
	}
	cmd.Stdout, cmd.Stderr = out, &says
	err = errors.Join(cmd.Run(), out.Sync(), out.Close())
	if err != nil {
		return fmt.Errorf("the backup could not be written: %w %s", err, lastLine([]byte(says.String())))
	}
	check := exec.CommandContext(ctx, read, "--file", "-", part)
	check.Stdout = io.Discard
	if err := check.Run(); err != nil {
		return fmt.Errorf("the backup cannot be read again: %w", err)
	}
	return os.Rename(part, file)
}

// onDatabase is a program of PostgreSQL's on a database. The password goes by its environment: what stands on the
// command line is read by everybody on the machine.
func onDatabase(ctx context.Context, tool, address string, args ...string) (*exec.Cmd, error) {
	at, err := pgconn.ParseConfig(address)
	if err != nil {
		return nil, errors.New("METROGON_DATABASE_URL is no address of a PostgreSQL database")
	}
	open := address
	if u, err := url.Parse(address); err == nil && u.User != nil {
		u.User = url.User(u.User.Username())
		q := u.Query()
		q.Del("password")
		u.RawQuery = q.Encode()
		open = u.String()
	} else {
		open = spelled.ReplaceAllString(address, "")
	}
	cmd := exec.CommandContext(ctx, tool, append(args, "--dbname", open)...)
	cmd.Env = append(os.Environ(), "PGPASSWORD="+at.Password)
	return cmd, nil
}

// spelled is a password in a connection string of words.
var spelled = regexp.MustCompile(`\bpassword\s*=\s*('(\\.|[^'])*'|\S*)`)

func lastLine(out []byte) string {
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	return lines[len(lines)-1]
}

// backups are the daily ones of the program's own database.
type backups struct {
	folder, url string
	ours        func() bool // this program runs the server
}

// How long daily backups are kept, and how old the newest may be.
const (
	backupsKept  = 14 * 24 * time.Hour
	backupsEvery = 24 * time.Hour
)

// backupsOf are those of the program's own database; nil for a database that others see to.
func backupsOf(data string, o opened) *backups {
	if o.server == nil {
		return nil
	}
	return &backups{filepath.Join(data, "backups"), o.owner, func() bool { return !o.server.Joined() }}
}

// turnOf is the work that comes round for them; nil where there is none.
func (b *backups) turnOf() func(context.Context, time.Time) error {
	if b == nil {
		return nil
	}
	return b.turn
}

func (b *backups) all() (files []string) {
	files, _ = filepath.Glob(filepath.Join(b.folder, "*.dump"))
	slices.Sort(files)
	return files
}

// newest is when the newest backup was written; zero for none.
func (b *backups) newest() time.Time {
	all := b.all()
	if len(all) == 0 {
		return time.Time{}
	}
	info, err := os.Stat(all[len(all)-1])
	if err != nil {
		return time.Time{}
	}
	return info.ModTime()
}

// turn writes the backup of the day if there is none yet, and removes those that are too old.
func (b *backups) turn(ctx context.Context, now time.Time) error {
	if !b.ours() || now.Sub(b.newest()) < backupsEvery {
		return nil
	}
	if err := os.MkdirAll(b.folder, 0o700); err != nil {
		return err
	}
	file := filepath.Join(b.folder, now.UTC().Format("2006-01-02T150405Z")+".dump")
	if err := dump(ctx, b.url, file); err != nil {
		return err
	}
	return b.drop(now, file)
}

// drop removes backups that are too old, but for the one just written.
func (b *backups) drop(now time.Time, but string) error {
	for _, old := range b.all() {
		if info, err := os.Stat(old); err == nil && old != but && now.Sub(info.ModTime()) > backupsKept {
			if err := os.Remove(old); err != nil {
				return err
			}
		}
	}
	return nil
}
