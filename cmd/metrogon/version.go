package main

import (
	"cmp"
	"errors"
	"fmt"
	"runtime/debug"

	"metrogon/store/migrations"
)

type versionCmd struct{}

// Run says which program this is: what it was built from, and how far it knows the database.
func (versionCmd) Run() error {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return errors.New("this program was built without saying from what")
	}
	said := map[string]string{}
	for _, s := range info.Settings {
		said[s.Key] = s.Value
	}
	changed := ""
	if said["vcs.modified"] == "true" {
		changed = ", changed since"
	}
	fmt.Printf("metrogon %s\nsource %s%s, %s\n%s for %s/%s\ndatabase step %d\n", cmp.Or(info.Main.Version, "(devel)"),
		cmp.Or(said["vcs.revision"], "unknown"), changed, cmp.Or(said["vcs.time"], "time unknown"), info.GoVersion,
		said["GOOS"], said["GOARCH"], migrations.Newest())
	return nil
}
