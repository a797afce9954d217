package store

// MigrateTo lends the tests one step of the migrations.
var MigrateTo = (*DB).migrateTo
