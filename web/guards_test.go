package web

import (
	"fmt"
	"net/http"
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm"
	"metrogon/farm/incubate"
	"metrogon/farm/journal"
	"metrogon/farm/notes"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
)

// A form of more values than any page sends is refused before anybody works on it; one of as many is read.
func TestAFormHasSoManyValues(t *testing.T) {
	v := household(t).signedIn(anna, words)
	form := url.Values{"key": {farm.NewKey()}, "x": make([]string, 25_000)}
	assert.Equal(t, http.StatusRequestEntityTooLarge, v.post("/eggs", form).status)
	form["x"] = form["x"][1:]
	assert.Equal(t, http.StatusUnprocessableEntity, v.post("/eggs", form).status, "nothing is picked in it")
}

// When a device was used last is kept once an hour, not at each page.
func TestADeviceIsSeenOnceAnHour(t *testing.T) {
	s := household(t)
	v := s.signedIn(anna, words)
	m, err := s.books.People.Member(t.Context(), 1)
	require.NoError(t, err)
	seen := func(after time.Duration) time.Time {
		s.now = s.now.Add(after)
		require.Equal(t, http.StatusOK, v.get("/pens").status)
		all, err := s.books.People.SignIns(t.Context(), m)
		require.NoError(t, err)
		require.Len(t, all, 1)
		return all[0].SeenAt.UTC()
	}
	first := seen(0)
	assert.Equal(t, first, seen(59*time.Minute), "not within the hour")
	assert.Equal(t, first.Add(61*time.Minute), seen(2*time.Minute))
}

// Whoever takes back on a batch's page that it was set comes to the list, since there is no such page any more; after
// what else is taken back there they stay.
func TestTakingBackLeadsSomewhere(t *testing.T) {
	s := household(t)
	ctx, v := t.Context(), s.signedIn(anna, words)
	m, err := s.books.People.Member(ctx, 1)
	require.NoError(t, err)
	req := func() farm.Request { return farm.NewRequest(m) }
	_, err = s.books.Flock.SavePen(ctx, req(), snapshot.Pen{
		Name: "Barred", Species: "chicken", FromOn: s.now.AddDate(-1, 0, 0),
	})
	require.NoError(t, err)
	box, err := s.books.Machines.SaveMachine(ctx, req(), snapshot.Machine{Name: "Box", Kind: "all-in-one"},
		[]snapshot.Room{{Species: "chicken", Setting: 20, Hatching: 20}})
	require.NoError(t, err)
	today := m.Date(s.now)
	_, err = s.books.Stock.Collect(ctx, req(), stock.Collected{PenID: 1, LaidOn: today, Eggs: 6})
	require.NoError(t, err)
	set, err := s.books.Incubate.Set(ctx, req(), incubate.Setting{
		Species: "chicken", SetterID: box.Of(journal.Machine), HatcherID: box.Of(journal.Machine), SetAt: s.now,
		Picks: []incubate.Pick{{PenID: 1, LaidOn: today, Eggs: 6}},
	})
	require.NoError(t, err)
	id := set.Of(journal.Batch)
	page := fmt.Sprintf("/batches/%d", id)
	noted, err := s.books.Notes.Add(ctx, req(), notes.Note{BatchID: &id, Kind: notes.Kinds[0].ID, Says: "by the door"})
	require.NoError(t, err)
	back := func(entry int64) string {
		r := v.post("/undo", url.Values{"entry": {fmt.Sprint(entry)}, "back": {page}})
		return r.header.Get("Location")
	}
	assert.Equal(t, page, back(noted.Entry))
	assert.Equal(t, "/batches", back(set.Entry))
}
