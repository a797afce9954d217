package main

import (
	"context"

	"metrogon/core/climate"
	"metrogon/core/species"
)

type outageInput struct {
	Species  string               `json:"species"`
	Day      float64              `json:"day"`
	Eggs     int                  `json:"eggs"`
	EggG     float64              `json:"egg_g"`
	Box      climate.Box          `json:"box"`
	RoomC    float64              `json:"room_c"`
	StartC   *float64             `json:"start_c"`
	Hours    float64              `json:"hours"`
	Heat     *bool                `json:"heat"`
	Readings []climate.CurvePoint `json:"readings"`
}

// runningC is what eggs have in a machine, °C.
const runningC = 37.5

func calcOutage(_ context.Context, text []byte) (any, error) {
	var q outageInput
	if err := strict(text, &q); err != nil {
		return nil, err
	}
	kind, err := species.Find(q.Species)
	if err != nil {
		return nil, err
	}
	o := climate.Outage{
		Kind: kind, Day: q.Day, Eggs: q.Eggs, EggG: q.EggG, Box: q.Box, RoomC: q.RoomC, StartC: runningC, Hours: q.Hours,
		NoHeat: q.Heat != nil && !*q.Heat, Readings: q.Readings,
	}
	if q.StartC != nil {
		o.StartC = *q.StartC
	}
	if err := o.Check(); err != nil {
		return nil, err
	}
	c := o.Chill()
	return map[string]any{
		"curve": c.Curve, "lowest_c": c.LowestC, "hours_below_20": c.Below20H, "delay_h": c.DelayH, "risk": c.Risk,
		"why": c.Why, "look_day": c.LookDay, "do": o.Do(c),
	}, nil
}
