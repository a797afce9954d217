package store

import "context"

// MigrateTo takes a database's tables up to one step.
func MigrateTo(ctx context.Context, url string, version int64) (int, error) {
	return migrateTo(ctx, url, version)
}
