// Package eggline reads what was gathered from one typed line:
//
//	barred 6, 1 cracked; speckled 5 yesterday; lavender hen 14 1 43g
package eggline

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"metrogon/core/method"
	"metrogon/core/units"
	"metrogon/farm/snapshot"
	"metrogon/farm/stock"
)

var (
	words = map[string]string{
		"crack": "crack", "cracked": "crack", "cracks": "crack", "double": "double", "doubles": "double",
		"small": "small", "large": "large", "big": "large",
		"shape": "shape", "misshapen": "shape", "dirty": "dirty", "first": "pullet", "pullet": "pullet",
		"floats": "floats", "floating": "floats", "broken": "broken",
	}
	shells = map[string]method.Washing{"unwashed": method.Unwashed, "brushed": method.Brushed, "washed": method.Washed}
	size   = regexp.MustCompile(`^(\d+(?:[.,]\d+)?)x(\d+(?:[.,]\d+)?)(?:mm)?$`)
	weight = regexp.MustCompile(`^(\d+(?:[.,]\d+)?)(g|oz)$`)
)

// What one round can be.
const (
	MaxBytes   = 4000
	MaxEntries = 200
)

// Read reads a line for these pens on a date (midnight UTC). A pen is named by
// its name or the beginning of it, if only one pen begins so. Entries are parted
// by semicolons. The first error says which word is not understood.
func Read(line string, pens []snapshot.Pen, today time.Time) (all []stock.Collected, err error) {
	if len(line) > MaxBytes {
		return nil, fmt.Errorf(
			"the line has %d characters; it may have %d: enter the round in parts", len(line), MaxBytes,
		)
	}
	for entry := range strings.SplitSeq(line, ";") {
		if len(all) == MaxEntries {
			return nil, fmt.Errorf("the line has more than %d entries; enter the round in parts", MaxEntries)
		}
		tokens := strings.Fields(strings.ReplaceAll(strings.ToLower(entry), ", ", " , "))
		if len(tokens) == 0 {
			continue
		}
		c, err := read(tokens, pens, today)
		if err != nil {
			return nil, err
		}
		all = append(all, c)
	}
	if len(all) == 0 {
		return nil, fmt.Errorf("name a pen and how many eggs, like: %s 6, 1 cracked", example(pens))
	}
	return all, nil
}

func example(pens []snapshot.Pen) string {
	if len(pens) == 0 {
		return "barred"
	}
	return strings.ToLower(pens[0].Name)
}

func read(tokens []string, pens []snapshot.Pen, today time.Time) (stock.Collected, error) {
	pen, rest, err := penOf(tokens, pens)
	c := stock.Collected{PenID: pen.ID, LaidOn: today, Reasons: map[string]int{}}
	if err != nil {
		return c, err
	}
	counted := false
	for i := 0; i < len(rest); i++ {
		word := rest[i]
		n, err := strconv.Atoi(word)
		switch {
		case word == ",":
		case err == nil && i+1 < len(rest) && words[rest[i+1]] != "":
			c.Reasons[words[rest[i+1]]] += n
			i++
		case err == nil && !counted:
			c.Eggs, counted = n, true
		case err == nil:
			return c, fmt.Errorf(
				"after %d eggs of %s comes %d: say what is wrong with them, like: %d cracked", c.Eggs, pen.Name, n, n,
			)
		case words[word] != "":
			c.Reasons[words[word]]++
		case shells[word] != "":
			c.Washing = shells[word]
		case word == "yesterday":
			c.LaidOn = today.AddDate(0, 0, -1)
		case word == "hen" && i+1 < len(rest):
			i++
			c.Hen = rest[i]
		case weight.MatchString(word):
			m := weight.FindStringSubmatch(word)
			grams := units.Reader{Ounces: m[2] == "oz"}.Grams(*number(m[1]))
			c.MassG = &grams
		case size.MatchString(word):
			m := size.FindStringSubmatch(word)
			c.LengthMM, c.Breadth = number(m[1]), number(m[2])
		default:
			return c, fmt.Errorf(
				"%q is not understood; it may be a number, yesterday, hen and its name, a weight like 58g or "+
					"2oz, a size like 57x43, or cracked, double, small, large, shape, dirty, first, floats, broken",
				word,
			)
		}
	}
	if c.Hen != "" && !counted && len(c.Reasons) == 0 {
		c.Eggs = 1
	}
	return c, nil
}

func number(s string) *float64 {
	f, _ := strconv.ParseFloat(strings.Replace(s, ",", ".", 1), 64)
	return &f
}

// penOf finds the pen that the first words name, the longest name first.
func penOf(tokens []string, pens []snapshot.Pen) (snapshot.Pen, []string, error) {
	longest := 0 // no more words can be a name
	for _, p := range pens {
		longest = max(longest, len(strings.Fields(p.Name)))
	}
	for n := min(len(tokens), longest); n > 0; n-- {
		typed := strings.Join(tokens[:n], " ")
		var like []snapshot.Pen
		for _, p := range pens {
			name := strings.ToLower(p.Name)
			if name == typed {
				return p, tokens[n:], nil
			}
			if strings.HasPrefix(name, typed) {
				like = append(like, p)
			}
		}
		switch {
		case len(like) == 1:
			return like[0], tokens[n:], nil
		case len(like) > 1 && n == 1:
			names := []string{}
			for _, p := range like {
				names = append(names, p.Name)
			}
			slices.Sort(names)
			return snapshot.Pen{}, nil, fmt.Errorf(
				"%q may be %s; write a little more of the name", typed, strings.Join(names, " or "),
			)
		}
	}
	return snapshot.Pen{}, nil, fmt.Errorf(
		"no pen begins with %q; an entry begins with the pen, like: %s 6", tokens[0], example(pens),
	)
}
