package lists_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"metrogon/core/machine"
	"metrogon/farm/stock"
	"metrogon/formats/lists"
	"metrogon/formats/table"
)

func on(y int, m time.Month, d int) time.Time { return time.Date(y, m, d, 0, 0, 0, 0, time.UTC) }

func collections(t testing.TB, file []byte) ([]stock.ImportLine, lists.Found) {
	rows, err := table.Read(file)
	require.NoError(t, err)
	return lists.Collections(rows, lists.Guess(lists.OfCollections, rows[0]))
}

func TestReadsWhatPeopleKeep(t *testing.T) {
	want := stock.ImportLine{
		No: 2, Date: on(2027, 3, 14), Pen: "Barred", Species: "chicken", Eggs: 7, Rejected: 1, Note: "rain, mud",
	}
	files := map[string]string{
		"commas":                  "date,pen,species,eggs,rejected,note\n2027-03-14,Barred,chicken,7,1,\"rain, mud\"\n",
		"semicolons, a BOM, CRLF": "\ufeffDate;Pen;Species;Eggs;Rejected;Note\r\n14.03.2027;Barred;chicken;7;1;rain, mud\r\n",
		"tabs, other order and names": "Line\tLaid on\tSound\tCracked\tBird\tRemarks\nBarred\t14 Mar " +
			"2027\t7\t1\tchicken\train, mud\n\n",
		"day first":   "date,pen,species,eggs,rejected,note\n14/03/2027, Barred ,chicken,7,1,\"rain, mud\"",
		"month first": "date,pen,species,eggs,rejected,note\n03/14/2027,Barred,chicken,7,1,\"rain, mud\"",
	}
	book := excelize.NewFile() // with a date as workbooks keep it
	for i, row := range [][]any{
		{"Date", "Pen", "Species", "Eggs", "Rejected", "Note"},
		{on(2027, 3, 14), "Barred", "chicken", 7, 1.0, "rain, mud"},
	} {
		require.NoError(t, book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row))
	}
	var whole bytes.Buffer
	require.NoError(t, book.Write(&whole))
	files["a workbook"] = whole.String()
	for name, text := range files {
		all, found := collections(t, []byte(text))
		require.Empty(t, found.Bad, name)
		assert.Equal(t, []stock.ImportLine{want}, all, name)
	}
}

func TestSaysWhatItAssumed(t *testing.T) {
	all, found := collections(t, []byte("date;pen;eggs\n4/5/2027;A;3\n"))
	assert.Equal(t, on(2027, 5, 4), all[0].Date)
	assert.Equal(t, "Dates with slashes could be read both ways; day/month/year is assumed.", found.Assumed)
	all, _ = collections(t, []byte("date,pen,eggs\n4/5/2027,A,3\n4/25/2027,A,3\n"))
	assert.Equal(t, on(2027, 4, 5), all[0].Date, "a later line tells that the month comes first")
}

func TestNamesEveryBadLine(t *testing.T) {
	_, found := collections(t, []byte("date,pen,eggs,rejected\n2027-03-14,A,7,\n2027-02-30,A,7,0\n2027-03-14,,7,0\n"+
		"\n2027-03-14,A,many,few\n4/5/27 or so,A\n"))
	var got []string
	for _, b := range found.Bad {
		got = append(got, fmt.Sprintf("%d %s %s", b.No, b.Column, b.Reason[:strings.Index(b.Reason, ":")]))
	}
	assert.Equal(t, []string{
		`3 day "2027-02-30"`, `4 pen ""`, `6 sound eggs "many"`, `6 rejected "few"`, `7 day "4/5/27 or so"`,
		`7 sound eggs ""`,
	}, got, "by the number that the line has in the file")
}

func TestAMachinesKindIsTold(t *testing.T) {
	rows, err := table.Read([]byte("name,type,holds,hatches\nA,,48,\nB,,,40\nC,,24,20\nD,Still air,40,36\n" +
		"E,old broody,10,10\nF,teapot,1,1\n"))
	require.NoError(t, err)
	all, found := lists.Machines(rows, lists.Guess(lists.OfMachines, rows[0]))
	var kinds []machine.ID
	for _, l := range all {
		kinds = append(kinds, l.Kind.ID)
	}
	assert.Equal(t, []machine.ID{
		machine.ForcedAir, machine.Hatcher, machine.AllInOne, machine.StillAir, machine.BroodyHen, "",
	}, kinds)
	require.Len(t, found.Bad, 1)
	assert.Contains(t, found.Bad[0].Reason, `"teapot": it may be forced-air`)
}

func TestAColumnThatIsMissingIsNamed(t *testing.T) {
	columns := lists.Guess(lists.OfCollections, []string{"date", "colour", "eggs"})
	assert.Equal(t, map[string]int{"date": 0, "eggs": 2}, columns)
	assert.Equal(t, "Pen", lists.Missing(lists.OfCollections, columns).Name)
}

func FuzzCollections(f *testing.F) {
	f.Add("date,pen,eggs\n2027-03-14,A,7\n")
	f.Add("\ufeffdate;pen;eggs\n\"14.3.2027;A;7")
	f.Fuzz(func(t *testing.T, text string) {
		rows, err := table.Read([]byte(text))
		if err != nil {
			return
		}
		all, found := lists.Collections(rows, lists.Guess(lists.OfCollections, rows[0]))
		for _, l := range all {
			if len(found.Bad) == 0 && (l.Pen == "" || l.Date.IsZero()) {
				t.Fatalf("line %d came through without pen or day", l.No)
			}
		}
	})
}
