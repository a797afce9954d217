package eggcsv_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/farm"
	"metrogon/farm/stock"
	"metrogon/formats/eggcsv"
)

func on(y int, m time.Month, d int) time.Time { return time.Date(y, m, d, 0, 0, 0, 0, time.UTC) }

func TestReadsWhatPeopleKeep(t *testing.T) {
	want := stock.ImportLine{
		No: 2, Date: on(2027, 3, 14), Pen: "Barred", Species: "chicken", Eggs: 7, Rejected: 1, Note: "rain, mud",
	}
	for name, text := range map[string]string{
		"commas":                  "date,pen,species,eggs,rejected,note\n2027-03-14,Barred,chicken,7,1,\"rain, mud\"\n",
		"semicolons, a BOM, CRLF": "\ufeffDate;Pen;Species;Eggs;Rejected;Note\r\n14.03.2027;Barred;chicken;7;1;rain, mud\r\n",
		"tabs, other order": "pen\tdate\teggs\trejected\tspecies\tnote\nBarred\t14 Mar " +
			"2027\t7\t1\tchicken\train, mud\n\n",
		"day first":   "date,pen,species,eggs,rejected,note\n14/03/2027, Barred ,chicken,7,1,\"rain, mud\"",
		"month first": "date,pen,species,eggs,rejected,note\n03/14/2027,Barred,chicken,7,1,\"rain, mud\"",
	} {
		f, err := eggcsv.Read(strings.NewReader(text))
		require.NoError(t, err, name)
		require.Empty(t, f.Bad, name)
		assert.Equal(t, []stock.ImportLine{want}, f.Lines, name)
	}
}

func TestSaysWhatItAssumed(t *testing.T) {
	f, err := eggcsv.Read(strings.NewReader("date;pen;eggs\n4/5/2027;A;3\n"))
	require.NoError(t, err)
	assert.Equal(t, on(2027, 5, 4), f.Lines[0].Date)
	assert.Equal(
		t,
		[]string{
			"Columns are read as parted by semicolons.",
			"Dates with slashes could be read both ways; day/month/year is assumed.",
		},
		f.Assumed,
	)
	f, err = eggcsv.Read(strings.NewReader("date,pen,eggs\n4/5/2027,A,3\n4/25/2027,A,3\n"))
	require.NoError(t, err)
	assert.Equal(t, on(2027, 4, 5), f.Lines[0].Date, "a later line tells that the month comes first")
}

func TestNamesEveryBadLine(t *testing.T) {
	f, err := eggcsv.Read(
		strings.NewReader(
			"date,pen,eggs,rejected\n2027-03-14,A,7,\n2027-02-30,A,7,0\n2027-03-14,,7,0\n" +
				"2027-03-14,A,many,-1\n2027-03-14,A,1000000000,0\n4/5/27 or so,A\n",
		),
	)
	require.NoError(t, err)
	var got []string
	for _, b := range f.Bad {
		got = append(got, fmt.Sprintf("%d %s %q", b.No, b.Column, b.Value))
		assert.NotEmpty(t, b.Reason)
	}
	assert.Equal(
		t,
		[]string{
			`3 date "2027-02-30"`, `4 pen ""`, `5 eggs "many"`, `5 rejected "-1"`, `6 eggs "1000000000"`,
			`7 date "4/5/27 or so"`, `7 eggs ""`,
		},
		got,
	)
}

func TestRefusesWhatIsNoSuchFile(t *testing.T) {
	for name, c := range map[string]struct{ text, says string }{
		"nothing":          {"", "empty"},
		"a header only":    {"date,pen,eggs\n", "no lines"},
		"a strange column": {"date,pen,eggs,colour\n", `"colour" is no column`},
		"a column twice":   {"date,pen,eggs,eggs\n", "comes twice"},
		"a column short":   {"date,pen\n", `"eggs" is missing`},
		"latin-1":          {"date,pen,eggs\n2027-03-14,H\xfchner,3\n", "UTF-8"},
		"a binary":         {"PK\x03\x04\x00\x00", "not text"},
		"too much":         {strings.Repeat("x", eggcsv.MaxBytes+1), "larger than"},
	} {
		_, err := eggcsv.Read(strings.NewReader(c.text))
		assert.ErrorContains(t, err, c.says, name)
	}
}

func FuzzRead(f *testing.F) {
	f.Add("date,pen,eggs\n2027-03-14,A,7\n")
	f.Add("\ufeffdate;pen;eggs\n\"14.3.2027;A;7")
	f.Fuzz(func(t *testing.T, text string) {
		file, err := eggcsv.Read(strings.NewReader(text))
		if err == nil && len(file.Bad) == 0 {
			for _, l := range file.Lines {
				if l.Pen == "" || l.Eggs < 0 || l.Eggs > farm.MaxEggs {
					t.Errorf("accepted %+v", l)
				}
			}
		}
	})
}
