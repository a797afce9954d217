package web

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"

	"mime/multipart"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"metrogon/demo"
	"metrogon/farm"
	"metrogon/farm/books"
	"metrogon/farm/breeders"
	"metrogon/farm/journal"
	"metrogon/farm/people"
	"metrogon/formats/archive"
	breedersrows "metrogon/store/breeders"
	"metrogon/web/page"
)

// what differs between two servers that show the same farm
var ofOneServer = regexp.MustCompile(
	`name="(key|device)" value="[^"]*"|src="data:image/png[^"]*"|` +
		`(?s)<h2 id="password">.*?</section>|<h2 id="scale">.*?</section>|<h2 id="people">.*?</ul>|` +
		`<span class="late">has no key here yet</span>`,
)

// elsewhere is another server, with an empty farm of the same owner.
func elsewhere(t *testing.T) (*site, *farm.Member) {
	s := newSite(t)
	id, err := s.books.People.SetUp(t.Context(), people.NewFarm{
		Farm: "Empty", Zone: "UTC", Name: "Ida Fennimoor", Email: demo.Email, Password: demo.Password,
	}, true)
	require.NoError(t, err)
	m, err := s.books.People.Member(t.Context(), id)
	require.NoError(t, err)
	return s, m
}

func (s *site) archived(t testing.TB) []byte {
	m, err := s.books.People.Owner(t.Context(), demo.Name)
	require.NoError(t, err)
	var file bytes.Buffer
	require.NoError(t, archive.Write(t.Context(), &file, s.books.Books, m, s.now))
	return file.Bytes()
}

// A farm that leaves as an archive and is restored on another server shows the same on every page.
func TestAnArchiveRestoresToTheSamePages(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 1)
	file := s.archived(t)
	other, m := elsewhere(t)
	in, contents, err := archive.Read(bytes.NewReader(file), int64(len(file)))
	require.NoError(t, err)
	assert.Equal(t, demo.Name, contents.Farm)
	require.NoError(t, books.Restore(t.Context(), other.owner, m, in))
	assert.ErrorContains(t, books.Restore(t.Context(), other.owner, m, in), "this one has records")

	here, there := s.signedIn(demo.Email, demo.Password), other.signedIn(demo.Email, demo.Password)
	seen, queue := map[string]bool{}, []string{"/"}
	for len(queue) > 0 && len(seen) < 130 {
		path := queue[0]
		queue = queue[1:]
		at, _, _ := strings.Cut(path, "#")
		kind := shape(at)
		if seen[at] || strings.Contains(at, ".pdf") || n(seen, kind) > 6 {
			continue
		}
		seen[at] = true
		a, b := here.get(at), there.get(at)
		assert.Equal(t, a.status, b.status, at)
		one, two := ofOneServer.ReplaceAllString(a.body, ""), ofOneServer.ReplaceAllString(b.body, "")
		if one != two {
			i := 0
			for i < min(len(one), len(two)) && one[i] == two[i] {
				i++
			}
			from := max(0, i-150)
			t.Errorf("%s differs:\n%s\n---\n%s", at, one[from:min(len(one), i+200)], two[from:min(len(two), i+200)])
		}
		for _, l := range linksOf.FindAllStringSubmatch(a.body, -1) {
			queue = append(queue, strings.ReplaceAll(l[1], "&amp;", "&"))
		}
	}
	assert.Greater(t, len(seen), 60)
	t.Logf("%d pages", len(seen))
	count, err := breedersrows.Of(other.owner).Miscounted(t.Context())
	require.NoError(t, err)
	assert.Zero(t, count, "the sums are what the eggs say")

	// and work goes on there: a new collection has an id of its own
	r := there.typed("/eggs", "pen=1&eggs=3&date="+noon.Format("2006-01-02"))
	assert.Equal(t, http.StatusSeeOther, r.status, r.body)
	line := there.find("/journal", `href="(/journal/\d+)">3 eggs from`)
	assert.Equal(t, http.StatusSeeOther, there.typed(line+"/back").status)

	// the helper is a name there, and no account that an archive could make in anybody's name
	var role, email string
	var ended bool
	require.NoError(t, other.owner.Pool.QueryRow(t.Context(), `
		select role, email, ended_at is not null from memberships m join people p on p.id = m.person_id
		where p.name = 'Tobin Reck' and p.password_hash = ''`).Scan(&role, &email, &ended))
	assert.Equal(t, farm.HelperRole, role)
	assert.Regexp(t, "^archived-", email)
	assert.True(t, ended)
	assert.Contains(t, other.visitor().try("tobin@quillmarsh.example", "").body, "is wrong")
}

