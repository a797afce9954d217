package candling_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"metrogon/core/candling"
)

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
