package wording_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"metrogon/core/wording"
)

func TestWording(t *testing.T) {
	assert.Equal(t, "1 egg", wording.Plural(1, "egg"))
	assert.Equal(t, "a, b and c", wording.And([]string{"a", "b", "c"}))
	assert.Equal(t, "a", wording.And([]string{"a"}))
	assert.Equal(t, "0 eggs", wording.Plural(0, "egg"))
	assert.Equal(t, "12 young", wording.Plural(12, "young"))
	assert.Equal(t, "Übung", wording.Capital("übung"))
	assert.Equal(t, "lockdown", wording.Lower("Lockdown"))
	assert.Empty(t, wording.Capital(""))
}

func TestMarksAreWrittenWhenTheyAreRead(t *testing.T) {
	says := "Set " + wording.Mark("pen-1") + " on " + wording.Mark("day 3") + "."
	assert.Equal(t, "Set <pen-1> on <day 3>.", wording.Marked(says, func(s string) string { return "<" + s + ">" }))
	assert.Equal(t, "none", wording.Marked("none", func(string) string { return "x" }))
}
