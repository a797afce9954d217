package moisture_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"metrogon/core/moisture"
)

func TestFreshMassFromSize(t *testing.T) {
	// Worked by hand from Hoyt 1979: 0.548 × 5.7 × 4.3² = 57.76 g, a usual hen's egg.
	assert.InDelta(t, 57.76, moisture.FreshMass(57, 43), 0.005)
	// Coturnix: 0.548 × 3.2 × 2.5² = 10.96 g.
	assert.InDelta(t, 10.96, moisture.FreshMass(32, 25), 0.005)
}
