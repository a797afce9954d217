package moisture_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"metrogon/core/moisture"
)

// A 58 g hen's egg is about 57 mm long and 43 mm broad [common practice].
func TestAnEggHasItsUsualSize(t *testing.T) {
	long := moisture.Length(58)
	assert.InDelta(t, 57, long, 2)
	broad := 0.0
	for s := 0.0; s < 1; s += .01 {
		broad = max(broad, 2*moisture.HalfWidth(s)*long)
	}
	assert.InDelta(t, 43, broad, 2)
	assert.InDelta(t, 58, moisture.FreshMass(long, broad), .5, "Hoyt's formula leads back")
}

// By hand: a 60 g egg has 60/1.0745 = 55.8 cm³; having lost 12 %, 7.2 g, its cell
// is 0.4 + 7.2 = 7.6 cm³, 13.6 % of the volume; its edge then lies about a fifth
// to a quarter down, as candling guides draw it for day 18.
func TestTheCellBeforeHatch(t *testing.T) {
	assert.InDelta(t, .136, moisture.CellAfter(12), .001)
	assert.InDelta(t, .22, moisture.CellDepth(moisture.CellAfter(12)), .03)
	assert.InDelta(t, 0, moisture.LossOfCell(.004), 1e-12, "less than a fresh one is no loss")
}

func TestCellsLeadBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		loss := rapid.Float64Range(0, 40).Draw(t, "loss")
		depth := moisture.CellDepth(moisture.CellAfter(loss))
		assert.InDelta(t, loss, moisture.LossOfCell(moisture.CellShare(depth)), 1e-3)
		assert.Greater(t, moisture.CellDepth(moisture.CellAfter(loss+1)), depth, "more loss, larger cell")
	})
}

// A hen's egg that has lost 12 % by day 18: its cell reaches down a fifth of its length
// [formula: what goes as water comes in as air, in an egg of the usual shape].
func TestHowFarTheCellReaches(t *testing.T) {
	assert.InDelta(t, 0.21, moisture.CellDepth(moisture.CellAfter(12)), 0.015)
}
