package scale_test

import (
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/formats/senml"
	"metrogon/standin/scale"
)

func TestItStandsStillBeforeItSends(t *testing.T) {
	var got []float64
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Authorization") != "Bearer K" {
			http.Error(w, "Whose scale is this?", http.StatusUnauthorized)
			return
		}
		pack, err := senml.Read(r.Body)
		require.NoError(t, err)
		g, err := pack[0].Grams()
		require.NoError(t, err)
		got = append(got, g)
		w.WriteHeader(http.StatusNoContent)
	}))
	defer server.Close()
	s := scale.Scale{To: server.URL, Key: "K", Dice: rand.New(rand.NewPCG(1, 2))}
	for _, grams := range []float64{9.4, 61.3, 2412.7} {
		shown, err := s.Put(t.Context(), grams)
		require.NoError(t, err)
		assert.InDelta(t, grams, shown, .5)
		assert.Equal(t, shown, got[len(got)-1])
	}
	s.Key = "another"
	_, err := s.Put(t.Context(), 1)
	assert.ErrorContains(t, err, "Whose scale is this?")
}
