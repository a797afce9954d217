// Package hatch is the end of a batch: lockdown, young counted, eggs that ended
// otherwise, closing.
package hatch

import "metrogon/farm"

// Service holds the use cases.
type Service struct{ *farm.Service }
