package farm

import (
	"metrogon/store"
	"metrogon/store/remind"
)

// Handover is a list for whoever looks after the farm for some days.
type Handover = remind.Handover

// JournalLine is a line of the journal with the code of its batch.
type JournalLine = store.CodedEntry
