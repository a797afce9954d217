package store

import "time"

// Box holds eggs of reptiles, on the shelf of a machine.
type Box struct {
	ID, MachineID int64
	Name          string
	Kind          string
	Substrate     string
	DryG, WaterG  *float64 // of substrate, and what it was filled with
	Cols, Rows    int
	BeganAt       time.Time
	EndedAt       *time.Time
}