func n(seen map[string]bool, kind string) (n int) {
	for path := range seen {
		if shape(path) == kind {
			n++
		}
	}
	return n
}

// A damaged, cut or foreign file changes nothing and says what is wrong with it.
func TestADamagedArchiveIsRefused(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 0)
	file := s.archived(t)
	read := func(file []byte) error {
		_, _, err := archive.Read(bytes.NewReader(file), int64(len(file)))
		return err
	}
	require.NoError(t, read(file))
	assert.ErrorContains(t, read(file[:len(file)/2]), "no ZIP file")
	assert.ErrorContains(t, read([]byte("date,pen\n")), "no ZIP file")
	for at := range 40 { // one byte anywhere
		hurt := bytes.Clone(file)
		hurt[at*len(hurt)/41] ^= 0x20
		if err := read(hurt); err == nil {
			assert.Equal(t, len(file), len(hurt), "a byte that matters to nobody")
		}
	}
	other, m := elsewhere(t)
	in, _, err := archive.Read(bytes.NewReader(file), int64(len(file)))
	require.NoError(t, err)
	rows := in.Rows
	stop := errors.New("the line was cut")
	in.Rows = func(table string, use func([]json.RawMessage) error) error {
		if table == "calls" {
			return stop
		}
		return rows(table, use)
	}
	require.ErrorIs(t, books.Restore(t.Context(), other.owner, m, in), stop)
	var pens int
	require.NoError(t, other.owner.Pool.QueryRow(t.Context(), `select count(*) from pens`).Scan(&pens))
	assert.Zero(t, pens, "all or nothing")

	for says, row := range map[string]string{
		"an id is not from 1 to 1000000000000": `{"id": 9000000000000000000, "name": "Box", "kind": "still-air"}`,
		"the column sponge is not known here":  `{"id": 1, "name": "Box", "sponge": 2}`,
		"machines.jsonl: invalid input syntax": `{"id": 1, "name": "Box", "clean_days": "soon"}`,
		"machines.jsonl: null value":           `{"id": 1}`,
	} {
		in.Rows = func(table string, use func([]json.RawMessage) error) error {
			if table != "machines" {
				return nil
			}
			return use([]json.RawMessage{json.RawMessage(row)})
		}
		err := books.Restore(t.Context(), other.owner, m, in)
		assert.ErrorContains(t, err, says)
		assert.NotNil(t, page.ProblemsOf(err), "%s is told as what was sent, not as a broken machine", says)
	}
}

// Ten seasons: out in under 20 s, in again in under 60 s.
// An archive of a program that wrote the buyer where the cause of death stands is read as one that keeps them apart.
func TestAnOlderArchiveIsRead(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 0)
	file := s.archived(t)
	other, m := elsewhere(t)
	in, _, err := archive.Read(bytes.NewReader(file), int64(len(file)))
	require.NoError(t, err)
	rows, brood := in.Rows, int64(0)
	in.Rows = func(table string, use func([]json.RawMessage) error) error {
		if table == "brood_outs" {
			return use([]json.RawMessage{json.RawMessage(fmt.Sprintf(
				`{"id": 1, "brood_id": %d, "at": "2027-04-13T10:00Z", "heads": 1, "why": "sold", "cause": "Wilma Aske"}`, brood,
			))})
		}
		return rows(table, func(piece []json.RawMessage) error {
			if table == "broods" {
				var first struct{ ID int64 }
				require.NoError(t, json.Unmarshal(piece[0], &first))
				brood = first.ID
			}
			return use(piece)
		})
	}
	require.NoError(t, books.Restore(t.Context(), other.owner, m, in))
	var cause, buyer string
	require.NoError(t, other.owner.Pool.QueryRow(t.Context(), `select cause, buyer from brood_outs`).Scan(&cause, &buyer))
	assert.Equal(t, [2]string{"", "Wilma Aske"}, [2]string{cause, buyer})
}

