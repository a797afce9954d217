// Package hatch is the end of a batch: lockdown, young counted, eggs that ended
// otherwise, closing.
package hatch

import (
	"metrogon/farm"
	"metrogon/store"
)

// Service holds the use cases.
type Service struct{ *farm.Service }

// OneYoung is a young that was told apart.
type OneYoung = store.OneYoung
