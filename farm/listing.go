package farm

import (
	"context"
	"errors"
	"fmt"
)

// MaxListed is the most eggs that one list may hold.
const MaxListed = 40_000

// BadLine is what is wrong with a line of a list.
type BadLine struct {
	No             int // in the file, the names of the columns are 1
	Column, Reason string
}

// Listing is what a list brought in, or would.
type Listing struct {
	Bad     []BadLine // nothing comes in while there are any
	Holds   []string  // "2 lines", "32 eggs"; empty where nothing of it is new
	Known   int       // lines that came in before, or whose thing is there already: they change nothing
	NewPens []string
	Done    Done
}

// Wrong notes what is wrong with a line.
func (l *Listing) Wrong(no int, column, format string, args ...any) {
	l.Bad = append(l.Bad, BadLine{no, column, fmt.Sprintf(format, args...)})
}

// Problem notes the problems of a line; what is no problem of hers stays an error.
func (l *Listing) Problem(no int, err error) error {
	problems, typed := AsProblems(err)
	for _, p := range problems {
		l.Wrong(no, p.Field, "%s", p.Says)
	}
	if typed {
		return nil
	}
	return err
}

// TooMany notes a list that holds too many eggs to come in at once.
func (l *Listing) TooMany(n int) {
	if n > MaxListed {
		l.Wrong(1, "eggs", "the list holds %d eggs, more than %d; bring it in in parts", n, MaxListed)
	}
}

// errLooked ends a transaction in which only was looked.
var errLooked = errors.New("only looked")

// TakeIn brings a list in, all or none, once for each key. look notes in out what is wrong and what would
// come in; bring is asked only where something would, nothing is wrong, and dry is not set.
func (b *Service) TakeIn(
	ctx context.Context, req Request, dry bool, out *Listing, look func(*Tx) error,
	bring func(*Tx) (Done, error),
) error {
	done, err := b.Act(ctx, req, Keeping, func(tx *Tx) (Done, error) {
		*out = Listing{}
		if err := look(tx); err != nil {
			return Done{}, err
		}
		if dry || len(out.Bad) > 0 {
			return Done{}, errLooked
		}
		if len(out.Holds) == 0 {
			return Done{Said: "Nothing new in this list."}, nil
		}
		return bring(tx)
	})
	out.Done = done
	if errors.Is(err, errLooked) {
		return nil
	}
	return err
}
