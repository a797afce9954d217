package grading_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"metrogon/core/grading"
	"metrogon/core/units"
)

func TestSizeAgainstThePensOwn(t *testing.T) {
	own := grading.Usual{N: 12, Mean: 50, SD: 4} // two deviations are 16 %
	for _, c := range []struct {
		name         string
		usual        grading.Usual
		mass, kindly float64
		want         string
	}{
		{"usual", own, 57, 58, ""}, {"just usual", own, 58, 58, ""}, {"large", own, 58.5, 58, "large"}, {
			"small", own, 41, 58, "small",
		},
		{"a very even pen still has 12 %", grading.Usual{N: 40, Mean: 50, SD: .5}, 55.9, 58, ""},
		{"a very mixed pen has 25 %", grading.Usual{N: 40, Mean: 50, SD: 20}, 63, 58, "large"},
		{"nine eggs are too few: the kind's figure", grading.Usual{N: 9, Mean: 50, SD: 1}, 70, 58, ""},
		{"against the kind", grading.Usual{}, 40, 58, "small"},
		{"ten eggs are enough", grading.Usual{N: 10, Mean: 50, SD: 1}, 57, 58, "large"},
		{"a very even pen, just beyond its 12 %", grading.Usual{N: 40, Mean: 50, SD: .5}, 56.1, 58, "large"},
		{"a very mixed pen, within its 25 %", grading.Usual{N: 40, Mean: 50, SD: 20}, 62.4, 58, ""},
		{"two deviations are 20 %", grading.Usual{N: 40, Mean: 50, SD: 5}, 59.9, 58, ""},
		{"and beyond", grading.Usual{N: 40, Mean: 50, SD: 5}, 60.1, 58, "large"},
		{"a quarter above the kind", grading.Usual{}, 72.4, 58, ""}, {"and beyond", grading.Usual{}, 72.6, 58, "large"},
		{"nothing known", grading.Usual{}, 40, 0, ""}, {"not weighed", own, 0, 58, ""},
	} {
		reason, says := c.usual.Size(c.mass, c.kindly, units.Reader{})
		assert.Equal(t, c.want, reason, c.name)
		assert.Equal(t, c.want == "", says == "", c.name)
	}
	_, says := own.Size(60, 58, units.Reader{})
	assert.Equal(t, "60.0 g is large: eggs of this pen weigh about 50.0 g.", says)
	_, ok := grading.Known("crack")
	assert.True(t, ok)
	_, ok = grading.Known("ugly")
	assert.False(t, ok)
}
