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
	const west, east = "Etc/GMT+11", "Etc/GMT-14" // eleven hours behind, fourteen ahead
	here, there := newDemoIn(t, west).signedIn(demo.Email, demo.Password), newDemoIn(t, east).signedIn(
		demo.Email, demo.Password,
	)
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
		if seen[path] || packed.MatchString(path) || strings.HasPrefix(path, "/settings") || n(seen, shape(path)) > 1 {
			continue
		}
		seen[path] = true
		a := here.get(path)
		b := there.get(path)
		assert.Equal(t, a.status, b.status, path)
		if one, two := plain(path, a.body, west), plain(path, b.body, east); one != two {
			i := 0
			for i < min(len(one), len(two)) && one[i] == two[i] {
				i++
			}
			from := max(0, i-150)
			t.Errorf("%s differs:\n%s\n---\n%s", path, one[from:min(len(one), i+120)], two[from:min(len(two), i+120)])
		}
		for _, l := range linksOf.FindAllStringSubmatch(a.body, -1) {
			queue = append(queue, strings.ReplaceAll(l[1], "&amp;", "&"))
		}
	}
	assert.Greater(t, len(seen), 80)
}
