package page

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// One person's pages, on however many devices, hold so many lines open, and no others' are the fewer for it.
func TestAPersonHasSoManyLines(t *testing.T) {
	var l lines
	for range mostLines {
		assert.True(t, l.begin(1))
	}
	assert.False(t, l.begin(1))
	assert.True(t, l.begin(2))
	l.end(1)
	assert.True(t, l.begin(1))
	for range mostLines {
		l.end(1)
	}
	l.end(2)
	assert.Empty(t, l.by, "nobody is remembered")
}
