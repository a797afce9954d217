package books

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"metrogon/core/candling"
	"metrogon/core/outcome"
	"metrogon/core/species"
	"metrogon/core/wording"
	"metrogon/farm"
	"metrogon/farm/journal"
	"metrogon/farm/snapshot"
	"metrogon/store"
	rows "metrogon/store/books"
	"metrogon/store/stock"
)

// PastBatch is a line of a breeder's old notebook: eggs of one pen that were set together, and what became
// of them.
type PastBatch struct {
	No      int // of the line
	Pen     string
	Kind    string // of a pen that is not there yet
	SetOn   time.Time
	Set     int
	Clear   *int // nil: nobody wrote down whether they were candled
	Hatched int
	Stored  *int // days; nil: nobody wrote it down
}

// Brought is what came in, or what would.
type Brought struct {
	farm.Listing
	Batches, Eggs, Hatched int
}

// Notebook are lines, and what the breeder says of those that leave something out.
type Notebook struct {
	Lines     []PastBatch
	MachineID int64 // in which they were
	Stored    int   // days, where the line does not say
	Dry       bool  // only look
}

var droppedPast = journal.NewKind("past", func(ctx context.Context, tx *farm.Tx, ids []int64) error {
	return rows.On(tx).ForgetPast(ctx, ids)
})

// Bring brings the batches of an old notebook in, all or none: as closed batches, of which is known what
// the notebook says and no more. Lines that came in before change nothing.
func (b *Service) Bring(ctx context.Context, req farm.Request, n Notebook) (out Brought, err error) {
	var w *snapshot.Snapshot
	var fresh []keyed
	err = b.TakeIn(ctx, req, n.Dry, &out.Listing, func(tx *farm.Tx) (err error) {
		out.Batches, out.Eggs, out.Hatched = 0, 0, 0
		if w, err = snapshot.Of(ctx, tx); err != nil {
			return err
		}
		var p farm.Problems
		if w.MachineByID[n.MachineID].ID == 0 {
			p.Addf("machine", "Pick the machine in which most of them were.")
		}
		p.Count("stored", "The days that eggs waited", n.Stored, 0, 30)
		if err := p.Err(); err != nil {
			return err
		}
		fresh, err = out.sift(ctx, tx, n, w)
		return err
	}, func(tx *farm.Tx) (farm.Done, error) {
		pens, err := makePens(ctx, tx, w, fresh)
		if err != nil {
			return farm.Done{}, err
		}
		var ids []int64
		about := journal.Subjects{}
		for _, l := range fresh {
			id, err := past(ctx, tx, w, pens[strings.ToLower(l.Pen)], l, n)
			if err != nil {
				return farm.Done{}, fmt.Errorf("line %d: %w", l.No, err)
			}
			ids, about = append(ids, id), about.And(journal.Batch, id)
		}
		said := fmt.Sprintf("Brought in %s of a notebook: %s, %d hatched.", wording.Plural(out.Batches, "batch"),
			wording.Plural(out.Eggs, "egg"), out.Hatched)
		return journal.Record(ctx, tx, about[:min(len(about), 1)], journal.Undo{droppedPast.Of(ids)}, "%s", said)
	})
	return out, err
}

// keyOf names a line, the same each time the file comes.
func keyOf(l PastBatch, nth int) string {
	count := -1
	if l.Clear != nil {
		count = *l.Clear
	}
	sum := sha256.Sum256(fmt.Appendf(nil, "past|%s|%s|%d|%d|%d|%d", strings.ToLower(l.Pen), l.SetOn.Format(time.DateOnly),
		l.Set, count, l.Hatched, nth))
	return hex.EncodeToString(sum[:])
}

// keyed is a line with the key under which it comes in.
type keyed struct {
	PastBatch
	key string
}

