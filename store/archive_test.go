package store_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/store/archive"
	"metrogon/store/storetest"
)

// The published schema of an archive is what an archive holds. METROGON_UPDATE=1 writes it anew.
func TestThePublishedSchemaIsTheArchives(t *testing.T) {
	owner := storetest.Owner(t, storetest.Open(t, nil))
	var b strings.Builder
	for _, table := range archive.Archived() {
		rows, err := owner.Pool.Query(t.Context(), `
			select format('| %s | %s | %s |', a.attname, format_type(a.atttypid, a.atttypmod),
				case when a.attnotnull then '' else 'may be null' end)
			from pg_attribute a
			where a.attrelid = $1::text::regclass and a.attnum > 0 and not a.attisdropped and a.attname <> 'farm_id'
			order by a.attnum`, table)
		require.NoError(t, err)
		columns, err := pgx.CollectRows(rows, pgx.RowTo[string])
		require.NoError(t, err)
		fmt.Fprintf(&b, "\n### %s.jsonl\n\n| field | type | |\n|---|---|---|\n%s\n", table, strings.Join(columns, "\n"))
	}
	const file, mark = "../docs/archive.md", "<!-- tables, written by a test -->\n"
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	before, after, found := strings.Cut(string(text), mark)
	require.True(t, found)
	if os.Getenv("METROGON_UPDATE") != "" {
		require.NoError(t, os.WriteFile(file, []byte(before+mark+b.String()), 0o644))
		return
	}
	assert.Equal(t, b.String(), after, "run it with METROGON_UPDATE=1, and see whether the format's number has to grow")
}
