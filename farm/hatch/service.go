// Package hatch is the end of a batch: lockdown, young counted, eggs that ended
// otherwise, closing.
package hatch

import (
	"metrogon/farm"
	rows "metrogon/store/hatch"
)

// Service holds the use cases.
type Service struct{ *farm.Service }

// Records of a hatch as they are kept.
type (
	OneYoung   = rows.OneYoung
	BasketName = rows.HatchBasket
	Sign       = rows.HatchSign
)
