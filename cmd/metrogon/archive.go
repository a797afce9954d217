package main

import (
	"context"
	"errors"
	"fmt"
	"os"

	"metrogon/farm"
	"metrogon/farm/books"
	"metrogon/farm/services"
	"metrogon/formats/archive"
	"metrogon/store"
)

type archiveCmd struct {
	Write archiveWriteCmd `cmd:"" help:"Write a farm into one archive."`
	Read  archiveReadCmd  `cmd:"" help:"Restore an archive into a farm that has no records."`
}

type archiveWriteCmd struct {
	database
	File string `arg:"" help:"File to write."`
	Farm string `required:"" help:"Name of the farm."`
}

func (a *archiveWriteCmd) Run(ctx context.Context, c *cli) error {
	db, end, err := a.open(ctx)
	if err != nil {
		return err
	}
	defer end()
	all := services.New(db, c.Now.clock())
	m, err := ownerOf(ctx, all, a.Farm)
	if err != nil {
		return err
	}
	out, err := os.Create(a.File)
	if err != nil {
		return err
	}
	return errors.Join(archive.Write(ctx, out, all.Books, m, all.Now()), out.Close())
}

type archiveReadCmd struct {
	database
	File string `arg:"" type:"existingfile" help:"The archive."`
	Farm string `required:"" help:"Name of the farm into which it goes."`
}

func (a *archiveReadCmd) Run(ctx context.Context, c *cli) error {
	from, err := os.Open(a.File)
	if err != nil {
		return err
	}
	defer from.Close()
	info, err := from.Stat()
	if err != nil {
		return err
	}
	in, contents, err := archive.Read(from, info.Size())
	if err != nil {
		return wrong{err}
	}
	o, err := a.ready(ctx)
	if err != nil {
		return err
	}
	defer o.close()
	return asOwner(ctx, o.owner, func(db *store.DB) error {
		m, err := ownerOf(ctx, services.New(db, c.Now.clock()), a.Farm)
		if err != nil {
			return err
		}
		if err := books.Restore(ctx, db, m, in); err != nil {
			return err
		}
		fmt.Printf("%s is restored into %s.\n", contents.Farm, a.Farm)
		return nil
	})
}

// ownerOf finds a farm's owner by the farm's name.
func ownerOf(ctx context.Context, all *services.Services, name string) (*farm.Member, error) {
	m, err := all.People.Owner(ctx, name)
	if errors.Is(err, farm.ErrNone) {
		return nil, wrong{fmt.Errorf("there is no farm named %q", name)}
	}
	return m, asWrong(err)
}
