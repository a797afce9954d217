package archive

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"metrogon/store"
	"metrogon/store/probes"
)

// Archived are the tables of a farm that go into an archive, those that others lean on first. What is
// left out follows from the rest (sums), is of this server alone (keys, links), or was said already
// (reminders).
func Archived() []string {
	left := []string{
		"requests", "invitations", "handovers", "handover_ticks", "feeds", "reminder_wishes", "reminded", "import_columns",
		"brokers",
	}
	all := slices.DeleteFunc(slices.Clone(store.Tables), func(t string) bool { return slices.Contains(left, t) })
	slices.Reverse(all)
	return all
}

// farmKept are what an archive holds of the farm itself.
var farmKept = []string{
	"name", "zone", "chore_at", "warm_hours", "rest_hours", "tilts", "dry_hours", "altitude_m", "out_calls",
	"kinds", "own_kinds", "sell_pct", "swap_pct",
}

// DumpFarm gives the farm's own row.
func (tx Tx) DumpFarm(ctx context.Context) (json.RawMessage, error) {
	pairs := make([]string, len(farmKept))
	for i, c := range farmKept {
		pairs[i] = fmt.Sprintf("'%s', %s", c, c)
	}
	return store.Value[json.RawMessage](ctx, tx,
		`select jsonb_build_object(`+strings.Join(pairs, ", ")+`) from farms where id = $1`, tx.FarmID)
}

// Everybody lists those who are or were on a farm: who they are, never a password.
func (db DB) Everybody(ctx context.Context, farmID int64) ([]IncomingPerson, error) {
	return store.List[IncomingPerson](ctx, db.Door, `
		select p.id, p.name, p.email, m.role, m.ended_at
		from memberships m
		join people p on p.id = m.person_id
		where m.farm_id = $1
		order by p.id`, farmID)
}

// Named is somebody by name.
type Named struct {
	ID   int64
	Name string
}

// EverOn names all who are on a farm or were.
func (db DB) EverOn(ctx context.Context, farmID int64) ([]Named, error) {
	return store.List[Named](ctx, db.Door, `
		select p.id, p.name
		from memberships m
		join people p on p.id = m.person_id
		where m.farm_id = $1
		order by m.ended_at is not null, lower(p.name), p.id`, farmID)
}

// Dump gives the rows of a table of the farm, in the order of their keys; digests of what opens something here are left
// out.
func (tx Tx) Dump(ctx context.Context, table string, row func(json.RawMessage) error) error {
	if !slices.Contains(Archived(), table) {
		return fmt.Errorf("the table %s is not archived", table)
	}
	keys, err := store.Value[string](ctx, tx, `
		select string_agg(quote_ident(a.attname), ', ' order by array_position(i.indkey::int[], a.attnum::int))
		from pg_index i
		join pg_attribute a on a.attrelid = i.indrelid and a.attnum = any (i.indkey)
		where i.indrelid = $1::text::regclass and i.indisprimary`, table)
	if err != nil {
		return err
	}
	return tx.dump(ctx, row, `
		select to_jsonb(t) - 'farm_id' - 'digest' from `+table+` t where farm_id = $1 order by `+keys)
}

func (tx Tx) dump(ctx context.Context, row func(json.RawMessage) error, sql string) error {
	rows, err := tx.Query(ctx, sql, tx.FarmID)
	if err != nil {
		return err
	}
	var one json.RawMessage
	_, err = pgx.ForEachRow(rows, []any{&one}, func() error { return row(one) })
	return err
}

// ErrNotEmpty says that a farm has records already.
var ErrNotEmpty = errors.New("the farm is not empty")

// MalformedError says that an archive holds what no farm can hold.
type MalformedError struct{ Says string }

func (e MalformedError) Error() string { return e.Says }

