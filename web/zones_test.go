package web

import (
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"metrogon/demo"
)

// What a zone says of itself in a calendar and behind the moments of a sheet, and files that are not text.
var (
	ofOneZone = regexp.MustCompile(`(?s)BEGIN:VTIMEZONE.*?END:VTIMEZONE|(DTSTAMP|LAST-MODIFIED):\w+|URL:\S+`)
	offset    = regexp.MustCompile(`(\dT\d\d:\d\d:\d\d)(Z|[+-]\d\d:\d\d)`)
	packed    = regexp.MustCompile(`\.(pdf|xlsx|zip)`)
)

// A farm that did the same by its own clock sees the same on every page, as far west and as far east as people live:
// no date is a day early or late.
func TestDatesAreTheFarmsEverywhere(t *testing.T) {
	t.Parallel()
	here := newDemoIn(t, "UTC").signedIn(demo.Email, demo.Password)
	there := map[string]*visitor{}
	for _, zone := range []string{"Etc/GMT+11", "Etc/GMT-14"} { // eleven hours behind, fourteen ahead
		there[zone] = newDemoIn(t, zone).signedIn(demo.Email, demo.Password)
	}
	plain := func(path, body, zone string) string {
		body = strings.ReplaceAll(ofOneServer.ReplaceAllString(body, ""), zone, "ZONE")
		if !strings.Contains(path, ".csv") {
			return ofOneZone.ReplaceAllString(body, "")
		}
		// Eggs of one day were put down in any order.
		lines := strings.Split(offset.ReplaceAllString(body, "$1"), "\n")
		for i, l := range lines {
			_, lines[i], _ = strings.Cut(l, ",")
		}
		slices.Sort(lines)
		return strings.Join(lines, "\n")
	}
	seen, queue := map[string]bool{}, []string{"/"}
	for len(queue) > 0 && len(seen) < 160 {
		path, _, _ := strings.Cut(queue[0], "#")
		queue = queue[1:]
		if seen[path] || packed.MatchString(path) || strings.HasPrefix(path, "/settings") || n(seen, shape(path)) > 2 {
			continue
		}
		seen[path] = true
		a := here.get(path)
		one := plain(path, a.body, "UTC")
		for zone, v := range there {
			b := v.get(path)
			assert.Equal(t, a.status, b.status, "%s in %s", path, zone)
			if two := plain(path, b.body, zone); one != two {
				i := 0
				for i < min(len(one), len(two)) && one[i] == two[i] {
					i++
				}
				from := max(0, i-150)
				t.Errorf(
					"%s in %s differs:\n%s\n---\n%s", path, zone, one[from:min(len(one), i+120)], two[from:min(len(two), i+120)],
				)
			}
		}
		for _, l := range linksOf.FindAllStringSubmatch(a.body, -1) {
			queue = append(queue, strings.ReplaceAll(l[1], "&amp;", "&"))
		}
	}
	assert.Greater(t, len(seen), 80)
}
