// Package kinds is the farm's own way with each kind: figures in place of the
// built-in ones, and methods.
package kinds

import "metrogon/farm"

// Service holds the use cases.
type Service struct{ *farm.Service }
