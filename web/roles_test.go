package web

import (
	"maps"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	ics "github.com/arran4/golang-ical"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/demo"
	"metrogon/farm"
)

var (
	formsOf = regexp.MustCompile(`<form method="post" action="([^"]+)"`)
	linksOf = regexp.MustCompile(`<a [^>]*href="(/[^"#]*)`)
)

// Each sees only what he may do: whatever form or link a page shows to a helper, a reader or a
// keeper is not refused, and a reader sees no form that changes the farm.
func TestEachSeesOnlyWhatHeMayDo(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 0)
	owner, err := s.books.People.Owner(t.Context(), demo.Name)
	require.NoError(t, err)
	own := regexp.MustCompile(
		`^/(sign-out|account/forget|farms/|settings/(units|password|devices|sign-out-everywhere)|reminders)`,
	)
	for _, role := range []string{farm.ReaderRole, farm.HelperRole, farm.KeeperRole} {
		email := role + "@quillmarsh.example"
		require.NoError(t, s.books.People.AddPerson(t.Context(), owner, role, email, words, role))
		v := s.signedIn(email, words)
		seen, forms := map[string]bool{}, map[string]bool{}
		queue := []string{"/"}
		for len(queue) > 0 && len(seen) < 150 {
			path := queue[0]
			queue = queue[1:]
			if seen[shape(path)] {
				continue
			}
			seen[shape(path)] = true
			r := v.get(path)
			if !assert.Less(t, r.status, 400, "%s is led to %s", role, path) {
				continue
			}
			for _, f := range formsOf.FindAllStringSubmatch(r.body, -1) {
				if role == farm.ReaderRole {
					assert.Regexp(t, own, f[1], "a reader is shown a form on %s", path)
				}
				forms[shape(f[1])] = true
			}
			for _, l := range linksOf.FindAllStringSubmatch(r.body, -1) {
				queue = append(queue, strings.ReplaceAll(l[1], "&amp;", "&"))
			}
		}
		assert.Greater(t, len(seen), 20, "%s found few pages", role)
		for path := range forms {
			if path == "/sign-out" || path == "/settings/sign-out-everywhere" {
				continue
			}
			r := v.post(strings.ReplaceAll(path, "N", "1"), url.Values{"key": {farm.NewKey()}})
			assert.NotEqual(t, http.StatusForbidden, r.status, "%s is shown a form of %s", role, path)
			assert.NotContains(t, r.body, "for a keeper or an owner", "%s at %s", role, path)
		}
		if role == farm.HelperRole {
			assert.Contains(t, v.get("/pens/new").body, "This is for a keeper or an owner. A helper may do")
		}
	}
}

// shape is an address whichever thing it is about.
func shape(path string) string {
	path, _, _ = strings.Cut(path, "?")
	return regexp.MustCompile(`\d+`).ReplaceAllString(path, "N")
}

// A link that is opened while signed out leads there after signing in.
func TestALinkLeadsThereAfterSigningIn(t *testing.T) {
	s := household(t)
	v := s.visitor()
	to := v.get("/pens/new?supplier=yes").header.Get("Location")
	assert.Equal(t, "/sign-in?next=%2Fpens%2Fnew%3Fsupplier%3Dyes", to)
	assert.Equal(t, "/pens/new?supplier=yes", v.find(to, `name="next" value="([^"]*)"`))
	in := url.Values{"email": {anna}, "password": {words}, "next": {"/pens/new?supplier=yes"}}
	assert.Equal(t, "/pens/new?supplier=yes", v.post("/sign-in", in).header.Get("Location"))
	in.Set("next", "https://elsewhere.example/")
	assert.Equal(t, "/", s.visitor().post("/sign-in", in).header.Get("Location"), "never to another site")
}

// Asked by link, with an account made there; the device is listed, and signed out from another.
func TestInvitedByLink(t *testing.T) {
	s := household(t)
	owner := s.signedIn(anna, words)
	made := owner.post("/settings/invitations", url.Values{"key": {farm.NewKey()}, "name": {"Una"}, "role": {"reader"}})
	require.Equal(t, http.StatusSeeOther, made.status)
	link := owner.find("/settings", `<code>http://[^/]+(/join/[A-Z0-9]+)</code>`)
	assert.NotContains(t, owner.get("/settings").body, link, "it is shown once")

	una := s.visitor()
	assert.Contains(t, una.get(link).body, "Anna asks you onto Wickfold")
	r := una.post(link, url.Values{"name": {"Una"}, "email": {"una@x.example"}, "password": {"short"}})
	assert.Equal(t, http.StatusUnprocessableEntity, r.status)
	assert.Contains(t, r.body, `value="una@x.example"`, "what was typed stays")
	join := url.Values{"name": {"Una"}, "email": {"una@x.example"}, "password": {words}}
	require.Equal(t, http.StatusSeeOther, una.post(link, join).status)
	assert.True(t, una.in())
	assert.Equal(t, http.StatusGone, s.visitor().get(link).status)

	phone := s.signedIn("una@x.example", words)
	device := phone.find("/settings", `name="device" value="([^"]+)"`)
	out := url.Values{"key": {farm.NewKey()}, "device": {device}}
	require.Equal(t, http.StatusSeeOther, phone.post("/settings/devices", out).status)
	assert.False(t, una.in(), "signed out from the phone")
	assert.True(t, phone.in())
	assert.Contains(t, phone.post("/settings/devices", out).body+"already", "already")
}

// A calendar by a secret address: it keeps each entry under one name when its date moves, and shows
// nothing once it is ended.
func TestTheCalendarFollows(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 0)
	v := s.signedIn(demo.Email, demo.Password)
	require.Equal(t, http.StatusSeeOther, v.typed("/reminders/calendar", "scope=all&alarm=60&fresh=yes").status)
	at := v.find("/reminders", `<code>http://[^/]+(/calendar/[A-Z0-9]+\.ics)</code>`)
	events := func(path string) map[string]string {
		r := s.visitor().get(path)
		require.Equal(t, http.StatusOK, r.status)
		cal, err := ics.ParseCalendar(strings.NewReader(r.body))
		require.NoError(t, err)
		all := map[string]string{}
		for _, e := range cal.Events() {
			all[e.Id()] = e.GetProperty(ics.ComponentPropertySummary).Value + " " +
				e.GetProperty(ics.ComponentPropertyDtStart).Value
		}
		return all
	}
	before := events(at)
	require.Greater(t, len(before), 10)
	rules := "zone=Europe/London&chore_at=09:30&warm_hours=24&rest_hours=24&altitude=0&farm=" + url.QueryEscape(demo.Name)
	require.Equal(t, http.StatusSeeOther, v.typed("/settings/farm", rules).status)
	after := events(at)
	assert.Subset(t, slices.Collect(maps.Keys(before)), slices.Collect(maps.Keys(after)), "no entry has another name")
	moved := 0
	for uid := range after {
		if before[uid] != after[uid] {
			moved++
			assert.Contains(t, after[uid], "T0930", "to the new hour")
		}
	}
	assert.Greater(t, moved, 5)
	machine := v.find("/machines", `href="/machines/(\d+)"`)
	only := v.typed("/reminders/calendar", "scope=machine&alarm=-1&machine="+machine)
	require.Equal(t, http.StatusSeeOther, only.status)
	assert.Less(t, len(events(at)), len(before))
	require.Equal(t, http.StatusSeeOther, v.typed("/reminders/calendar/end").status)
	assert.Equal(t, http.StatusGone, s.visitor().get(at).status)
}
