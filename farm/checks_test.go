package farm_test

import (
	"regexp"
	"strings"
	"testing"
	_ "time/tzdata"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/outcome"
	"metrogon/farm"
	"metrogon/store/storetest"
)

func TestEveryCheckHasItsSentence(t *testing.T) {
	t.Parallel()
	owner := storetest.Owner(t, storetest.Open(t, nil))
	rows, err := owner.Pool.Query(t.Context(), `
		select conname from pg_constraint
		where contype = 'c' and conrelid::regclass::text not like 'river%'
			and connamespace = 'public'::regnamespace and conrelid <> 'goose_db_version'::regclass`)
	require.NoError(t, err)
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	assert.Greater(t, len(names), 60)
	for _, name := range names {
		says, ok := farm.Checks[name]
		assert.True(t, ok && strings.HasSuffix(says.Says, "."), "the check %s has no sentence", name)
	}
	var fates string // the database knows core's fates, and no others
	require.NoError(t, owner.Pool.QueryRow(t.Context(),
		`select pg_get_constraintdef(oid) from pg_constraint where conname = 'eggs_fate_check'`).Scan(&fates))
	all := regexp.MustCompile(`'([a-z-]+)'`).FindAllStringSubmatch(fates, -1)
	var known []outcome.Fate
	for _, m := range all {
		known = append(known, outcome.Fate(m[1]))
	}
	assert.ElementsMatch(t, []outcome.Fate{
		outcome.Hatched, outcome.Unhatched, outcome.Removed, outcome.Counted, outcome.Broken, outcome.CastOut,
	}, known)

	_, err = owner.Pool.Exec(t.Context(), `insert into people (email, name, password_hash) values ('x', 'Anna', 'x')`)
	assert.Equal(
		t, farm.Problems{{Field: "email", Says: "The e-mail address may have 3 to 200 characters."}}, farm.Checked(err),
	)
}
