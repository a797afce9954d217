package farm_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"metrogon/farm"
)

func TestADeviceKnowsItsAccounts(t *testing.T) {
	cookie := ""
	for i := range 10 {
		cookie = farm.Learnt(cookie, "secret", fmt.Sprintf("p%d@x.example", i))
	}
	assert.True(t, farm.Known(cookie, "secret", " P9@x.example"), "whatever the case and spaces")
	assert.False(t, farm.Known(cookie, "secret", "p0@x.example"), "the oldest of many is forgotten")
	assert.False(t, farm.Known(cookie, "other", "p9@x.example"), "under another secret")
	assert.Equal(t, cookie, farm.Learnt(cookie, "secret", "p9@x.example"))
}

func FuzzDevice(f *testing.F) {
	f.Add("")
	f.Add("ABCDEFGHIJKLMNOPQRSTUVWXYZ.0.1.2")
	f.Add(farm.Learnt("", "secret", "anna@x.example"))
	f.Fuzz(func(t *testing.T, cookie string) {
		if farm.Known(cookie, "another secret of the server", "anna@x.example") {
			t.Errorf("%q passes for a device that was never signed in", cookie)
		}
		farm.Learnt(cookie, "secret", "anna@x.example")
	})
}
