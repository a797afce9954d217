package web

import (
	"net/http"
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/farm"
	"metrogon/farm/people"
	"metrogon/farm/snapshot"
)

// Everything works as plain forms where scripts fail.
func TestWithoutScripts(t *testing.T) {
	s := newDemo(t, 1)
	v := s.signedIn(demo.Email, demo.Password)
	r := v.post("/set/answer", url.Values{"species": {"chicken"},
		"setter": {v.find("/set?kind=chicken", `<option value="(\d+)"[^>]*>Cabinet`)}, "hatcher": {
			v.find("/set?kind=chicken", `<option value="(\d+)"[^>]*>Hatch box`),
		},
		"set_at": {"2027-04-14T12:00"}, "take-1-2027-04-13": {"1"}})
	require.Equal(t, http.StatusOK, r.status, r.body)
	assert.Contains(t, r.body, "What comes of it")
	assert.Regexp(t, `<b>1</b>eggs → about`, r.body)
	assert.Regexp(t, `name="take-1-2027-04-13"[^>]*value="1"`, r.body, "the form stands as it was")

	r = v.post("/eggs", url.Values{"pen": {"1"}, "date": {"2027-04-14"}, "eggs": {"4"}})
	require.Equal(t, http.StatusSeeOther, r.status)
	page := v.get(r.header.Get("Location")).body
	assert.Contains(t, page, "4 eggs from Barred.")
	assert.Contains(t, page, "Take back")
	assert.NotContains(t, v.get("/eggs").body, "Take back", "said once")
}

// A setter with no machine to hatch in is said, not refused with an error page.
func TestASetterWithoutAHatcher(t *testing.T) {
	s := newSite(t)
	id, err := s.books.People.SetUp(
		t.Context(),
		people.NewFarm{
			Farm: "Wickfold", Zone: "UTC", Name: "Anna", Email: "anna@wickfold.example", Password: "a-long-password",
		},
		true,
	)
	require.NoError(t, err)
	m, err := s.books.People.Member(t.Context(), id)
	require.NoError(t, err)
	v := s.signedIn("anna@wickfold.example", "a-long-password")
	assert.Contains(t, v.get("/set").body, "No eggs in store")
	_, err = s.books.Flock.SavePen(t.Context(), farm.NewRequest(m), snapshot.Pen{
		Name: "Barred", Species: "chicken", FromOn: noon,
	})
	require.NoError(t, err)
	require.Equal(
		t, http.StatusSeeOther, v.post("/eggs", url.Values{"pen": {"1"}, "date": {"2027-04-14"}, "eggs": {"4"}}).status,
	)
	assert.Contains(t, v.get("/set").body, "No machine takes chicken eggs yet")
	_, err = s.books.Machines.SaveMachine(
		t.Context(), farm.NewRequest(m), snapshot.Machine{Name: "Cabinet", Kind: "cabinet"},
		[]snapshot.Room{{Species: "chicken", Setting: 40}},
	)
	require.NoError(t, err)
	r := v.get("/set")
	assert.Equal(t, http.StatusOK, r.status)
	assert.Contains(t, r.body, "Pick a machine in which chicken eggs can hatch.")
}

// Who counts the set day as day 1 types and reads days so everywhere: lockdown "19" of hens
// is after 18 completed days, and comes back as 19.
func TestDaysAreCountedAsThePersonCounts(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 1)
	v := s.signedIn(demo.Email, demo.Password)
	v.post("/settings/units", url.Values{
		"key": {farm.NewKey()}, "temperature": {"C"}, "mass": {"g"}, "clock": {"24"}, "count_from": {"1"},
	})
	assert.Contains(t, v.get("/kinds/chicken").body, "21–23 days", "20–22 completed days")
	r := v.post("/kinds/chicken", url.Values{
		"key": {farm.NewKey()}, "school": {"wet"}, "hand_turns": {"5"}, "washing": {"unwashed"}, "mistings": {"0"},
		"cool_min": {"0"}, "lockdown_day": {"20"}, "candle_days": {"8, 15"},
	})
	require.Equal(t, http.StatusSeeOther, r.status, r.body)
	body := v.get("/kinds/chicken").body
	assert.Regexp(t, `name="lockdown_day"[^>]*value="20"`, body)
	assert.Regexp(t, `name="candle_days"[^>]*value="8, 15"`, body)
	for field, typed := range map[string]string{"lockdown_day": "99", "temperature_c": "50"} {
		body = v.post("/kinds/chicken", url.Values{"key": {farm.NewKey()}, "school": {"wet"}, "hand_turns": {"5"},
			"washing": {"unwashed"}, "mistings": {"0"}, "cool_min": {"0"}, field: {typed}}).body
		assert.Contains(t, body, map[string]string{
			"lockdown_day": "it may be 13–23 days", "temperature_c": "it may be 35–39.5 °C",
		}[field])
	}
	assert.Contains(t, v.post("/kinds/chicken", url.Values{"key": {farm.NewKey()}, "school": {"wet"},
		"hand_turns": {"5"}, "washing": {"unwashed"}, "mistings": {"0"}, "cool_min": {"0"}, "lockdown_day": {"22"},
	}).body, "Lockdown on day 22 leaves no day before the hatch on day 22; it may be up to day 21")
	assert.Contains(t, v.post("/settings/farm", url.Values{"key": {farm.NewKey()}, "farm": {"X"}, "zone": {"UTC"},
		"chore_at": {"07:00"}, "warm_hours": {"24"}, "rest_hours": {"24"}, "altitude": {"high"},
	}).body, "The altitude in metres is &#34;high&#34;; it may be a whole number.")
	batch := v.find("/batches", `href="(/batches/\d+)"[^>]*><b>Chicken`)
	assert.Contains(t, v.get(batch).body, "Lockdown, day 20")
}

// Each page of an empty farm says what it is for; none of those that others lead to is missing.
func TestAnEmptyFarmHasItsPages(t *testing.T) {
	t.Parallel()
	s := newSite(t)
	v := s.visitor()
	require.Equal(t, http.StatusSeeOther, v.post("/set-up", url.Values{
		"farm": {"Fern Hollow"}, "zone": {"UTC"}, "name": {"Nell Ash"}, "email": {"nell@fern.example"},
		"password": {"a-long-password"},
	}).status)
	for _, path := range []string{
		"/", "/eggs", "/eggs/store", "/eggs/waiting", "/books/lists/collections", "/set", "/batches", "/board", "/promises",
		"/board/days", "/plan", "/pens", "/machines", "/parcels", "/settings", "/practice", "/kinds/goose",
	} {
		assert.Equal(t, http.StatusOK, v.get(path).status, path)
	}
	assert.Contains(t, v.get("/eggs/waiting").body, "Name the first pen")
}
