package cluster

import (
	"context"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5"
)

// roles makes the roles that own and that serve, with the cluster's password. Tables
// of a cluster from before there were such roles are handed to the owner.
func (c *Cluster) roles(ctx context.Context) error {
	err := c.as(ctx, super, []string{
		`select pg_advisory_lock(731)`,
		`do $$ begin
			create role ` + owner + ` nosuperuser;
		exception when duplicate_object then null;
		end $$`,
		`alter role ` + owner + ` with login createdb createrole password ` + quoted(c.secret),
		`alter database postgres owner to ` + owner,
		`do $$ declare t record; begin
			for t in select c.oid::regclass as name from pg_class c
				where c.relnamespace = 'public'::regnamespace and c.relkind in ('r', 'p')
					and c.relowner <> '` + owner + `'::regrole
			loop
				execute format('alter table %s owner to ` + owner + `', t.name);
			end loop;
		end $$`,
		`do $$ begin
			if exists (select from pg_roles where rolname = 'metrogon_farm') then
				grant metrogon_farm to ` + owner + ` with admin option;
			end if;
		end $$`,
	})
	if err != nil {
		return err
	}
	return c.as(ctx, owner, []string{
		`select pg_advisory_lock(731)`,
		`do $$ begin
			create role ` + server + ` nosuperuser;
		exception when duplicate_object then null;
		end $$`,
		`alter role ` + server + ` with login noinherit password ` + quoted(c.secret),
	})
}

// as runs statements in one connection of a role; its locks end with it.
func (c *Cluster) as(ctx context.Context, role string, statements []string) error {
	conn, err := pgx.Connect(ctx, c.address(role))
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	for _, sql := range statements {
		if _, err := conn.Exec(ctx, sql); err != nil {
			return fmt.Errorf("%.40s…: %w", strings.TrimSpace(sql), err)
		}
	}
	return nil
}

// quoted is a text as SQL writes it; the password is letters and digits.
func quoted(s string) string { return "'" + strings.ReplaceAll(s, "'", "''") + "'" }
