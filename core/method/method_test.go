package method_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"metrogon/core/method"
	"metrogon/core/species"
)

func kind(t *testing.T, id string) *species.Profile {
	p, err := species.Find(id)
	require.NoError(t, err)
	return p
}

func TestSchoolsOfHumidity(t *testing.T) {
	hen := kind(t, "chicken")
	for _, c := range []struct {
		school   method.School
		locked   bool
		from, to float64 // common practice
	}{
		{method.Wet, false, 45, 55}, {method.Wet, true, 65, 75}, {method.Dry, false, 15, 35},
		{method.Dry, true, 65, 70}, {method.ByWeight, false, 45, 55},
	} {
		f := method.Method{School: c.school}.Humidity(hen, c.locked)
		assert.Equal(t, [2]float64{c.from, c.to}, [2]float64{f.From, f.To}, "%s, locked %t", c.school, c.locked)
	}
	duck := kind(t, "duck")
	assert.Equal(t, duck.HumidityLockdownPct, method.Method{School: method.Dry}.Humidity(duck, true), "never drier")
	own, err := hen.With([]species.Change{{Figure: "humidity_set_pct", From: 38, To: 42}})
	require.NoError(t, err)
	assert.Equal(t, 40.0, method.Method{School: method.Dry}.Humidity(own, false).At, "the farm's own figure wins")
}

func TestStillAirIsRunWarmer(t *testing.T) {
	c, where := method.Temperature(kind(t, "chicken"), true, false)
	assert.True(t, c >= 38.3 && c <= 38.9, "%g", c) // common practice
	assert.Equal(t, "at the top of the eggs", where)
	c, _ = method.Temperature(kind(t, "chicken"), false, true)
	assert.Equal(t, 37.5, c, "in lockdown as before")
	own, err := kind(t, "chicken").With([]species.Change{{Figure: "lockdown_temperature_c", At: 37.1}})
	require.NoError(t, err)
	c, _ = method.Temperature(own, false, true)
	assert.Equal(t, 37.1, c, "unless the farm says so")
	c, _ = method.Temperature(own, false, false)
	assert.Equal(t, 37.5, c)
}

func TestDailyWork(t *testing.T) {
	duck, hen, gecko := kind(t, "duck"), kind(t, "chicken"), kind(t, "leopard-gecko")
	m := method.Method{School: method.Wet, HandTurns: 5, Mistings: 2, CoolMin: 15}
	kinds := func(tasks []method.Task) (s string) {
		for _, x := range tasks {
			s += x.Kind + " "
		}
		return
	}
	assert.Equal(t, "turn ", kinds(m.Daily(duck, 6.9, true, false)))
	assert.Equal(t, "turn cool mist ", kinds(m.Daily(duck, 7, true, false)))
	assert.Equal(t, "cool mist ", kinds(m.Daily(duck, 24.9, false, false)))
	assert.Empty(t, m.Daily(duck, 25, true, false), "from lockdown on the eggs are left alone")
	assert.Empty(t, m.Daily(duck, 20, true, true))
	assert.Empty(t, m.Daily(hen, .2, true, false), "the first hours they settle")
	assert.Equal(t, "turn mist ", kinds(m.Daily(hen, 10, true, false)), "hens' eggs are not cooled")
	m.Late = method.EachDay
	assert.Equal(t, "mist ", kinds(m.Daily(hen, 19, false, true)), "a school of misting in lockdown")
	m.Late = method.AtOpenings
	assert.Empty(t, m.Daily(hen, 19, false, true), "only what is opened anyway")
	m.Late = method.NotLate
	assert.Equal(t, "turn ", kinds(m.Daily(hen, .5, true, false)), "after half a day they are turned")
	m.CoolMin = 0
	assert.Equal(t, "mist ", kinds(m.Daily(duck, 10, false, false)), "a farm that does not cool")
	m.CoolMin, m.Mistings = 15, 0
	assert.Equal(t, "cool ", kinds(m.Daily(duck, 10, false, false)), "a farm that does not mist")
	assert.Empty(t, m.Daily(gecko, 10, true, false), "reptile eggs are never turned")
}

func TestWhatAFarmMayChoose(t *testing.T) {
	duck, hen := kind(t, "duck"), kind(t, "chicken")
	field := func(p *species.Profile, m method.Method) string { f, _ := m.Check(p); return f }
	usual := method.Default()
	assert.Empty(t, field(hen, usual))
	for want, change := range map[string]func(*method.Method){
		"school": func(m *method.Method) { m.School = "damp" }, "hand_turns": func(m *method.Method) {
			m.HandTurns = 4
		},
		"washing":  func(m *method.Method) { m.Washing = "" },
		"mistings": func(m *method.Method) { m.Mistings = 3 },
		"cool_min": func(m *method.Method) { m.CoolMin = 31 }, "late_mist": func(m *method.Method) { m.Late = "always" },
	} {
		m := usual
		change(&m)
		assert.Equal(t, want, field(duck, m))
	}
	wet := usual
	wet.CoolMin = 10
	assert.Empty(t, field(duck, wet))
	assert.Equal(t, "cool_min", field(hen, wet))
}
