// Package flock is pens and what their eggs did.
package flock

import "metrogon/farm"

// Service holds the use cases.
type Service struct{ *farm.Service }
