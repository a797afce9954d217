package clutch

import "metrogon/store"

// Hatchling is a young of a clutch that was told apart.
type Hatchling = store.Hatchling
