package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"strings"

	"metrogon/demo"
	"metrogon/farm"
	"metrogon/farm/people"
	"metrogon/farm/services"
	"metrogon/formats/lists"
	"metrogon/formats/table"
	"metrogon/store/breeders"
)

type demoCmd struct {
	database
	Seasons int `default:"2" help:"Past seasons to make up; 10 makes a big farm of about 60 000 eggs."`
}

func (d *demoCmd) Run(ctx context.Context, c *cli) error {
	if d.Seasons < 1 || d.Seasons > 100 {
		return wrong{fmt.Errorf("--seasons is %d; it may be 1 to 100", d.Seasons)}
	}
	db, end, err := d.openOwner(ctx)
	if err != nil {
		return err
	}
	defer end()
	there, err := demo.There(ctx, db)
	if err != nil {
		return err
	}
	if there {
		return errors.New("the demo farm is there already")
	}
	if err := demo.Load(ctx, db, c.Now.clock()(), d.Seasons); err != nil {
		return err
	}
	fmt.Printf("Loaded %s. Sign in as %s with the password %s\n", demo.Name, demo.Email, demo.Password)
	return nil
}

type verifyCmd struct{ database }

// Run counts anew what is kept beside the eggs, and fails where the two differ.
func (v *verifyCmd) Run(ctx context.Context) error {
	db, end, err := v.openOwner(ctx)
	if err != nil {
		return err
	}
	defer end()
	n, err := breeders.Of(db).Miscounted(ctx)
	if err != nil {
		return err
	}
	if n > 0 {
		return fmt.Errorf("%d sums are not what the eggs say", n)
	}
	fmt.Println("The sums are what the eggs say.")
	return nil
}

type migrateCmd struct{ database }

func (m *migrateCmd) Run(ctx context.Context) error {
	o, err := m.ready(ctx)
	if err != nil {
		return err
	}
	o.close()
	fmt.Println("The tables are up to date.")
	return nil
}

type importCmd struct {
	Eggs importEggsCmd `cmd:"" help:"${help_import}"`
}

type importEggsCmd struct {
	database
	File     string `arg:"" type:"existingfile" help:"The workbook or CSV file."`
	Farm     string `required:"" help:"Name of the farm that the eggs are for."`
	MakePens bool   `help:"Make the pens that the farm does not have yet."`
}

func (i *importEggsCmd) Run(ctx context.Context, c *cli) error {
	file, err := os.ReadFile(i.File)
	if err != nil {
		return err
	}
	rows, err := table.Read(file)
	if err != nil {
		return wrong{err}
	}
	columns := lists.Guess(lists.OfCollections, rows[0])
	if missing := lists.Missing(lists.OfCollections, columns); missing != nil {
		return wrong{fmt.Errorf("no column is named like %q", missing.Name)}
	}
	lines, found := lists.Collections(rows, columns)
	if found.Assumed != "" {
		fmt.Println(found.Assumed)
	}
	if len(found.Bad) > 0 {
		return refuse(found.Bad)
	}
	db, end, err := i.open(ctx)
	if err != nil {
		return err
	}
	defer end()
	books := services.New(db, c.Now.clock())
	owner, err := ownerOf(ctx, books, i.Farm)
	if err != nil {
		return err
	}
	would, err := books.Stock.ImportEggs(ctx, farm.NewRequest(owner), lines, true)
	switch {
	case err != nil:
		return err
	case len(would.Bad) > 0:
		return refuse(would.Bad)
	case len(would.NewPens) > 0 && !i.MakePens:
		return wrong{fmt.Errorf(
			"nothing came in: the farm has no pen %s; --make-pens makes them", strings.Join(would.NewPens, ", "),
		)}
	}
	done, err := books.Stock.ImportEggs(ctx, farm.NewRequest(owner), lines, false)
	if err != nil {
		return err
	}
	fmt.Printf(
		"%d lines came in with %d eggs and %d rejects; %d lines had come in before.\n", done.Lines, done.Eggs,
		done.Rejected, done.Known,
	)
	return nil
}

func refuse(bad []farm.BadLine) error {
	out := bufio.NewWriter(os.Stderr)
	defer out.Flush()
	for _, b := range bad {
		fmt.Fprintf(out, "line %d, %s: %s\n", b.No, b.Column, b.Reason)
	}
	return wrong{errors.New("nothing came in")}
}

type userCmd struct {
	Add      userAddCmd      `cmd:"" help:"${help_user}"`
	Password userPasswordCmd `cmd:"" help:"Set a password, read from standard input."`
}

type userAddCmd struct {
	database
	Email string `arg:"" help:"E-mail address to sign in with."`
	Name  string `required:"" help:"The person's name."`
	Farm  string `required:"" help:"The farm's name."`
	Zone  string `default:"Europe/London" help:"Time zone of a new farm, like Europe/Vienna."`
	Role  string `default:"owner" enum:"owner,helper" help:"owner or helper, on a farm that is there."`
}

func (u *userAddCmd) Run(ctx context.Context, c *cli) error {
	password, err := typed()
	if err != nil {
		return err
	}
	db, end, err := u.open(ctx)
	if err != nil {
		return err
	}
	defer end()
	books := services.New(db, c.Now.clock())
	owner, err := books.People.Owner(ctx, u.Farm)
	switch {
	case errors.Is(err, farm.ErrNone):
		_, err = books.People.SetUp(
			ctx, people.NewFarm{Farm: u.Farm, Zone: u.Zone, Name: u.Name, Email: u.Email, Password: password}, false,
		)
	case err == nil:
		err = books.People.AddPerson(ctx, owner, u.Name, u.Email, password, u.Role)
	}
	return asWrong(err)
}

type userPasswordCmd struct {
	database
	Email string `arg:"" help:"E-mail address of the account."`
}

func (u *userPasswordCmd) Run(ctx context.Context, c *cli) error {
	password, err := typed()
	if err != nil {
		return err
	}
	db, end, err := u.open(ctx)
	if err != nil {
		return err
	}
	defer end()
	err = services.New(db, c.Now.clock()).People.SetPassword(ctx, u.Email, password)
	if errors.Is(err, farm.ErrNone) {
		return wrong{fmt.Errorf("there is no account of %q", u.Email)}
	}
	return asWrong(err)
}

func asWrong(err error) error {
	if errors.As(err, new(farm.Problems)) {
		return wrong{err}
	}
	return err
}

func typed() (string, error) {
	fmt.Fprint(os.Stderr, "Password: ")
	line, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if err != nil && line == "" {
		return "", wrong{errors.New("no password on standard input")}
	}
	return strings.TrimRight(line, "\r\n"), nil
}