// malformed turns what the database refuses of an archive's rows into a MalformedError: values of the wrong
// kind (class 22) and rows that break its rules (class 23).
func malformed(part string, err error) error {
	var pg *pgconn.PgError
	if errors.As(err, &pg) && (strings.HasPrefix(pg.Code, "22") || strings.HasPrefix(pg.Code, "23")) {
		return MalformedError{fmt.Sprintf("%s.jsonl: %s", part, pg.Message)}
	}
	var broken *json.SyntaxError
	var mistyped *json.UnmarshalTypeError
	if errors.As(err, &broken) || errors.As(err, &mistyped) {
		return MalformedError{fmt.Sprintf("%s.jsonl: %s", part, err)}
	}
	return err
}

// mostID is the highest id that an archive may bring: those that are given next, to every farm of the
// server, come after it.
const mostID = 1_000_000_000_000

// Incoming is an archive as it is read.
type Incoming struct {
	Farm   json.RawMessage
	People []IncomingPerson
	// Rows gives the rows of a table, in pieces.
	Rows func(table string, piece func([]json.RawMessage) error) error
}

// IncomingPerson is somebody of an archive.
type IncomingPerson struct {
	ID      int64      `json:"id"`
	Name    string     `json:"name"`
	Email   string     `json:"email"`
	Role    string     `json:"role"`
	EndedAt *time.Time `json:"ended_at"`
}

// RestoreFarm puts an archive into a farm without records, all or nothing. Its ids stay what they
// were, so that addresses lead where they led. Only the owner of the tables may.
func (db DB) RestoreFarm(ctx context.Context, farmID, personID int64, in Incoming) error {
	return pgx.BeginFunc(ctx, db.Pool, func(tx pgx.Tx) error {
		for _, table := range []string{"pens", "machines", "eggs", "batches"} {
			some, err := store.Value[bool](ctx, tx, `select exists (select from `+table+` where farm_id = $1)`, farmID)
			if err != nil {
				return err
			}
			if some {
				return ErrNotEmpty
			}
		}
		for _, table := range []string{"journal_subjects", "journal"} { // of the empty farm
			if _, err := tx.Exec(ctx, `delete from `+table+` where farm_id = $1`, farmID); err != nil {
				return err
			}
		}
		who, err := restorePeople(ctx, tx, farmID, personID, in.People)
		if err != nil {
			return malformed("people", err)
		}
		if err := restoreFarm(ctx, tx, farmID, in.Farm); err != nil {
			return malformed("farm", err)
		}
		for _, table := range Archived() {
			if err := restoreTable(ctx, tx, farmID, table, who, in.Rows); err != nil {
				return malformed(table, err)
			}
		}
		_, err = tx.Exec(ctx, `update farms set eggs_version = nextval('egg_versions') where id = $1`, farmID)
		return err
	})
}

// restorePeople gives who each person of an archive is here: the one who restores it, by their address, or else a name
// alone. An archive says of an address only that somebody wrote it there; whoever it is comes by an invitation.
func restorePeople(
	ctx context.Context, tx pgx.Tx, farmID, personID int64, people []IncomingPerson,
) (who map[int64]int64, err error) {
	who = map[int64]int64{}
	self, err := store.Value[string](ctx, tx, `select lower(email) from people where id = $1`, personID)
	if err != nil {
		return nil, err
	}
	for _, p := range people {
		if strings.ToLower(p.Email) == self {
			who[p.ID] = personID
			continue
		}
		id, err := store.Value[int64](ctx, tx, `
			insert into people (email, name, password_hash) values ('archived-' || gen_random_uuid(), $1, '')
			returning id`, p.Name)
		if err != nil {
			return nil, err
		}
		who[p.ID] = id
		if _, err := tx.Exec(ctx, `
			insert into memberships (farm_id, person_id, role, ended_at)
			values ($1, $2, $3, coalesce($4::timestamptz, clock_timestamp()))`, farmID, id, p.Role, p.EndedAt); err != nil {
			return nil, err
		}
	}
	return who, nil
}

