package main

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/species"
)

func TestTheTableIsThatOfTheProfiles(t *testing.T) {
	have, err := os.ReadFile("../../docs/figures.md")
	require.NoError(t, err)
	assert.Equal(t, table(), string(have), "make it anew: go run ./tools/figures")
	named := map[string]bool{}
	for _, f := range titles {
		named[f.name] = true
	}
	for _, p := range species.All() {
		for _, f := range p.Figures() {
			assert.True(t, named[f.Name], "%s of %s is not in the table", f.Name, p.ID)
		}
	}
}