// sift checks the lines, and gives those that are new.
func (out *Brought) sift(
	ctx context.Context, tx *farm.Tx, n Notebook, w *snapshot.Snapshot,
) (fresh []keyed, err error) {
	seen := map[string]int{}
	var all []keyed
	var keys []string
	today := tx.Member.Date(tx.At)
	for _, l := range n.Lines {
		bad := func(column, format string, args ...any) {
			out.Wrong(l.No, column, format, args...)
		}
		same := keyOf(l, 0)
		seen[same]++
		k := keyed{l, keyOf(l, seen[same])}
		all, keys = append(all, k), append(keys, k.key)
		kind := out.kindOf(w, l, bad)
		switch {
		case l.Set < 1 || l.Set > farm.MaxEggs:
			bad("set", "it may be 1 to %d", farm.MaxEggs)
		case l.Clear != nil && (*l.Clear < 0 || *l.Clear > l.Set):
			bad("clear", "it may be 0 to %d", l.Set)
		case l.Hatched < 0 || l.Hatched > l.Set-deref(l.Clear):
			bad("hatched", "it may be 0 to %d", l.Set-deref(l.Clear))
		case l.Stored != nil && (*l.Stored < 0 || *l.Stored > 30):
			bad("stored", "it may be 0 to 30 days")
		}
		if kind != nil && l.SetOn.AddDate(0, 0, int(kind.HatchDays.To)+2).After(today) {
			bad("set on", "it is not over yet; set it in the program")
		}
		if l.SetOn.Year() < 1990 {
			bad("set on", "it may be from 1990 on")
		}
	}
	known, err := rows.On(tx).KnownLines(ctx, keys)
	if err != nil {
		return nil, err
	}
	for _, k := range all {
		if slices.Contains(known, k.key) {
			out.Known++
			continue
		}
		fresh = append(fresh, k)
		out.Batches, out.Eggs, out.Hatched = out.Batches+1, out.Eggs+k.Set, out.Hatched+k.Hatched
	}
	out.TooMany(out.Eggs)
	if out.Batches > 0 {
		out.Holds = []string{
			wording.Plural(out.Batches, "batch"), wording.Plural(out.Eggs, "egg"), fmt.Sprintf("%d hatched", out.Hatched),
		}
	}
	return fresh, nil
}

func deref(n *int) int {
	if n == nil {
		return 0
	}
	return *n
}

// kindOf finds the kind of a line's pen, and notes a pen that is not there yet.
func (out *Brought) kindOf(w *snapshot.Snapshot, l PastBatch, bad func(string, string, ...any)) *species.Profile {
	name := l.Kind
	i := slices.IndexFunc(w.Pens, func(p snapshot.Pen) bool { return strings.EqualFold(p.Name, l.Pen) })
	switch {
	case strings.TrimSpace(l.Pen) == "" || len([]rune(l.Pen)) > 60:
		bad("pen", "it may have 1 to 60 characters")
	case i >= 0:
		name = w.Pens[i].Species
	case !slices.Contains(out.NewPens, l.Pen):
		out.NewPens = append(out.NewPens, l.Pen)
	}
	kind, err := species.Called(name)
	if err != nil {
		bad("kind", "there is no pen %q yet, and %q is no kind", l.Pen, name)
		return nil
	}
	if kind.IsReptile() {
		bad("kind", "clutches of reptiles do not come in so")
		return nil
	}
	return kind
}

// makePens gives the pens by name, those that are new from the first day on that the notebook has of them.
func makePens(ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, lines []keyed) (map[string]snapshot.Pen, error) {
	pens := map[string]snapshot.Pen{}
	for _, p := range w.Pens {
		pens[strings.ToLower(p.Name)] = p
	}
	first := slices.Clone(lines)
	slices.SortFunc(first, func(a, b keyed) int { return a.SetOn.Compare(b.SetOn) })
	for _, l := range first {
		name := strings.ToLower(l.Pen)
		if _, ok := pens[name]; ok {
			continue
		}
		kind, err := species.Called(l.Kind)
		if err != nil {
			return nil, err
		}
		p, err := snapshot.CheckPen(snapshot.Pen{Name: l.Pen, Species: kind.ID, FromOn: l.SetOn}, tx.At)
		if err != nil {
			return nil, err
		}
		if p.ID, err = tx.SavePen(ctx, p); err != nil {
			return nil, err
		}
		pens[name] = p
	}
	return pens, nil
}