func BenchmarkArchiveOfTenSeasons(b *testing.B) {
	s := newDemo(b, 10)
	for b.Loop() {
		begun := time.Now()
		file := s.archived(b)
		out := time.Since(begun)
		other := newSite(b)
		id, err := other.books.People.SetUp(b.Context(), people.NewFarm{
			Farm: "Empty", Zone: "UTC", Name: "Ida", Email: demo.Email, Password: demo.Password,
		}, true)
		require.NoError(b, err)
		m, err := other.books.People.Member(b.Context(), id)
		require.NoError(b, err)
		begun = time.Now()
		in, _, err := archive.Read(bytes.NewReader(file), int64(len(file)))
		require.NoError(b, err)
		require.NoError(b, books.Restore(b.Context(), other.owner, m, in))
		b.ReportMetric(out.Seconds(), "s/out")
		b.ReportMetric(time.Since(begun).Seconds(), "s/in")
		b.ReportMetric(float64(len(file))/1e6, "MB")
	}
}

// Sheets leave whole; the archive leaves and returns through the pages.
func TestBooksThroughThePages(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 0)
	v := s.signedIn(demo.Email, demo.Password)
	for _, one := range books.Sheets {
		r := v.get("/books/" + one.ID + ".csv")
		require.Equal(t, http.StatusOK, r.status, one.ID)
		lines, err := csv.NewReader(strings.NewReader(r.body)).ReadAll()
		require.NoError(t, err, one.ID)
		assert.Equal(t, http.StatusOK, v.get("/books/"+one.ID+".xlsx").status)
		if one.ID == "eggs" {
			var eggs int
			require.NoError(t, s.owner.Pool.QueryRow(t.Context(), `select count(*) from eggs`).Scan(&eggs))
			assert.Len(t, lines, eggs+1)
		}
	}
	assert.Equal(t, http.StatusNotFound, v.get("/books/secrets.csv").status)
	helper := s.signedIn("tobin@quillmarsh.example", demo.Password)
	assert.Equal(t, http.StatusForbidden, helper.get("/books/archive.zip").status)

	file := v.get("/books/archive.zip")
	require.Equal(t, http.StatusOK, file.status)
	other, _ := elsewhere(t)
	there := other.signedIn(demo.Email, demo.Password)
	refused := there.upload("/books/restore", "file", "no archive").body
	assert.Contains(t, refused, "Nothing was restored: this is no archive")
	require.Equal(t, http.StatusSeeOther, there.upload("/books/restore", "file", file.body).status)
	assert.Contains(t, there.get("/").body, "Quillmarsh Fold")
	assert.Contains(t, there.upload("/books/restore", "file", file.body).body, "this one has records")
}

// upload sends a file.
func (v *visitor) upload(path, field, text string, with ...string) reply {
	v.Helper()
	var body bytes.Buffer
	form := multipart.NewWriter(&body)
	part, err := form.CreateFormFile(field, "file")
	require.NoError(v, err)
	_, err = part.Write([]byte(text))
	require.NoError(v, err)
	for _, one := range with {
		name, value, _ := strings.Cut(one, "=")
		require.NoError(v, form.WriteField(name, value))
	}
	require.NoError(v, form.WriteField("key", farm.NewKey()))
	require.NoError(v, form.Close())
	r, err := http.NewRequestWithContext(v.Context(), "POST", v.URL+path, &body)
	require.NoError(v, err)
	r.Header.Set("Content-Type", form.FormDataContentType())
	return v.send(r)
}

