// Command figures writes docs/figures.md, every figure of every kind with its mark and its
// source as the profiles have them, and the drawings of docs/statistics.md.
package main

import (
	"fmt"
	"os"
	"strings"

	"metrogon/core/species"
	"metrogon/core/units"
)

func main() {
	for name, text := range map[string]string{"figures.md": table(), "young.svg": young(), "spread.svg": spread()} {
		if err := os.WriteFile("docs/"+name, []byte(text), 0o644); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
	}
}

// titles of figures, in the order of a batch's life.
var titles = []struct{ name, title, unit string }{
	{"hatch_days", "Hatch", "days"},
	{"lockdown_day", "Lockdown", "day"},
	{"temperature_c", "Temperature", "°C"},
	{"humidity_set_pct", "Humidity while turning", "%"},
	{"humidity_lockdown_pct", "Humidity in lockdown", "%"},
	{"extension_wet_bulb_f", "Wet bulb of extension tables, while turning", "°F"},
	{"loss_pct", "Water lost by lockdown", "%"},
	{"egg_g", "Weight of a fresh egg", "g"},
	{"storage_best_days", "Keeps best up to", "days"},
	{"storage_limit_days", "Most stop setting at", "days"},
	{"storage_stretch_days", "Waiting costs what ten days cost hens’ eggs", "days"},
	{"internal_to_external_h", "Internal to external pip", "h"},
	{"pip_to_out_h", "Pip to out", "h"},
	{"bantam_early_days", "Bantams early by", "days"},
	{"females_per_male", "Females to a male", ""},
	{"stays_fertile_days", "Fertile after the male is out", "days"},
	{"first_fertile_days", "First fertile eggs of a male", "days"},
	{"clutch", "Clutch", "eggs"},
	{"clutch_interval_days", "From one clutch of a season to the next", "days"},
	{"danger_c", "Harmful from", "°C"},
	{"gain_pct", "Water taken up by three quarters of the time", "%"},
	{"first_shed_days", "First shed", "days"},
	{"first_feed_days", "First feed", "days"},
	{"brood_places", "Brooder places of one young", ""},
	{"brood_days", "Days in the brooder", "days"},
	{"usual_fertility_pct", "Usual fertility", "%"},
	{"usual_hatch_pct", "Usual hatch of fertile", "%"},
	{"live_hatch_pct", "Hatch of those seen alive, first and last candling", "%"},
}

func table() string {
	var b strings.Builder
	b.WriteString(`# Every figure, and where it comes from

Made from the profiles in core/species/profiles by ` + "`go run ./tools/figures`" + `; a test holds it
to them. "Common practice" is what breeders usually do and no single source says; "from
memory" names a source that was not at hand when the figure was written down, and waits for
somebody to look it up. No figure is marked as published as long as nobody has.
Days are completed days since the eggs were set.

`)
	for _, p := range species.All() {
		fmt.Fprintf(&b, "## %s\n\n| figure | value | mark and source |\n|---|---|---|\n", p.Name)
		for _, t := range titles {
			if f, ok := p.Figure(t.name); ok && f.Known() {
				fmt.Fprintf(&b, "| %s | %s | %s |\n", t.title, value(f, t.unit), f.Origin)
			}
		}
		days := strings.Trim(strings.ReplaceAll(fmt.Sprint(p.CandleDays.Days), " ", ", "), "[]")
		fmt.Fprintf(&b, "| Candling | day %s | %s |\n", days, p.CandleDays.Origin)
		if p.IsReptile() {
			for _, d := range p.Duration.Points {
				fmt.Fprintf(&b, "| Days at %s °C | %s | %s |\n", units.Number(d.TempC),
					value(species.Figure{At: d.At, From: d.From, To: d.To}, ""), p.Duration.Origin)
			}
			fmt.Fprintf(&b, "| Shell | %s | %s |\n", p.Shell.Type, p.Shell.Origin)
			fmt.Fprintf(&b, "| Sex | %s | %s |\n", p.Sex.Rule, p.Sex.Origin)
			for _, s := range p.Sex.Points {
				fmt.Fprintf(&b, "| Females at %s °C | %s %% | %s |\n", units.Number(s.TempC), units.Number(s.FemalePct),
					p.Sex.Origin)
			}
			if d := p.Diapause; d.Rests() {
				fmt.Fprintf(&b, "| Rest | nothing grows below %s °C; %s | %s |\n", units.Number(d.BelowC), d.Says, d.Origin)
			}
		}
		b.WriteString("\n")
	}
	return strings.TrimSuffix(b.String(), "\n")
}

func value(f species.Figure, unit string) string {
	s := units.Number(f.At)
	switch {
	case f.From == 0 && f.To == 0 || f.From == f.To:
	case f.At == (f.From+f.To)/2 && !strings.HasPrefix(unit, "day"):
		s = units.Number(f.From) + "–" + units.Number(f.To)
	default:
		s += " (" + units.Number(f.From) + "–" + units.Number(f.To) + ")"
	}
	return strings.TrimSpace(s + " " + unit)
}
