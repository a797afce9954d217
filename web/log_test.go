package web

import (
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A line of the log says which request it belongs to, and whose, by numbers: nobody's name or address stands in it.
func TestALineOfTheLogSaysWhose(t *testing.T) {
	t.Parallel()
	s := founded(t, 1280, 800)
	v := s.signedIn("anna@wickfold.example", "a-long-password")
	s.log.Reset()
	r := v.get("/pens")
	id := r.header.Get("X-Request-Id")
	assert.NotEmpty(t, id)
	said := s.log.String()
	assert.Regexp(t, `msg=asked method=GET path=/pens status=200 ms=[\d.]+ db_ms=[\d.]+ db_asked=\d+ request=`+id+
		` farm=\d+ person=\d+`, said)
	assert.NotRegexp(t, regexp.MustCompile(`(?i)anna|wickfold`), said)
	assert.NotEqual(t, id, v.get("/pens").header.Get("X-Request-Id"))
}
