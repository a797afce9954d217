package web

import (
	"net/http"
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"

	"metrogon/demo"
)

// A clutch of slugs alone is entered with the form as it stands, and its pages open.
func TestAClutchOfSlugsHasItsPages(t *testing.T) {
	t.Parallel()
	v := newDemo(t, 1).signedIn(demo.Email, demo.Password)
	dam := v.find("/clutches/new", `name="dam"[^>]*>\s*<option value="(\d+-\d+)"`)
	r := v.post("/clutches/new", url.Values{
		"dam": {dam}, "sired": {"unknown"}, "good": {""}, "slugs": {"3"}, "laid_to": {"2027-04-14T07:00"}, "temp": {"28"},
	})
	assert.Equal(t, http.StatusSeeOther, r.status, r.body)
	assert.Contains(t, v.get("/clutches").body, "3 slugs")
	path := v.find("/clutches", `(?s)id="past".*?href="(/clutches/\d+)"`)
	for _, p := range []string{path, "/clutches/rates", "/pens", "/journal"} {
		assert.Equal(t, http.StatusOK, v.get(p).status, p)
	}
}