// past writes one line down as a closed batch.
func past(
	ctx context.Context, tx *farm.Tx, w *snapshot.Snapshot, pen snapshot.Pen, l keyed, n Notebook,
) (id int64, err error) {
	kind, err := w.Kind(pen.Species)
	if err != nil {
		return 0, err
	}
	stored := n.Stored
	if l.Stored != nil {
		stored = *l.Stored
	}
	at := func(day float64) time.Time { // at the farm's hour
		on := l.SetOn.AddDate(0, 0, int(day))
		return tx.Member.Hour.On(time.Date(on.Year(), on.Month(), on.Day(), 12, 0, 0, 0, tx.Member.Place), 0, tx.Member.Place)
	}
	laid := l.SetOn.AddDate(0, 0, -stored)
	if _, err := stock.On(tx).Collect(ctx, []stock.Collection{{
		PenID: pen.ID, LaidOn: laid, Eggs: l.Set, Washing: "unwashed", Note: "from a notebook", ImportKey: &l.key,
	}}); err != nil {
		return 0, err
	}
	batch := store.Batch{
		Species: pen.Species, Bantam: pen.Bantam, SetterID: n.MachineID, HatcherID: n.MachineID, SetAt: at(0),
		StorageDays: float64(stored),
	}
	if id, _, err = tx.AddBatch(ctx, batch, kind.Short, l.SetOn.Year()); err != nil {
		return 0, err
	}
	ids, err := rows.On(tx).EggsOfImport(ctx, l.key, id)
	if err != nil {
		return 0, err
	}
	if l.Clear != nil {
		if ids, err = looked(ctx, tx, id, ids, *l.Clear, at(float64(kind.CandleDays.Days[0]))); err != nil {
			return 0, err
		}
	}
	if err := ended(ctx, tx, id, pen.ID, ids, l.Hatched, at(kind.HatchDays.At)); err != nil {
		return 0, err
	}
	locked, closed := at(kind.LockdownDay.At), at(kind.HatchDays.To+2)
	batch.ID, batch.LockedAt, batch.ClosedAt = id, &locked, &closed
	if err := tx.MoveBatch(ctx, batch); err != nil {
		return 0, err
	}
	return id, snapshot.UpdateFertility(ctx, tx.Tx, id)
}

// looked calls so many eggs clear and takes them out, and the others live: a notebook that counts the clear
// ones looked at all. It gives those that stayed in.
func looked(ctx context.Context, tx *farm.Tx, batch int64, ids []int64, clear int, at time.Time) ([]int64, error) {
	session, err := rows.On(tx).BatchLooked(ctx, batch, at)
	if err != nil {
		return nil, err
	}
	out, in := ids[:clear], ids[clear:]
	for call, eggs := range map[candling.Call][]int64{candling.Clear: out, candling.Live: in} {
		if len(eggs) == 0 {
			continue
		}
		if _, err := tx.Call(ctx, session, string(call), eggs, tx.Member.PersonID); err != nil {
			return nil, err
		}
	}
	if clear > 0 {
		if _, err := tx.End(ctx, out, string(outcome.Removed), string(candling.Clear), at); err != nil {
			return nil, err
		}
	}
	return in, nil
}

// ended ends the eggs that were left. From which of them the young came, nobody wrote down: where some but
// not all hatched they end as counted with their pen.
func ended(ctx context.Context, tx *farm.Tx, batch, pen int64, ids []int64, hatched int, at time.Time) error {
	if len(ids) == 0 {
		return nil
	}
	fate, stage := outcome.Counted, ""
	switch hatched {
	case 0:
		fate, stage = outcome.Unhatched, string(candling.NotOpened)
	case len(ids):
		fate = outcome.Hatched
	default:
		young := []store.Young{{BatchID: batch, PenID: pen, Young: hatched}}
		if _, err := tx.CountYoung(ctx, batch, young, at, tx.Member.PersonID); err != nil {
			return err
		}
	}
	_, err := tx.End(ctx, ids, string(fate), stage, at)
	return err
}

// Columns remembers which column of a file with such a first line holds what; nil asks for what is
// remembered.
func (b *Service) Columns(
	ctx context.Context, m *farm.Member, what string, head []string, columns map[string]int,
) (kept map[string]int, err error) {
	sum := sha256.Sum256([]byte(strings.Join(head, "\x00")))
	name := hex.EncodeToString(sum[:])
	if columns != nil {
		if err := m.Refuse(farm.Keeping); err != nil {
			return nil, err
		}
		text, err := json.Marshal(columns)
		if err != nil {
			return nil, err
		}
		return columns, b.Write(ctx, m, func(tx *farm.Tx) error { return rows.On(tx).KeepColumns(ctx, what, name, text) })
	}
	err = b.Read(ctx, m, func(tx *farm.Tx) error {
		text, err := rows.On(tx).ColumnsOf(ctx, what, name)
		if errors.Is(err, farm.ErrNone) {
			return nil
		}
		if err != nil {
			return err
		}
		return json.Unmarshal(text, &kept)
	})
	return kept, err
}
