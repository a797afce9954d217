package rates

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestNeededHoldsItsCertainty(t *testing.T) {
	for _, want := range []float64{3, 6, 20, 60} {
		for _, p := range []float64{.35, .68, .85} {
			for _, rho := range []float64{0, .05, .12} {
				for _, sure := range []float64{.5, .8, .95} {
					b := Beta{A: 60 * p, B: 60 * (1 - p)}
					young := Needed(b, rho, 0, want, sure)
					eggs := int(math.Ceil(young / p))
					got := Expect([]Lot{{Eggs: eggs, Belief: b}}, rho, true).AtLeast(int(want))
					says := []any{"%v young at %v, rho %v, sure %v: %d eggs", want, p, rho, sure, eggs}
					assert.GreaterOrEqual(t, got, sure-.04, says...)
					if sure > .5 { // else never fewer are expected than are wanted
						fewer := Expect([]Lot{{Eggs: eggs - 1, Belief: b}}, rho, true).AtLeast(int(want))
						assert.LessOrEqual(t, fewer, sure+.1, says...)
					}
				}
			}
		}
	}
	steady, uneven := Needed(Beta{60, 30}, .05, 0, 20, .8), Needed(Beta{60, 30}, .05, .2, 20, .8)
	assert.Greater(t, uneven, steady+1, "if laying is uneven more has to be expected")
}
