package candling_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"metrogon/core/candling"
)

// What a call was worth is known once the egg hatched or was opened.
func TestCallsThatProvedRight(t *testing.T) {
	for _, c := range []struct {
		name         string
		call         candling.Call
		done         float64
		hatched      bool
		opened       candling.Stage
		right, known bool
	}{
		{"live, and it hatched", candling.Live, .33, true, "", true, true},
		{"live early, died late", candling.Live, .33, false, candling.Late, true, true},
		{"live late, yet an early death", candling.Live, .7, false, candling.Early, false, true},
		{"live early, an early death after it", candling.Live, .25, false, candling.Early, true, true},
		{"live, yet infertile", candling.Live, .33, false, candling.Infertile, false, true},
		{"clear, opened: infertile", candling.Clear, .33, false, candling.Infertile, true, true},
		{"clear that hatched", candling.Clear, .33, true, "", false, true},
		{"clear, opened: dead in the middle", candling.Clear, .33, false, candling.Middle, false, true},
		{"quit, opened: dead in the middle", candling.Quit, .6, false, candling.Middle, true, true},
		{"ring, opened: infertile", candling.Ring, .3, false, candling.Infertile, false, true},
		{"never opened", candling.Clear, .3, false, "", false, false},
		{"rotten", candling.Live, .3, false, candling.Contaminated, false, false},
		{"unsure proves nothing", candling.Unsure, .3, true, "", false, false},
	} {
		right, known := candling.Proved(c.call, c.done, c.hatched, c.opened)
		assert.Equal(t, [2]bool{c.right, c.known}, [2]bool{right, known}, c.name)
	}
}

func TestFertileByTheBestKnowledge(t *testing.T) {
	type calls = []candling.Call
	for _, c := range []struct {
		name           string
		calls          calls
		hatched        bool
		opened         candling.Stage
		fertile, known bool
	}{
		{"a live call", calls{candling.Live}, false, "", true, true},
		{"a clear", calls{candling.Clear}, false, "", false, true},
		{"a clear that on opening was an early death", calls{candling.Clear}, false, candling.Early, true, true},
		{"a live that on opening was infertile", calls{candling.Live}, false, candling.Infertile, false, true},
		{"unsure, then hatched", calls{candling.Unsure}, true, "", true, true},
		{"clear corrected to live", calls{candling.Clear, candling.Live}, false, "", true, true},
		{"live, then unseen: the last call that tells", calls{candling.Live, candling.Unseen}, false, "", true, true},
		{"live, then an air cell that rolls", calls{candling.Live, candling.Displaced}, false, "", true, true},
		{"only unsure", calls{candling.Unsure}, false, "", false, false},
		{"hatched, never candled", nil, true, "", true, false},
		{"unhatched and rotten", calls{candling.Live}, false, candling.Contaminated, true, true},
		{"never looked at", nil, false, candling.NotOpened, false, false},
	} {
		fertile, known := candling.Fertile(c.calls, c.hatched, c.opened)
		assert.Equal(t, []bool{c.fertile, c.known}, []bool{fertile, known}, c.name)
	}
}
