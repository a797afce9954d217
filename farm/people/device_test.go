package people_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"metrogon/farm/people"
)

func TestADeviceKnowsItsAccounts(t *testing.T) {
	cookie := ""
	for i := range 10 {
		cookie = people.Learnt(cookie, "secret", fmt.Sprintf("p%d@x.example", i))
	}
	assert.True(t, people.Known(cookie, "secret", " P9@x.example"), "whatever the case and spaces")
	assert.False(t, people.Known(cookie, "secret", "p0@x.example"), "the oldest of many is forgotten")
	assert.False(t, people.Known(cookie, "other", "p9@x.example"), "under another secret")
	assert.Equal(t, cookie, people.Learnt(cookie, "secret", "p9@x.example"))
}

func FuzzDevice(f *testing.F) {
	f.Add("")
	f.Add("ABCDEFGHIJKLMNOPQRSTUVWXYZ.0.1.2")
	f.Add(people.Learnt("", "secret", "anna@x.example"))
	f.Fuzz(func(t *testing.T, cookie string) {
		if people.Known(cookie, "another secret of the server", "anna@x.example") {
			t.Errorf("%q passes for a device that was never signed in", cookie)
		}
		people.Learnt(cookie, "secret", "anna@x.example")
	})
}
