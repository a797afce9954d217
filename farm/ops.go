package farm

import (
	"encoding/json"
	"errors"
	"fmt"
	"time"
)

// OpDone tells what became of something that was done where there may be no signal: done, or why
// it cannot be.
type OpDone struct {
	Key  string `json:"key"`
	Done bool   `json:"done"`
	Says string `json:"says"`
}

// EachOp does ops in order, each by itself and once for its key. What cannot be done is told with
// the reason and stops nothing after it. An error means that nothing from there on was done; send
// the rest again. at names the place where they were made.
func EachOp[T any](
	req Request, at string, ops []T, key func(T) string, do func(req Request, op T) (Done, error),
) (all []OpDone, err error) {
	for _, op := range ops {
		what, err := json.Marshal(op)
		if err != nil {
			return all, err
		}
		req := req.Asking(fmt.Sprintf("%s %s", at, what))
		req.Key = key(op)
		done, err := do(req, op)
		p, typed := AsProblems(err)
		switch {
		case err == nil:
			all = append(all, OpDone{req.Key, true, done.Said})
		case typed:
			all = append(all, OpDone{req.Key, false, p.Error()})
		case errors.Is(err, ErrNone):
			all = append(all, OpDone{req.Key, false, "There is no such egg in this batch any more."})
		default:
			return all, err
		}
	}
	return all, nil
}

// Made is the moment at which something was done by a device's clock, or now, if that clock is
// wrong.
func (b *Service) Made(at time.Time) time.Time {
	at = at.Truncate(time.Second)
	if now := b.Now(); at.After(now) || at.Before(now.AddDate(0, 0, -14)) {
		return now
	}
	return at
}