func restoreFarm(ctx context.Context, tx pgx.Tx, farmID int64, row json.RawMessage) error {
	var there map[string]any
	if err := json.Unmarshal(row, &there); err != nil {
		return err
	}
	var set []string
	for _, c := range farmKept {
		if _, ok := there[c]; ok {
			set = append(set, fmt.Sprintf("%s = r.%s", c, c))
		}
	}
	_, err := tx.Exec(ctx, `
		update farms f set `+strings.Join(set, ", ")+`
		from jsonb_populate_record(null::farms, $2::jsonb) r
		where f.id = $1`, farmID, string(row))
	return err
}

func restoreTable(
	ctx context.Context, tx pgx.Tx, farmID int64, table string, who map[int64]int64,
	rows func(string, func([]json.RawMessage) error) error,
) error {
	known, err := store.Value[[]string](ctx, tx, `
		select array_agg(attname::text) from pg_attribute
		where attrelid = $1::text::regclass and attnum > 0 and not attisdropped and attgenerated = ''`, table)
	if err != nil {
		return err
	}
	persons := map[string]int64{}
	for before, now := range who {
		persons[fmt.Sprint(before)] = now
	}
	mapped, err := json.Marshal(persons)
	if err != nil {
		return err
	}
	old := false // of a program that knew less
	err = rows(table, func(piece []json.RawMessage) error {
		var first map[string]json.RawMessage
		if err := json.Unmarshal(piece[0], &first); err != nil {
			return err
		}
		old = old || table == "brood_outs" && first["buyer"] == nil
		if table == "samples" || table == "sample_minutes" {
			if err := monthsOf(ctx, tx, table, piece); err != nil {
				return err
			}
		}
		columns := []string{"farm_id"}
		for c := range first {
			if !slices.Contains(known, c) {
				return MalformedError{fmt.Sprintf(
					"%s.jsonl: the column %s is not known here; the archive is of a newer program", table, c,
				)}
			}
			columns = append(columns, pgx.Identifier{c}.Sanitize())
		}
		whole, err := json.Marshal(piece)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			insert into `+table+` (`+strings.Join(columns, ", ")+`) overriding system value
			select r.`+strings.Join(columns, ", r.")+`
			from jsonb_array_elements($2::jsonb) row,
				jsonb_populate_record(null::`+table+`, row || jsonb_build_object(
					'farm_id', $1::bigint, 'person_id', $3::jsonb -> (row ->> 'person_id')
				)) r`, farmID, string(whole), string(mapped))
		return err
	})
	if err != nil {
		return err
	}
	if old {
		_, err := tx.Exec(ctx, `
			update brood_outs
			set buyer = cause, cause = ''
			where farm_id = $1 and why in ('sold', 'given away')`, farmID)
		if err != nil {
			return err
		}
	}
	if !slices.Contains(known, "id") {
		return nil
	}
	some, err := store.Value[bool](ctx, tx, `
		select exists (select from `+table+` where farm_id = $1 and id not between 1 and $2)`, farmID, int64(mostID))
	if err != nil {
		return err
	}
	if some {
		return MalformedError{fmt.Sprintf("%s.jsonl: an id is not from 1 to %d", table, int64(mostID))}
	}
	_, err = tx.Exec(ctx, `
		select setval(s, greatest((select max(id) from `+table+` where farm_id = $1), pg_sequence_last_value(s::regclass)))
		from pg_get_serial_sequence($2, 'id') s
		where s is not null and exists (select from `+table+` where farm_id = $1)`, farmID, table)
	return err
}

// monthsOf makes the months of samples that rows go into.
func monthsOf(ctx context.Context, tx pgx.Tx, table string, rows []json.RawMessage) error {
	made := map[time.Time]bool{}
	for _, raw := range rows {
		var row struct{ At time.Time }
		if err := json.Unmarshal(raw, &row); err != nil {
			return err
		}
		if month := probes.MonthOf(row.At); !made[month] {
			made[month] = true
			if err := probes.MakeMonths(ctx, tx, table, month); err != nil {
				return err
			}
		}
	}
	return nil
}
