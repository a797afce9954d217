package farm

import (
	"errors"

	"github.com/jackc/pgx/v5/pgconn"
)

// checks are the sentences of the database's own checks. A use case says before what
// is wrong; where it did not, the check is the last to say so. A test sees that none
// is without its sentence.
var checks = map[string]Problem{
	"away_actions_check": {"actions", "Tick what is not done on those days: set, lockdown, pull."},
	"away_days_check":    {"to_on", "The last day comes before the first."},
	"away_why_check":     {"why", "What it is for may have 60 characters."},
	"bans_days_check":    {"to_on", "The last day comes before the first."},

	"batches_check":              {"when", "A batch cannot go into lockdown before it was set."},
	"batches_check1":             {"when", "A batch cannot be closed before it was set."},
	"batches_storage_days_check": {"eggs", "Eggs cannot have been laid after they were set."},
	"birds_breed_check":          {"breed", "The breed may have 60 characters."},
	"birds_gone_check":           {"gone", "Pick how the bird left: retired, sold, died, culled."},
	"birds_gone_on_check":        {"gone_on", "A bird that is gone has the day and the reason."},
	"birds_mark_check":           {"mark", "The mark may have 30 characters."},
	"birds_name_check":           {"name", "The bird's name may have 1 to 40 characters."},
	"birds_note_check":           {"note", "The note may have 500 characters."},
	"birds_origin_check":         {"origin", "From whom it came may have 80 characters."},
	"birds_parents_check":        {"sire", "No bird is its own parent."},
	"birds_sex_check":            {"sex", "A bird is male or female."},
	"birds_shell_check":          {"shell", "The colour of the shell may have 40 characters."},
	"birds_weight_g_check":       {"weight", "A bird may weigh up to 30 kg."},

	"bird_stays_days_check": {"until_on", "A bird cannot leave a pen before it came."},

	"brooders_name_check":   {"name", "The brooder's name may have 1 to 60 characters."},
	"brooders_places_check": {"places", "A brooder may have 1 to 100,000 places."},

	"calls_call_check": {"call", "That is no call."},
	"care_check":       {"kind", "Care is of one batch, machine or place."},

	"closures_days_check": {"to_on", "The last day comes before the first."},
	"closures_why_check":  {"why", "Why it is closed may have 60 characters."},

	"collections_hen_check":       {"hen", "The name of the hen may have 30 characters."},
	"collections_note_check":      {"note", "The note may have 500 characters."},
	"collections_wash_with_check": {"wash_with", "What they were washed with may have 60 characters."},
	"collections_washing_check":   {"washing", "Pick what was done to the shells."},

	"eggs_breadth_mm_check": {"breadth", "The breadth of an egg may be 6 to 120 mm."},
	"eggs_length_mm_check":  {"length", "The length of an egg may be 8 to 150 mm."},
	"eggs_mass_g_check":     {"mass", "The weight of an egg may be 0.3 to 400 g."},
	"eggs_check":            {"eggs", "An egg that ended has the day of its end."},
	"eggs_check2":           {"place", "An egg on a tray has its place there."},
	"eggs_place_check":      {"place", "There is no such place on the tray."},
	"eggs_set_check":        {"eggs", "A rejected egg is set only on trial."},
	"eggs_fate_check":       {"fate", "That is no end of an egg."},

	"farms_sell_pct_check":        {"sell_pct", "The share from which eggs are sold may be 1 to 100 %."},
	"farms_swap_below_sell_check": {"swap_pct", "A male goes below less than the share from which eggs are sold."},
	"farms_swap_pct_check":        {"swap_pct", "The share below which a male goes may be 0 to 100 %."},

	"fertility_tests_decision_check": {"decision", "What was decided may have 120 characters."},
	"fertility_tests_eggs_check":     {"eggs", "A test may have 1 to 500 eggs."},
	"fertility_tests_why_check":      {"why", "Why it is done may have 120 characters."},

	"farms_name_check":       {"farm", "The farm's name may have 1 to 80 characters."},
	"farms_altitude_m_check": {"altitude", "The altitude may be -400 to 5000 m."},
	"farms_rest_hours_check": {"rest_hours", "The rest of shipped eggs may be 12 to 48 hours."},
	"farms_warm_hours_check": {"warm_hours", "The warm-up may be 0 to 168 hours."},

	"hatch_baskets_name_check": {"basket", "Where a basket stands may have 1 to 40 characters."},
	"hatch_signs_kind_check":   {"kind", "That is nothing that can be seen of a hatch."},
	"hatch_signs_n_check":      {"n", "1 to 10,000 eggs may have pipped."},
	"hatch_signs_of_check":     {"pen", "Say of which pen the eggs are."},
	"hatch_signs_one_check":    {"n", "One egg pips once."},

	"journal_subjects_kind_check": {"", "That is nothing that the journal is about."},

	"lid_openings_minutes_check": {"minutes", "A lid may be open for 0 to 1440 minutes."},
	"lid_openings_why_check":     {"why", "Why it was opened may have 1 to 60 characters."},

	"machine_room_hatching_check":  {"rooms", "A machine may hold 0 to 100,000 eggs while hatching."},
	"machine_room_per_place_check": {"rooms", "A place of a tray may hold 1 to 20 eggs."},
	"machine_room_setting_check":   {"rooms", "A machine may hold 0 to 100,000 eggs while setting."},
	"machines_clean_days_check":    {"clean_days", "The days of cleaning may be 0 to 30."},
	"machines_counter_from_check":  {"counter_from", "A counter begins at 0 or 1."},
	"machines_kind_check":          {"kind", "Pick what kind of machine it is."},
	"machines_name_check":          {"name", "The machine's name may have 1 to 60 characters."},
	"memberships_role_check":       {"role", "A person is owner or helper."},

	"methods_cool_min_check":   {"cool_min", "Cooling may take 0 to 30 minutes."},
	"methods_hand_turns_check": {"hand_turns", "Eggs are turned 3, 5 or 7 times a day."},
	"methods_mistings_check":   {"mistings", "Eggs are misted up to twice a day."},
	"methods_school_check":     {"school", "Pick a school of humidity."},
	"methods_washing_check":    {"washing", "Pick what is done to the shells."},

	"orders_count_check":     {"count", "1 to 10,000 may be promised."},
	"orders_delivered_check": {"delivered", "0 to 100,000 may be handed over."},
	"orders_note_check":      {"note", "The note may have 500 characters."},
	"orders_price_check":     {"price", "The price of one may be 0 to 100,000."},
	"orders_sure_pct_check":  {"sure_pct", "A promise may be 50 to 99 % sure."},
	"orders_what_check":      {"what", "Pick what is promised: young, females only, or hatching eggs."},
	"orders_who_check":       {"who", "Whom it is for may have 1 to 80 characters."},
	"orders_window_check":    {"to_on", "The last day comes before the first."},

	"parcels_broken_check":    {"broken", "More eggs cannot be broken than were sent."},
	"parcels_check":           {"broken", "More eggs cannot be broken than were sent."},
	"parcels_check1":          {"sent", "A parcel that arrived has its eggs counted."},
	"parcels_displaced_check": {"displaced", "The number of displaced air cells may be 0 or more."},
	"parcels_loose_check":     {"loose", "The number of loose air cells may be 0 or more."},
	"parcels_note_check":      {"note", "The note may have 500 characters."},
	"parcels_ordered_check":   {"ordered", "An order may be of 1 to 2000 eggs."},
	"parcels_sent_check":      {"sent", "A parcel may hold 0 to 2000 eggs."},

	"pens_breed_check":   {"breed", "The breed may have 60 characters."},
	"pens_check":         {"until_on", "The pen's last day comes before its first."},
	"pens_females_check": {"females", "A pen may have 0 to 10,000 females."},
	"pens_males_check":   {"males", "A pen may have 0 to 10,000 males."},
	"pens_name_check":    {"name", "The pen's name may have 1 to 60 characters."},

	"people_clock_check":       {"clock", "The clock may have 12 or 24 hours."},
	"people_count_from_check":  {"count_from", "The set day is day 0 or day 1."},
	"people_email_check":       {"email", "The e-mail address may have 3 to 200 characters."},
	"people_mass_check":        {"mass", "Weights are read in g or oz."},
	"people_name_check":        {"name", "A name may have 1 to 80 characters."},
	"people_temperature_check": {"temperature", "Temperatures are read in °C or °F."},

	"places_name_check":   {"name", "The name of the place may have 1 to 60 characters."},
	"places_rh_pct_check": {"rh", "The humidity may be 0 to 100 %."},
	"places_temp_c_check": {"temp", "The temperature of a place may be -10 to 45 °C (14 to 113 °F)."},

	"planned_eggs_eggs_check": {"eggs", "A pen's part of a planned batch may be 1 to 10,000 eggs."},
	"planned_for_young_check": {"young", "The young of a promise are out of bounds."},
	"planned_says_check":      {"says", "What a planned batch is for may have 2000 characters."},
	"plans_seconds_check":     {"seconds", "A plan may take 1 to 600 seconds."},
	"plans_state_check":       {"", "That is no state of a plan."},

	"pulls_place_check": {"place", "Where the young go may have 1 to 60 characters."},
	"pulls_young_check": {"n", "1 to 10,000 young may be taken out."},

	"readings_mass_g_check":    {"v", "The weight may be 0.1 to 200,000 g."},
	"responses_from_pct_check": {"from", "The humidity before may be 1 to 100 %."},
	"responses_minutes_check":  {"minutes", "The minutes may be 1 to 1440."},
	"responses_to_pct_check":   {"to", "The humidity after may be 1 to 100 %."},
	"responses_what_check":     {"what", "Pick what you changed."},

	"trays_check":              {"columns", "A tray may have up to 1000 places."},
	"trays_name_check":         {"name", "The tray's name may have 1 to 30 characters."},
	"trays_tray_columns_check": {"columns", "A row of a tray may have 1 to 1000 places."},
	"trays_tray_rows_check":    {"rows", "A tray may have 0 to 60 rows."},

	"farms_kinds_check": {"kinds", "A farm may keep up to 100 kinds."},

	"invitations_check":      {"until", "An invitation ends after it was made."},
	"invitations_check1":     {"link", "An invitation is taken by somebody, at a moment."},
	"invitations_name_check": {"name", "The name may have 1 to 80 characters."},
	"invitations_role_check": {"role", "A person is owner, keeper, helper or reader."},

	"password_links_check":   {"link", "A link ends after it was made."},
	"signed_in_device_check": {"device", "How a device names itself may have 200 characters."},

	"weighings_cell_pct_check": {"cell", "An air cell may take 0 to 60 % of the egg."},
	"weighings_check":          {"mass", "Give a weight, or an air cell."},
	"weighings_check1":         {"code", "A single egg is weighed by itself."},
	"weighings_eggs_check":     {"eggs", "1 to 10,000 eggs may lie on the scale."},
	"weighings_mass_g_check":   {"mass", "The weight is more than nothing."},
	"weighings_rh_pct_check":   {"rh", "The humidity may be 1 to 100 %."},
	"weighings_temp_c_check":   {"temp", "The temperature may be 10 to 45 °C (50 to 113 °F)."},

	"young_band_check":     {"band", "The band or mark may have 30 characters."},
	"young_colour_check":   {"colour", "The colour may have 40 characters."},
	"young_fit":            {"hatched", "That would be more young than there are eggs of this pen."},
	"young_note_check":     {"note", "The note may have 300 characters."},
	"young_sex_check":      {"sex", "A young is male or female, or it is not told."},
	"young_signs_check":    {"signs", "That is no sign of a young."},
	"young_weight_g_check": {"weight", "The weight of a young may be 0.3 to 400 g."},

	"young_counts_young_check": {"hatched", "The number of young is out of bounds."},
}

// checked turns a broken check into its sentence; every other error stays as it is.
func checked(err error) error {
	var pg *pgconn.PgError
	if !errors.As(err, &pg) || pg.Code != "23514" {
		return err
	}
	if says, ok := checks[pg.ConstraintName]; ok {
		return Problems{says}
	}
	return err
}
