package main

import (
	"context"
	"errors"
	"fmt"

	"metrogon/core/laying"
)

type layingInput struct {
	Record []int `json:"record"`
	Hens   int   `json:"hens"`
	Days   int   `json:"days"`
	Pens   []struct {
		ID     any   `json:"id"`
		Hens   int   `json:"hens"`
		Record []int `json:"record"`
	} `json:"pens"`
}

// calcLaying forecasts what a pen lays, or tells which of several pens lay less than they did.
func calcLaying(_ context.Context, in []byte) (any, error) {
	var q layingInput
	if err := strict(in, &q); err != nil {
		return nil, err
	}
	if len(q.Pens) > 0 {
		return fallen(q)
	}
	if err := layable("", q.Record, q.Hens, laying.Seen); err != nil {
		return nil, err
	}
	if len(q.Record) == 0 {
		return nil, errors.New("record: none is given; it may be the eggs of each of the last 1 to 28 days")
	}
	if err := between("days", float64(q.Days), 1, 366); err != nil {
		return nil, err
	}
	var out struct {
		Expected float64 `json:"expected"`
		Low      int     `json:"low"`
		High     int     `json:"high"`
	}
	out.Expected, out.Low, out.High = laying.Of(q.Record, q.Hens).Over(q.Days)
	return out, nil
}

func fallen(q layingInput) (any, error) {
	if len(q.Record) > 0 || q.Days != 0 || q.Hens != 0 {
		return nil, errors.New("pens: it stands beside record, hens or days; give pens alone, or these without pens")
	}
	type pen struct {
		ID   any  `json:"id"`
		Fell bool `json:"fell"`
	}
	var all []laying.Pen
	for i, p := range q.Pens {
		if err := layable(fmt.Sprintf("pens[%d].", i), p.Record, p.Hens, laying.Looked); err != nil {
			return nil, err
		}
		all = append(all, laying.Pen{Hens: p.Hens, Record: p.Record})
	}
	var out struct {
		Pens []pen `json:"pens"`
	}
	for i, fell := range laying.Fell(all) {
		out.Pens = append(out.Pens, pen{q.Pens[i].ID, fell})
	}
	return out, nil
}

func layable(at string, record []int, hens, most int) error {
	if len(record) > most {
		return fmt.Errorf("%srecord: %d days are given; it may be up to %d", at, len(record), most)
	}
	for i, eggs := range record {
		if err := between(fmt.Sprintf("%srecord[%d]", at, i), float64(eggs), 0, 10_000); err != nil {
			return err
		}
	}
	return between(at+"hens", float64(hens), 0, 10_000)
}
