package farm

import (
	"fmt"
	"time"
)

// Later says that a job is to be tried again after so long: nothing went wrong, it is not its turn yet.
type Later time.Duration

func (l Later) Error() string { return fmt.Sprintf("not yet; again in %s", time.Duration(l)) }
