// Package incubate is eggs in a machine: what to set and where, the batch, its daily
// work, and the places of its eggs on trays.
package incubate

import "metrogon/farm"

// Service holds the use cases.
type Service struct{ *farm.Service }
