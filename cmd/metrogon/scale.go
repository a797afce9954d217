package main

import (
	"bufio"
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"

	"metrogon/standin/scale"
)

type scaleCmd struct {
	To     string    `default:"http://127.0.0.1:8480" help:"The server that the weights go to."`
	Key    string    `required:"" help:"The farm's scale key, as the page of hands-free weighing shows it."`
	Weight []float64 `arg:"" optional:"" help:"${help_weights}"`
}

// Run is a simulated scale.
func (s *scaleCmd) Run(ctx context.Context) error {
	sim := scale.Scale{To: s.To, Key: s.Key, Dice: rand.New(rand.NewPCG(rand.Uint64(), rand.Uint64()))}
	put := func(g float64) error {
		shown, err := sim.Put(ctx, g)
		if err == nil {
			fmt.Printf("%.1f g sent\n", shown)
		}
		return err
	}
	for _, g := range s.Weight {
		if err := put(g); err != nil {
			return err
		}
	}
	if len(s.Weight) > 0 {
		return nil
	}
	lines := bufio.NewScanner(os.Stdin)
	for lines.Scan() {
		text := strings.TrimSpace(lines.Text())
		if text == "" {
			continue
		}
		g, err := strconv.ParseFloat(text, 64)
		if err != nil {
			return wrong{fmt.Errorf("%q is no weight in g", text)}
		}
		if err := put(g); err != nil {
			return err
		}
	}
	return lines.Err()
}
