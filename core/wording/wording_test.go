package wording_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"metrogon/core/wording"
)

func TestWording(t *testing.T) {
	assert.Equal(t, "1 egg", wording.Plural(1, "egg"))
	assert.Equal(t, "0 eggs", wording.Plural(0, "egg"))
	assert.Equal(t, "12 young", wording.Plural(12, "young"))
	assert.Equal(t, "Übung", wording.Capital("übung"))
	assert.Equal(t, "lockdown", wording.Lower("Lockdown"))
	assert.Empty(t, wording.Capital(""))
}
