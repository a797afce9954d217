// Command metrogon plans incubation batches and keeps their records.
package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"
	"time"
	_ "time/tzdata" // zones, wherever the machine keeps none

	"github.com/alecthomas/kong"

	"metrogon/core/incubator"
	"metrogon/farm"
	"metrogon/store"
	"metrogon/store/cluster"
)

type cli struct {
	Now Moment `help:"${help_now}" placeholder:"MOMENT"`

	Serve   serveCmd   `cmd:"" help:"Serve the pages."`
	Demo    demoCmd    `cmd:"" help:"Load the demo farm."`
	Migrate migrateCmd `cmd:"" help:"Bring the database's tables up to date."`
	Verify  verifyCmd  `cmd:"" help:"Count the eggs anew and compare with the sums that are kept."`
	Calc    calcCmd    `cmd:"" help:"Compute from JSON on standard input to JSON on standard output."`
	Import  importCmd  `cmd:"" help:"Bring a file in."`
	Archive archiveCmd `cmd:"" help:"Write a whole farm into one file, or restore it."`
	Backup  backupCmd  `cmd:"" help:"Write the whole database into one file."`
	Restore restoreCmd `cmd:"" help:"Put a backup into an empty database."`
	Scale   scaleCmd   `cmd:"" help:"A simulated scale that sends weights to a server, for hands-free weighing."`
	Probe   probeCmd   `cmd:"" help:"A simulated probe in a simulated machine that sends its readings to a server."`
	Version versionCmd `cmd:"" help:"Say which program this is, and what it was built from."`
	Mailbox mailboxCmd `cmd:"" help:"A mail server that only shows what it is sent, for trying out."`
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

// help is what is too long for a tag.
var help = kong.Vars{
	"help_now":      "Freeze the clock at this moment, like 2027-04-14T07:00:00Z; for demos and tests.",
	"help_database": "Use this PostgreSQL database instead of one of the program's own.",
	"help_owner": "The same database as the owner of its tables, who brings them up to date; " +
		"--database-url where it is not given.",
	"help_import": "Bring collections in from a workbook or CSV file; its columns are known by their names. " +
		"All lines come in, or none.",
	"help_user":  "Make an account; of a new farm if no farm has the name. The password is read from standard input.",
	"help_speed": "How fast its time goes; readings more than ten minutes ahead of the server are refused.",
	"local": "Farms may name MQTT brokers in this server's own network: true, false, or loopback, which is only " +
		"while it serves this machine alone.",
	"brokers":   "true,false,loopback",
	"scenarios": strings.Join(incubator.Scenarios, ", "),
	"help_weights": "Weights in g, put on one after the other; without any they are read from standard input, " +
		"one a line.",
}

func main() {
	var c cli
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	parser := kong.Must(
		&c, kong.Name("metrogon"), kong.UsageOnError(), help, kong.BindTo(ctx, (*context.Context)(nil)),
		kong.Description("Plan staggered incubation batches, and know what each pen's eggs did."),
		kong.ConfigureHelp(kong.HelpOptions{Compact: false, WrapUpperBound: 100}),
	)
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
	DatabaseURL string `name:"database-url" env:"METROGON_DATABASE_URL" help:"${help_database}" placeholder:"URL"`
	OwnerURL    string `name:"owner-url" env:"METROGON_OWNER_URL" help:"${help_owner}" placeholder:"URL"`
	Data        string `env:"METROGON_DATA" default:".metrogon" help:"Folder of the program's own database." type:"path"`
}

// opened is a database that is up to date.
type opened struct {
	url, owner string
	server     *cluster.Cluster // the program's own; nil where one was named
}

// close stops the program's own server, if it is this program's to stop.
func (o opened) close() {
	if o.server == nil || o.server.Joined() {
		return
	}
	if err := o.server.Stop(); err != nil {
		slog.Error("stopping", "err", err)
	}
}

// ready starts the program's own server if no database is named, and brings the
// tables up to date as their owner.
func (d database) ready(ctx context.Context) (o opened, err error) {
	for try := 0; ; try++ {
		o, err = d.once(ctx)
		if err == nil || try == 20 || !cluster.Leaving(err) {
			return o, err
		}
		select { // another program stops the server just now; the next try starts it again
		case <-ctx.Done():
			return o, ctx.Err()
		case <-time.After(500 * time.Millisecond):
		}
	}
}

// once makes the database ready, or says why it is not.
func (d database) once(ctx context.Context) (o opened, err error) {
	o.url, o.owner = d.DatabaseURL, cmp.Or(d.OwnerURL, d.DatabaseURL)
	if o.url == "" {
		if err := room(d.Data); err != nil {
			return o, err
		}
		if o.server, err = cluster.Start(d.Data); err != nil {
			return o, err
		}
		o.url, o.owner = o.server.URL, o.server.Owner
	}
	if _, err := store.Migrate(ctx, o.owner); err != nil {
		o.close()
		return o, err
	}
	return o, nil
}

// open connects as the program serves, and returns what ends it.
func (d database) open(ctx context.Context) (*store.DB, func(), error) {
	return d.connect(ctx, func(o opened) (*store.DB, error) { return store.Open(ctx, o.url, nil) })
}

// openOwner connects as the owner of the tables.
func (d database) openOwner(ctx context.Context) (*store.DB, func(), error) {
	return d.connect(ctx, func(o opened) (*store.DB, error) { return store.OpenOwner(ctx, o.owner) })
}

func (d database) connect(ctx context.Context, how func(opened) (*store.DB, error)) (*store.DB, func(), error) {
	o, err := d.ready(ctx)
	if err != nil {
		return nil, nil, err
	}
	db, err := how(o)
	if err != nil {
		o.close()
		return nil, nil, err
	}
	return db, func() { db.Close(); o.close() }, nil
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
