package farm

import "metrogon/store"

// Handover is a list for whoever looks after the farm for some days.
type Handover = store.Handover