// An old notebook as a workbook, with columns of other names: looked at, put right by picking columns,
// brought in, remembered.
func TestANotebookThroughThePages(t *testing.T) {
	s := household(t)
	v := s.signedIn(anna, words)
	box := "kind=all-in-one&name=Box&clean_days=1&counter_from=0&setting-chicken=48&hatching-chicken=40"
	require.Equal(t, http.StatusSeeOther, v.typed("/machines/new", box).status)
	f := excelize.NewFile()
	for i, row := range [][]any{
		{"Line", "Set date", "Eggs", "Blanks", "Chicks", "Species"},
		{"Barred", "2026-03-01", 20, 3, 14, "chicken"}, {"Barred", "2026-04-01", 12, "", 9, "chicken"},
	} {
		require.NoError(t, f.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row))
	}
	var file bytes.Buffer
	require.NoError(t, f.Write(&file))
	looked := v.upload("/books/lists/batches", "file", file.String(), "machine=1", "stored=4").body
	assert.Contains(t, looked, "2 batches, 32 eggs, 23 hatched would come in.")
	text := "Line,Set date,Eggs,Blanks,Chicks,Species\nBarred,2026-03-01,20,3,14,chicken\n" +
		"Barred,2026-04-01,12,,9,chicken\n" // as the page sends it again
	same := url.Values{"text": {text}, "machine": {"1"}, "stored": {"4"}}
	for i, field := range []string{"pen", "set_on", "set", "", "hatched", "kind"} { // the blanks are something else
		same.Set(fmt.Sprintf("column-%d", i), field)
	}
	assert.Contains(t, v.post("/books/lists/batches", same).body, "2 batches, 32 eggs")
	same.Set("bring", "yes")
	require.Equal(t, http.StatusSeeOther, v.post("/books/lists/batches", same).status)
	assert.Contains(t, v.get("/pens").body, "23 of 32")
	year := v.find("/books", `(/books/hatch-record.pdf\?year=\d+)`)
	assert.True(t, strings.HasPrefix(v.get(year).body, "%PDF"), "the hatch record of %s", year)
	assert.Equal(t, http.StatusNotFound, v.get("/books/hatch-record.pdf?year=1234").status)
	again := v.upload("/books/lists/batches", "file", file.String(), "machine=1", "stored=4").body
	assert.Contains(t, again, "2 lines came in before", "the columns are remembered: the same lines")
	strange := v.upload("/books/lists/batches", "file", "a,b\n1,2\n", "machine=1").body
	assert.Contains(t, strange, "Say which column holds: pen.")
}

// Pens and machines come in as lists; the same list again changes nothing.
func TestListsOfPensAndMachines(t *testing.T) {
	s := household(t)
	v := s.signedIn(anna, words)
	bring := func(what, text string) reply {
		return v.post("/books/lists/"+what, url.Values{"text": {text}, "bring": {"yes"}})
	}
	pens := "Name,Species,Breed,Hens,Cocks\nBarred,Hens,Rock,8,1\n\nPond,Ducks,,5,1\n"
	assert.Contains(t, bring("pens", pens+"Reeds,dragons,,1,1\n").body, "line 5, kind: &#34;dragons&#34;")
	assert.Contains(t, bring("pens", pens+"Barred,hen,,1,1\n").body, "line 5, pen: Barred stands in two lines")
	require.Equal(t, http.StatusSeeOther, bring("pens", pens).status)
	assert.Contains(t, v.get("/pens").body, "Pond")
	again := v.post("/books/lists/pens", url.Values{"text": {pens}}).body
	assert.Contains(t, again, "Nothing new in this list.")

	setter := "machine,kind,turning,hatching\nCabinet,big cabinet,100,\n"
	assert.Contains(t, bring("machines", setter).body, "line 2, hatching: Chicken and Duck could hatch nowhere")
	require.Equal(t, http.StatusSeeOther, bring("machines", setter+"Box,,,40\n").status)
	m, err := s.books.People.Member(t.Context(), 1)
	require.NoError(t, err)
	all, err := s.books.Machines.List(t.Context(), m)
	require.NoError(t, err)
	holds := map[string][2]int{}
	for _, x := range all {
		for _, r := range x.Rooms {
			holds[x.Name+" "+r.Species] = [2]int{r.Setting, r.Hatching}
		}
	}
	ducks := 84 // (58 g / 75 g)^(2/3) of 100: by the area that an egg covers
	assert.Equal(t, map[string][2]int{
		"Cabinet chicken": {100, 0}, "Cabinet duck": {ducks, 0}, "Box chicken": {0, 40}, "Box duck": {0, 33},
	}, holds)
}

// sheetRows reads a sheet as CSV, its rows by column.
func (a *visitor) sheetRows(name string) (rows []map[string]string) {
	all, err := csv.NewReader(strings.NewReader(a.get("/books/" + name + ".csv").body)).ReadAll()
	require.NoError(a, err)
	require.NotEmpty(a, all)
	for _, line := range all[1:] {
		row := map[string]string{}
		for i, column := range all[0] {
			row[column] = line[i]
		}
		rows = append(rows, row)
	}
	require.NotEmpty(a, rows, name)
	return rows
}

