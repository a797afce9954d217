package people

import "strings"

// device names a device as its owner would, from how its browser names itself.
func device(agent string) string {
	browser, on := "A browser", ""
	for _, b := range []struct{ sign, name string }{ // what others also claim to be comes last
		{"Firefox/", "Firefox"}, {"Edg", "Edge"}, {"OPR/", "Opera"}, {"Chrome/", "Chrome"}, {"Safari/", "Safari"},
	} {
		if strings.Contains(agent, b.sign) {
			browser = b.name
			break
		}
	}
	for _, o := range []struct{ sign, name string }{
		{"iPhone", "iPhone"}, {"iPad", "iPad"}, {"Android", "Android"}, {"Windows", "Windows"}, {"Mac OS", "Mac"},
		{"Linux", "Linux"},
	} {
		if strings.Contains(agent, o.sign) {
			on = " on " + o.name
			break
		}
	}
	return browser + on
}
