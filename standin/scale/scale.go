// Package scale is a simulated scale: a weight is put on it, its figure swings
// until it stands still, and what it shows then goes out over HTTP.
package scale

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"net/http"
	"strings"
	"time"

	"metrogon/formats/senml"
)

// Scale sends to a server by its key.
type Scale struct {
	To   string // the server's address, like http://127.0.0.1:8480
	Key  string
	Dice *rand.Rand       // of its noise; nil: none
	Now  func() time.Time // its clock; nil: it has none
}

// Resolution of its figure, g.
const Resolution = 0.1

// Settle gives what the scale shows once it stands still: the load swings out,
// and a figure counts when five in a row lie within the resolution.
func (s Scale) Settle(grams float64) float64 {
	still, last := 0, math.Inf(1)
	for i := 0; ; i++ {
		noise := 0.0
		if s.Dice != nil {
			noise = Resolution / 3 * s.Dice.NormFloat64()
		}
		swing := .2 * grams * math.Exp(-float64(i)/4) * math.Cos(float64(i))
		shown := Resolution * math.Round((grams+swing+noise)/Resolution)
		if math.Abs(shown-last) <= 1.01*Resolution {
			still++
		} else {
			still = 0
		}
		if last = shown; still == 5 || i > 200 {
			return math.Round(shown*10) / 10
		}
	}
}

// Put lays a weight in g on the scale and sends what it shows.
func (s Scale) Put(ctx context.Context, grams float64) (shown float64, err error) {
	shown = s.Settle(grams)
	record := senml.Record{BaseName: "scale:", Name: "mass", Unit: "g", Value: &shown}
	if s.Now != nil {
		at := float64(s.Now().UnixMilli()) / 1000
		record.Time = &at
	}
	body, err := json.Marshal([]senml.Record{record})
	if err != nil {
		return shown, err
	}
	request, err := http.NewRequestWithContext(
		ctx, http.MethodPost, strings.TrimSuffix(s.To, "/")+"/scale", bytes.NewReader(body),
	)
	if err != nil {
		return shown, err
	}
	request.Header.Set("Content-Type", senml.MediaType)
	request.Header.Set("Authorization", "Bearer "+s.Key)
	answer, err := http.DefaultClient.Do(request)
	if err != nil {
		return shown, err
	}
	defer answer.Body.Close()
	if answer.StatusCode != http.StatusNoContent {
		said, _ := io.ReadAll(io.LimitReader(answer.Body, 1000))
		return shown, fmt.Errorf("the server answers %s: %s", answer.Status, strings.TrimSpace(string(said)))
	}
	return shown, nil
}