// Each sheet, added up, says what the page says.
func TestSheetsAddUpToThePages(t *testing.T) {
	t.Parallel()
	s := newDemo(t, 1)
	ctx := t.Context()
	m, err := s.books.People.Owner(ctx, demo.Name)
	require.NoError(t, err)
	ida := s.signedIn(demo.Email, demo.Password)
	number := func(s string) float64 {
		n, err := strconv.ParseFloat(s, 64)
		require.NoError(t, err)
		return n
	}
	add := func(name, by string, of func(row map[string]string) float64) map[string]float64 {
		sums := map[string]float64{}
		for _, row := range ida.sheetRows(name) {
			sums[row[by]] += of(row)
		}
		return sums
	}
	one := func(map[string]string) float64 { return 1 }
	column := func(name string) func(map[string]string) float64 {
		return func(row map[string]string) float64 { return number(row[name]) }
	}

	table, err := s.books.Breeders.Rates(ctx, m, breeders.Query{By: "pen", Rate: breeders.HatchOfSet})
	require.NoError(t, err)
	set, hatched, of := add("rates", "pen", column("eggs_set")), add("rates", "pen", column("hatched")),
		add("rates", "pen", column("hatched_of"))
	early, fertile := add("rates", "pen", column("died_early")), add("rates", "pen", column("fertile"))
	for _, kind := range table.Kinds {
		page, err := s.books.Breeders.Rates(ctx, m, breeders.Query{Kind: kind.ID, By: "pen", Rate: breeders.HatchOfSet})
		require.NoError(t, err)
		for _, r := range page.Rows {
			assert.EqualValues(t, r.Eggs, set[r.Label], "set of %s", r.Label)
			assert.EqualValues(t, r.HatchOfSet.K, hatched[r.Label], "hatched of %s", r.Label)
			assert.EqualValues(t, r.HatchOfSet.N, of[r.Label], "of %s", r.Label)
			assert.EqualValues(t, r.Deaths.Early, early[r.Label], "died early of %s", r.Label)
			assert.InDelta(t, r.Fertility.K, fertile[r.Label], .51, "fertile of %s", r.Label)
		}
	}

	eggs := add("eggs", "batch", func(row map[string]string) float64 {
		return float64(farm.OneIf(row["end"] != "broken"))
	})
	batchSet, seen := add("batches", "batch", column("eggs_set")), add("batches", "batch", column("hatched_eggs_seen"))
	beside := add("batches", "batch", column("young_counted_beside"))
	counted := add("hatches", "batch", func(row map[string]string) float64 {
		if row["what"] == "young counted" {
			return number(row["n"])
		}
		return 0
	})
	out := add("eggs", "batch", func(row map[string]string) float64 {
		return float64(farm.OneIf(row["end"] == "hatched"))
	})
	calls, weighings := add("candlings", "batch", one), add("weighings", "batch", one)
	young := add("young", "batch", one)
	open, closed, err := s.books.Incubate.Batches(ctx, m, 0)
	require.NoError(t, err)
	told := 0
	for _, v := range append(open, closed...) {
		page, err := s.books.Incubate.Batch(ctx, m, v.ID)
		require.NoError(t, err)
		assert.EqualValues(t, page.Eggs-page.Broken, batchSet[v.Code], "set in %s", v.Code)
		assert.EqualValues(t, page.Eggs-page.Broken, eggs[v.Code], "eggs of %s", v.Code)
		assert.EqualValues(t, page.Hatched, seen[v.Code]+beside[v.Code], "hatched in %s", v.Code)
		assert.Equal(t, seen[v.Code], out[v.Code], "hatched eggs of %s", v.Code)
		assert.Equal(t, beside[v.Code], counted[v.Code], "young counted in %s", v.Code)
		made := 0
		for _, pen := range page.Pens {
			for _, e := range pen.Eggs {
				made += len(e.Calls)
			}
		}
		assert.EqualValues(t, made, calls[v.Code], "calls of %s", v.Code)
		water, err := s.books.Weigh.Water(ctx, m, v.ID)
		require.NoError(t, err)
		weighed := 0
		for _, x := range append(water.Series, water.Singles...) {
			weighed += len(x.Weighings)
		}
		assert.EqualValues(t, weighed, weighings[v.Code], "weighings of %s", v.Code)
		told += int(young[v.Code])
	}
	assert.EqualValues(t, told, s.number(`select count(*)::float8 from young`), "young")

	lines, before := 0, int64(0)
	for {
		page, err := s.books.Journal(ctx, m, journal.Query{Before: before})
		require.NoError(t, err)
		lines += len(page.Lines)
		if before = page.Older; before == 0 {
			break
		}
	}
	assert.Len(t, ida.sheetRows("journal"), lines)
}
