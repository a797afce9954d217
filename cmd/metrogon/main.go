// Command metrogon plans incubation batches and keeps their records.
package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"path/filepath"
	"syscall"
	"time"
	_ "time/tzdata" // zones, wherever the machine keeps none

	"github.com/alecthomas/kong"

	"metrogon/farm"
	"metrogon/store"
	"metrogon/store/cluster"
)

type cli struct {
	Now Moment `help:"Freeze the clock at this moment, like 2027-04-14T07:00:00Z; for demos and tests." placeholder:"MOMENT"`

	Serve   serveCmd   `cmd:"" help:"Serve the pages."`
	Demo    demoCmd    `cmd:"" help:"Load the demo farm."`
	Migrate migrateCmd `cmd:"" help:"Bring the database's tables up to date."`
	Calc    calcCmd    `cmd:"" help:"Compute from JSON on standard input to JSON on standard output."`
	Import  importCmd  `cmd:"" help:"Bring a file in."`
	Scale   scaleCmd   `cmd:"" help:"A simulated scale that sends weights to a server, for hands-free weighing."`
	User    userCmd    `cmd:"" help:"Make accounts and set passwords."`
}

// Moment is a frozen clock; zero runs freely.
type Moment struct{ time.Time }

// UnmarshalText reads RFC 3339.
func (m *Moment) UnmarshalText(text []byte) (err error) {
	if m.Time, err = time.Parse(time.RFC3339, string(text)); err != nil {
		return fmt.Errorf("%q is no moment; it may look like 2027-04-14T07:00:00Z", text)
	}
	return nil
}

func (m Moment) clock() farm.Clock {
	if m.IsZero() {
		return time.Now
	}
	return func() time.Time { return m.Time }
}

// wrong is a mistake in what was given: exit code 2 and one line.
type wrong struct{ error }

func main() {
	var c cli
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	parser := kong.Must(&c, kong.Name("metrogon"), kong.UsageOnError(), kong.ConfigureHelp(kong.HelpOptions{Compact: false, WrapUpperBound: 100}),
		kong.Description("Plan staggered incubation batches, and know what each pen's eggs did."), kong.BindTo(ctx, (*context.Context)(nil)))
	run, err := parser.Parse(os.Args[1:])
	if err != nil {
		fmt.Fprintln(os.Stderr, "metrogon:", err)
		os.Exit(2)
	}
	if err := run.Run(&c); err != nil {
		fmt.Fprintln(os.Stderr, "metrogon:", err)
		if errors.As(err, new(wrong)) {
			os.Exit(2)
		}
		os.Exit(1)
	}
}

// database says where the records are.
type database struct {
	DatabaseURL string `name:"database-url" env:"METROGON_DATABASE_URL" help:"Use this PostgreSQL database instead of one of the program's own." placeholder:"URL"`
	Data        string `env:"METROGON_DATA" default:".metrogon" help:"Folder of the program's own database." type:"path"`
}

// open starts the program's own database if none is named, brings its tables
// up to date, and returns it with what ends it.
func (d database) open(ctx context.Context) (*store.DB, func(), error) {
	url, end := d.DatabaseURL, func() {}
	if url == "" {
		if err := room(d.Data); err != nil {
			return nil, end, err
		}
		server, err := cluster.Start(d.Data)
		if err != nil {
			return nil, end, err
		}
		url = server.URL
		if !server.Joined() {
			end = func() {
				if err := server.Stop(); err != nil {
					slog.Error("stopping", "err", err)
				}
			}
		}
	}
	db, err := store.Open(ctx, url, nil)
	if err != nil {
		end()
		return nil, func() {}, err
	}
	closeAll := func() { db.Close(); end() }
	if _, err := db.Migrate(ctx); err != nil {
		closeAll()
		return nil, func() {}, err
	}
	return db, closeAll, nil
}

// room tells early, in a sentence, that a disk is full.
func room(dir string) error {
	for ; ; dir = filepath.Dir(dir) {
		var fs syscall.Statfs_t
		if err := syscall.Statfs(dir, &fs); errors.Is(err, syscall.ENOENT) && dir != filepath.Dir(dir) {
			continue
		} else if err != nil {
			return fmt.Errorf("the data folder cannot be looked at: %w", err)
		}
		const least = 200 << 20
		if free := fs.Bavail * uint64(fs.Bsize); free < least {
			return fmt.Errorf("the disk of %s has %d MB left; the database needs %d", dir, free>>20, least>>20)
		}
		return nil
	}
}
