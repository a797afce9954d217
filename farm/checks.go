package farm

import (
	"errors"

	"github.com/jackc/pgx/v5/pgconn"
)

// checks are the sentences of the database's own checks. A use case says before what
// is wrong; where it did not, the check is the last to say so. A test sees that none
// is without its sentence.
var checks = map[string]Problem{
	"away_actions_check": {Field: "actions", Says: "Tick what is not done on those days: set, lockdown, pull."},
	"away_days_check":    {Field: "to_on", Says: "The last day comes before the first."},
	"away_why_check":     {Field: "why", Says: "What it is for may have 60 characters."},
	"bans_days_check":    {Field: "to_on", Says: "The last day comes before the first."},

	"batches_check":              {Field: "when", Says: "A batch cannot go into lockdown before it was set."},
	"batches_check1":             {Field: "when", Says: "A batch cannot be closed before it was set."},
	"batches_joined_check":       {Field: "eggs", Says: "A batch that joined another is over."},
	"batches_part_check":         {Field: "eggs", Says: "A part knows of which batch it is one, and since when."},
	"batches_storage_days_check": {Field: "eggs", Says: "Eggs cannot have been laid after they were set."},
	"batches_cool_min_check":     {Field: "cool_min", Says: "The cooling may be 0 to 30 minutes a day."},
	"batches_hand_turns_check":   {Field: "hand_turns", Says: "Turns by hand may be 3, 5 or 7 a day."},
	"batches_late_h_check":       {Field: "hours", Says: "Cold may set a batch back by 240 hours at the most."},
	"batches_late_mist_check":    {Field: "late_mist", Says: "Pick how they are misted in lockdown."},
	"batches_mistings_check":     {Field: "mistings", Says: "They may be misted 0 to 2 times a day."},
	"batches_school_check":       {Field: "school", Says: "Pick wet, dry or by weight."},
	"batches_unsure_days_check":  {Field: "to_days", Says: "A clock may be unsure by 0 to 15 days either way."},
	"batches_way_check":          {Field: "school", Says: "A way is school, turns, misting and cooling together."},
	"birds_breed_check":          {Field: "breed", Says: "The breed may have 60 characters."},
	"birds_gone_check":           {Field: "gone", Says: "Pick how the bird left: retired, sold, died, culled."},
	"birds_gone_on_check":        {Field: "gone_on", Says: "A bird that is gone has the day and the reason."},
	"birds_mark_check":           {Field: "mark", Says: "The mark may have 30 characters."},
	"birds_name_check":           {Field: "name", Says: "The bird's name may have 1 to 40 characters."},
	"birds_note_check":           {Field: "note", Says: "The note may have 500 characters."},
	"birds_origin_check":         {Field: "origin", Says: "From whom it came may have 80 characters."},
	"birds_parents_check":        {Field: "sire", Says: "No bird is its own parent."},
	"birds_sex_check":            {Field: "sex", Says: "A bird is male or female."},
	"birds_shell_check":          {Field: "shell", Says: "The colour of the shell may have 40 characters."},
	"birds_weight_g_check":       {Field: "weight", Says: "A bird may weigh up to 30 kg."},

	"bird_stays_days_check": {Field: "until_on", Says: "A bird cannot leave a pen before it came."},

	"break_outs_findings_check": {Field: "findings", Says: "Tick what the egg showed."},

	"brooders_name_check":   {Field: "name", Says: "The brooder's name may have 1 to 60 characters."},
	"brooders_places_check": {Field: "places", Says: "A brooder may have 1 to 100,000 places."},

	"brooder_heat_temp_c_check": {Field: "temp", Says: "Under the heat it may be 10 to 45 °C."},
	"brood_fit":                 {Field: "heads", Says: "More young would leave than there are."},
	"brood_outs_buyer_check":    {Field: "buyer", Says: "A name may have 100 characters."},
	"brood_outs_cause_check":    {Field: "cause", Says: "That may have 100 characters."},
	"brood_outs_heads_check":    {Field: "heads", Says: "1 young or more leave."},
	"brood_outs_price_check":    {Field: "price", Says: "The price may be 0 to 100,000."},
	"brood_outs_why_check":      {Field: "why", Says: "Pick why they left."},
	"broods_days_check":         {Field: "began", Says: "They came into the brooder after they hatched."},
	"broods_heads_check":        {Field: "heads", Says: "A group has 1 to 100,000 young."},
	"broods_place_check":        {Field: "place", Says: "Where they are may have 60 characters."},
	"broods_where_check":        {Field: "place", Says: "They are in a brooder, or somewhere else."},

	"batches_due_check":   {Field: "temp", Says: "Young come between the earliest and the latest that is usual."},
	"batches_grown_check": {Field: "temp", Says: "A clutch is grown from nothing to all."},

	"box_logs_gave_g_check": {Field: "gave", Says: "0 to 5 kg of water may be given back."},
	"box_logs_kind_check":   {Field: "kind", Says: "A box is weighed, or aired."},
	"box_logs_mass_check":   {Field: "mass", Says: "Type what the box weighs."},
	"box_logs_mass_g_check": {Field: "mass", Says: "A box may weigh up to 50 kg."},
	"box_logs_mould_check":  {Field: "mould", Says: "0 to 1,000 eggs may have mould."},
	"boxes_cols_check":      {Field: "cols", Says: "A box has 1 to 12 places across."},
	"boxes_dry_g_check":     {Field: "dry", Says: "The substrate may weigh up to 20 kg."},
	"boxes_kind_check":      {Field: "box_kind", Says: "Pick the kind of box."},
	"boxes_name_check":      {Field: "box_name", Says: "The name of a box may have 1 to 40 characters."},
	"boxes_rows_check":      {Field: "rows", Says: "A box has 1 to 12 rows."},
	"boxes_substrate_check": {Field: "substrate", Says: "Pick what they lie in."},
	"boxes_times_check":     {Field: "box", Says: "A box is emptied after it was filled."},
	"boxes_water_g_check":   {Field: "water", Says: "The water may weigh up to 20 kg."},

	"clutch_eggs_spot_check":      {Field: "box", Says: "There is no such place in the box."},
	"clutch_eggs_stuck_check":     {Field: "stuck", Says: "Up to 50 groups may stick together."},
	"clutch_masses_eggs_check":    {Field: "eggs", Says: "1 to 200 eggs may lie on the scale."},
	"clutch_masses_mass_g_check":  {Field: "mass", Says: "The eggs may weigh up to 20 kg."},
	"clutch_temps_night_c_check":  {Field: "night", Says: "By night it may be 5 to 45 °C."},
	"clutch_temps_night_check":    {Field: "night", Says: "A night has its temperature and its hours."},
	"clutch_temps_night_h_check":  {Field: "night_h", Says: "The night may have 1 to 23 hours."},
	"clutch_temps_temp_c_check":   {Field: "temp", Says: "The temperature may be 5 to 45 °C."},
	"clutches_laid_check":         {Field: "laid_from", Says: "The earliest comes after the latest."},
	"clutches_permit_check":       {Field: "permit", Says: "What stands on the papers may have 100 characters."},
	"clutches_sire_check":         {Field: "sired", Says: "One male is named, or none."},
	"clutches_sired_check":        {Field: "sired", Says: "Say who sired them; unknown is an answer too."},
	"clutches_slugs_check":        {Field: "slugs", Says: "There may be 0 to 200 slugs."},
	"egg_signs_sign_check":        {Field: "sign", Says: "That is nothing that is seen of an egg."},
	"leftover_causes_cause_check": {Field: "cause", Says: "Pick a cause, or none."},

	"calls_call_check": {Field: "call", Says: "That is no call."},
	"care_check":       {Field: "kind", Says: "Care is of one batch, machine or place."},

	"closures_days_check": {Field: "to_on", Says: "The last day comes before the first."},
	"closures_why_check":  {Field: "why", Says: "Why it is closed may have 60 characters."},

	"collections_hen_check":       {Field: "hen", Says: "The name of the hen may have 30 characters."},
	"collections_note_check":      {Field: "note", Says: "The note may have 500 characters."},
	"collections_wash_with_check": {Field: "wash_with", Says: "What they were cleaned with may have 60 characters."},
	"collections_washing_check":   {Field: "washing", Says: "Pick what was done to the shells."},

	"egg_outs_price_check":  {Field: "price", Says: "The price may be 0 to 100,000."},
	"egg_outs_who_check":    {Field: "who", Says: "To whom they went may have 60 characters."},
	"egg_outs_why_check":    {Field: "why", Says: "Say why they are taken out."},
	"eggs_breadth_mm_check": {Field: "breadth", Says: "The breadth of an egg may be 6 to 120 mm."},
	"eggs_length_mm_check":  {Field: "length", Says: "The length of an egg may be 8 to 150 mm."},
	"eggs_mass_g_check":     {Field: "mass", Says: "The weight of an egg may be 0.3 to 400 g."},
	"eggs_check":            {Field: "eggs", Says: "An egg that ended has the day of its end."},
	"eggs_check2":           {Field: "place", Says: "An egg on a tray has its place there."},
	"eggs_place_check":      {Field: "place", Says: "There is no such place on the tray."},
	"eggs_set_check":        {Field: "eggs", Says: "A rejected egg is set only on trial."},
	"eggs_fate_check":       {Field: "fate", Says: "That is no end of an egg."},

	"farms_sell_pct_check": {Field: "sell_pct", Says: "The share from which eggs are sold may be 1 to 100 %."},
	"farms_swap_below_sell_check": {
		Field: "swap_pct", Says: "A male goes below less than the share from which eggs are sold.",
	},
	"farms_swap_pct_check": {Field: "swap_pct", Says: "The share below which a male goes may be 0 to 100 %."},

	"fertility_tests_decision_check": {Field: "decision", Says: "What was decided may have 120 characters."},
	"fertility_tests_eggs_check":     {Field: "eggs", Says: "A test may have 1 to 500 eggs."},
	"fertility_tests_why_check":      {Field: "why", Says: "Why it is done may have 120 characters."},

	"farms_name_check":         {Field: "farm", Says: "The farm's name may have 1 to 80 characters."},
	"farms_altitude_m_check":   {Field: "altitude", Says: "The altitude may be -400 to 5000 m."},
	"farms_rest_hours_check":   {Field: "rest_hours", Says: "The rest of shipped eggs may be 12 to 48 hours."},
	"farms_own_kinds_check":    {Field: "name", Says: "A farm may have 40 kinds of its own."},
	"own_figures_source_check": {Field: "figures", Says: "Where a figure is from may have 120 characters."},
	"farms_tilts_check":        {Field: "tilts", Says: "Eggs in store may be tilted 0 to 6 times a day."},
	"farms_dry_hours_check":    {Field: "dry_hours", Says: "Washed eggs may dry for 0 to 48 hours."},
	"farms_warm_hours_check":   {Field: "warm_hours", Says: "The warm-up may be 0 to 168 hours."},

	"feeds_alarm_min_check":       {Field: "alarm", Says: "An alarm may come up to a week before."},
	"feeds_check":                 {Field: "machine", Says: "Pick the machine."},
	"feeds_scope_check":           {Field: "scope", Says: "Pick what the calendar holds."},
	"push_places_auth_check":      {Says: "This browser’s address for messages cannot be kept."},
	"push_places_endpoint_check":  {Says: "This browser’s address for messages cannot be kept."},
	"push_places_p256dh_check":    {Says: "This browser’s address for messages cannot be kept."},
	"reminded_item_check":         {Says: "That is nothing to be reminded of."},
	"reminder_wishes_kinds_check": {Field: "kind", Says: "Pick up to 30 kinds of chore."},

	"handover_ticks_item_check": {Field: "item", Says: "This is not on the list."},
	"handovers_call_check":      {Field: "call", Says: "Whom to call may have 200 characters."},
	"handovers_days_check":      {Field: "to_on", Says: "A list may span 31 days."},
	"handovers_name_check":      {Field: "name", Says: "For whom it is may have 1 to 80 characters."},
	"handovers_note_check":      {Field: "note", Says: "The note may have 1000 characters."},

	"hatch_baskets_name_check": {Field: "basket", Says: "Where a basket stands may have 1 to 40 characters."},
	"hatch_signs_kind_check":   {Field: "kind", Says: "That is nothing that can be seen of a hatch."},
	"hatch_signs_n_check":      {Field: "n", Says: "1 to 10,000 eggs may have pipped."},
	"hatch_signs_of_check":     {Field: "pen", Says: "Say of which pen the eggs are."},
	"hatch_signs_one_check":    {Field: "n", Says: "One egg pips once."},

	"journal_subjects_kind_check": {Says: "That is nothing that the journal is about."},

	"lid_openings_minutes_check": {Field: "minutes", Says: "A lid may be open for 0 to 1440 minutes."},
	"lid_openings_why_check":     {Field: "why", Says: "Why it was opened may have 1 to 60 characters."},

	"machine_room_hatching_check":  {Field: "rooms", Says: "A machine may hold 0 to 100,000 eggs while hatching."},
	"machine_room_per_place_check": {Field: "rooms", Says: "A place of a tray may hold 1 to 20 eggs."},
	"machine_room_setting_check":   {Field: "rooms", Says: "A machine may hold 0 to 100,000 eggs while setting."},
	"machine_water_kind_check":     {Field: "water", Says: "Say whether it was filled, topped up or found dry."},
	"machine_water_ml_check":       {Field: "poured", Says: "The water may be 1 to 50,000 ml."},
	"machines_water_ml_check":      {Field: "water_ml", Says: "The water that it holds may be 0 to 50,000 ml."},
	"machines_school_check":        {Field: "school", Says: "Pick wet, dry or by weight."},
	"machines_turn_angle_check":    {Field: "turn_angle", Says: "The angle of a turner may be 0 to 360 degrees."},
	"machines_turn_minutes_check":  {Field: "turn_minutes", Says: "The turner may turn every 1 to 1440 minutes."},
	"methods_late_mist_check":      {Field: "late_mist", Says: "Pick how they are misted in lockdown."},
	"moves_why_check":              {Field: "why", Says: "Why they were moved may have 120 characters."},
	"notes_kind_check":             {Field: "was", Says: "Pick what it was."},
	"notes_minutes_check":          {Field: "minutes", Says: "The minutes may be 1 to 20,160: two weeks."},
	"notes_of_one":                 {Field: "was", Says: "A note is of a machine or of a batch."},
	"notes_says_check":             {Field: "says", Says: "The note may have 500 characters."},
	"notes_something":              {Field: "says", Says: "Write what was noticed."},
	"notes_temp_c_check":           {Field: "worst", Says: "The temperature may be 0 to 50 °C."},
	"machines_clean_days_check":    {Field: "clean_days", Says: "The days of cleaning may be 0 to 30."},
	"machines_counter_from_check":  {Field: "counter_from", Says: "A counter begins at 0 or 1."},
	"machines_kind_check":          {Field: "kind", Says: "Pick what kind of machine it is."},
	"machines_name_check":          {Field: "name", Says: "The machine's name may have 1 to 60 characters."},
	"memberships_role_check":       {Field: "role", Says: "A person is owner or helper."},

	"methods_cool_min_check":   {Field: "cool_min", Says: "Cooling may take 0 to 30 minutes."},
	"methods_hand_turns_check": {Field: "hand_turns", Says: "Eggs are turned 3, 5 or 7 times a day."},
	"methods_mistings_check":   {Field: "mistings", Says: "Eggs are misted up to twice a day."},
	"methods_school_check":     {Field: "school", Says: "Pick a school of humidity."},
	"methods_washing_check":    {Field: "washing", Says: "Pick what is done to the shells."},

	"orders_count_check":     {Field: "count", Says: "1 to 10,000 may be promised."},
	"orders_delivered_check": {Field: "delivered", Says: "0 to 100,000 may be handed over."},
	"orders_note_check":      {Field: "note", Says: "The note may have 500 characters."},
	"orders_price_check":     {Field: "price", Says: "The price of one may be 0 to 100,000."},
	"orders_sure_pct_check":  {Field: "sure_pct", Says: "A promise may be 50 to 99 % sure."},
	"orders_what_check":      {Field: "what", Says: "Pick what is promised: young, females only, or hatching eggs."},
	"orders_who_check":       {Field: "who", Says: "Whom it is for may have 1 to 80 characters."},
	"orders_window_check":    {Field: "to_on", Says: "The last day comes before the first."},

	"parcels_broken_check":    {Field: "broken", Says: "More eggs cannot be broken than were sent."},
	"parcels_check":           {Field: "broken", Says: "More eggs cannot be broken than were sent."},
	"parcels_check1":          {Field: "sent", Says: "A parcel that arrived has its eggs counted."},
	"parcels_displaced_check": {Field: "displaced", Says: "The number of displaced air cells may be 0 or more."},
	"parcels_loose_check":     {Field: "loose", Says: "The number of loose air cells may be 0 or more."},
	"parcels_note_check":      {Field: "note", Says: "The note may have 500 characters."},
	"parcels_ordered_check":   {Field: "ordered", Says: "An order may be of 1 to 2000 eggs."},
	"parcels_sent_check":      {Field: "sent", Says: "A parcel may hold 0 to 2000 eggs."},

	"pens_breed_check":   {Field: "breed", Says: "The breed may have 60 characters."},
	"pens_check":         {Field: "until_on", Says: "The pen's last day comes before its first."},
	"pens_females_check": {Field: "females", Says: "A pen may have 0 to 10,000 females."},
	"pens_males_check":   {Field: "males", Says: "A pen may have 0 to 10,000 males."},
	"pens_name_check":    {Field: "name", Says: "The pen's name may have 1 to 60 characters."},

	"people_clock_check":       {Field: "clock", Says: "The clock may have 12 or 24 hours."},
	"people_count_from_check":  {Field: "count_from", Says: "The set day is day 0 or day 1."},
	"people_email_check":       {Field: "email", Says: "The e-mail address may have 3 to 200 characters."},
	"people_mass_check":        {Field: "mass", Says: "Weights are read in g or oz."},
	"people_name_check":        {Field: "name", Says: "A name may have 1 to 80 characters."},
	"people_temperature_check": {Field: "temperature", Says: "Temperatures are read in °C or °F."},

	"places_name_check":   {Field: "name", Says: "The name of the place may have 1 to 60 characters."},
	"places_rh_pct_check": {Field: "rh", Says: "The humidity may be 0 to 100 %."},
	"places_temp_c_check": {Field: "temp", Says: "The temperature of a place may be -10 to 45 °C (14 to 113 °F)."},

	"planned_eggs_eggs_check": {Field: "eggs", Says: "A pen's part of a planned batch may be 1 to 10,000 eggs."},
	"planned_for_young_check": {Field: "young", Says: "The young of a promise are out of bounds."},
	"planned_says_check":      {Field: "says", Says: "What a planned batch is for may have 2000 characters."},
	"plans_seconds_check":     {Field: "seconds", Says: "A plan may take 1 to 600 seconds."},
	"plans_state_check":       {Says: "That is no state of a plan."},

	"pulls_place_check": {Field: "place", Says: "Where the young go may have 1 to 60 characters."},
	"pulls_young_check": {Field: "n", Says: "1 to 10,000 young may be taken out."},

	"readings_mass_g_check":         {Field: "v", Says: "The weight may be 0.1 to 200,000 g."},
	"machine_air_rh_pct_check":      {Field: "rh", Says: "The humidity may be 5 to 95 %."},
	"machine_air_something":         {Field: "rh", Says: "Say to what temperature or humidity it is set."},
	"machine_air_temp_c_check":      {Field: "temp", Says: "The temperature may be 20 to 42 °C."},
	"responses_from_pct_check":      {Field: "from", Says: "The humidity before may be 1 to 100 %."},
	"responses_minutes_check":       {Field: "minutes", Says: "The minutes may be 1 to 1440."},
	"responses_read_check":          {Field: "shows", Says: "What it came to has the minutes that it took."},
	"responses_to_pct_check":        {Field: "to", Says: "The humidity after may be 1 to 100 %."},
	"responses_what_check":          {Field: "what", Says: "Pick what you changed."},
	"instrument_checks_how_check":   {Field: "how", Says: "Pick how it was checked."},
	"instrument_checks_of_check":    {Field: "of", Says: "Pick temperature or humidity."},
	"instrument_checks_shown_check": {Field: "shown", Says: "That is nothing that it can have shown."},
	"instrument_checks_sure_check":  {Field: "truth", Says: "That is nothing that was true."},
	"instrument_checks_truth_check": {Field: "truth", Says: "That is nothing that was true."},
	"instruments_name_check":        {Field: "name", Says: "The instrument's name may have 1 to 60 characters."},
	"instruments_shows_check":       {Field: "shows", Says: "Tick what it shows."},
	"instruments_spot_check":        {Field: "spot", Says: "Where it lies may have 60 characters."},

	"machine_readings_rh_pct_check":    {Field: "rh", Says: "Humidity may be 0 to 100 %."},
	"machine_readings_something_check": {Field: "temp", Says: "Type what was read."},
	"machine_readings_temp_c_check":    {Field: "temp", Says: "That is no temperature of a machine."},

	"next_times_says_check":  {Field: "says", Says: "Say in 1 to 200 characters what is to be otherwise."},
	"next_times_until_check": {Field: "says", Says: "It cannot end before it began."},

	"outage_batches_eggs_check":   {Field: "eggs", Says: "A power cut is reckoned for eggs that are in."},
	"outage_batches_hours_check":  {Field: "to", Says: "The power came back after it went."},
	"outage_batches_late_h_check": {Field: "to", Says: "A power cut sets eggs back, never forward."},
	"outage_batches_risk_check":   {Field: "to", Says: "The risk is low, some or high."},
	"outage_machines_box_check":   {Field: "box", Says: "Pick what the eggs lie in."},
	"outage_readings_egg_c_check": {Field: "egg_c", Says: "Eggs may be read at -5 to 45 °C."},
	"outages_room_c_check":        {Field: "room_c", Says: "The room may have -30 to 45 °C."},
	"outages_times_check":         {Field: "to", Says: "The power came back after it went, within ten days."},

	"supplies_before_check": {Field: "before", Says: "Pick lockdown or hatch."},
	"supplies_says_check":   {Field: "says", Says: "Say in 1 to 100 characters what to have at hand."},
	"swaps_eggs_check":      {Field: "n", Says: "1 to 40 eggs may go under a hen."},

	"trays_check":              {Field: "columns", Says: "A tray may have up to 1000 places."},
	"trays_name_check":         {Field: "name", Says: "The tray's name may have 1 to 30 characters."},
	"trays_tray_columns_check": {Field: "columns", Says: "A row of a tray may have 1 to 1000 places."},
	"trays_tray_rows_check":    {Field: "rows", Says: "A tray may have 0 to 60 rows."},

	"farms_kinds_check": {Field: "kinds", Says: "A farm may keep up to 100 kinds."},

	"import_columns_head_check": {Field: "file", Says: "The file’s first line cannot be kept."},
	"import_columns_what_check": {Field: "file", Says: "That is nothing that comes in as a file."},

	"alarms_bound_check":         {Field: "bound", Says: "An alarm rings at -40 to 120."},
	"alarms_delay_min_check":     {Field: "delay", Says: "An alarm waits for 1 to 1440 minutes."},
	"alarms_phase_check":         {Field: "phase", Says: "An alarm holds always, in turning, in lockdown or while empty."},
	"alarms_what_check":          {Field: "what", Says: "That is nothing that an alarm rings for."},
	"alarm_rings_level_check":    {Field: "level", Says: "That is no level of a reptiles' alarm."},
	"batches_lock_rh_pct_check":  {Field: "rh", Says: "The humidity in lockdown may be 0 to 100 %."},
	"batches_offset_c_check":     {Field: "temp", Says: "A batch is held within 5 °C of what it wants."},
	"batches_offset_days_check":  {Field: "temp", Says: "A batch is held for 400 days at the most."},
	"batches_offset_sure_check":  {Field: "temp", Says: "Readings are sure to within 5 °C."},
	"batches_swing_c_check":      {Field: "temp", Says: "A temperature swings by 40 °C at the most."},
	"brokers_password_check":     {Field: "password", Says: "The password may have 200 characters."},
	"brokers_url_check":          {Field: "broker", Says: "The address of a broker may have 300 characters."},
	"brokers_username_check":     {Field: "user", Says: "The name may have 100 characters."},
	"incidents_kind_check":       {Field: "said", Says: "What was found is a power cut, or a lid that was ajar."},
	"incidents_said_check":       {Field: "said", Says: "Say whether it was so."},
	"machines_told_rh_pct_check": {Field: "rh", Says: "The humidity may be 0 to 100 %."},
	"places_warm_h_check":        {Field: "temp", Says: "Of 48 hours 0 to 48 were too warm."},
	"probes_topic_check":         {Field: "topic", Says: "A topic may have 200 characters."},
	"samples_rh_pct_check":       {Field: "v", Says: "The humidity may be 0 to 100 %."},
	"samples_something_check":    {Field: "v", Says: "A reading tells a temperature, a humidity, or both."},
	"samples_temp_c_check":       {Field: "v", Says: "The temperature may be -60 to 120 °C."},

	"invitations_check":      {Field: "until", Says: "An invitation ends after it was made."},
	"invitations_check1":     {Field: "link", Says: "An invitation is taken by somebody, at a moment."},
	"invitations_name_check": {Field: "name", Says: "The name may have 1 to 80 characters."},
	"invitations_role_check": {Field: "role", Says: "A person is owner, keeper, helper or reader."},

	"password_links_check":   {Field: "link", Says: "A link ends after it was made."},
	"signed_in_device_check": {Field: "device", Says: "How a device names itself may have 200 characters."},

	"weighings_cell_pct_check": {Field: "cell", Says: "An air cell may take 0 to 60 % of the egg."},
	"weighings_check":          {Field: "mass", Says: "Give a weight, or an air cell."},
	"weighings_check1":         {Field: "code", Says: "A single egg is weighed by itself."},
	"weighings_eggs_check":     {Field: "eggs", Says: "1 to 10,000 eggs may lie on the scale."},
	"weighings_mass_g_check":   {Field: "mass", Says: "The weight is more than nothing."},
	"weighings_rh_pct_check":   {Field: "rh", Says: "The humidity may be 1 to 100 %."},
	"weighings_temp_c_check":   {Field: "temp", Says: "The temperature may be 10 to 45 °C (50 to 113 °F)."},

	"young_band_check":     {Field: "band", Says: "The band or mark may have 30 characters."},
	"young_colour_check":   {Field: "colour", Says: "The colour may have 40 characters."},
	"young_fit":            {Field: "hatched", Says: "That would be more young than there are eggs of this pen."},
	"young_note_check":     {Field: "note", Says: "The note may have 300 characters."},
	"young_sex_check":      {Field: "sex", Says: "A young is male or female, or it is not told."},
	"young_signs_check":    {Field: "signs", Says: "That is no sign of a young."},
	"young_weight_g_check": {Field: "weight", Says: "The weight of a young may be 0.3 to 400 g."},

	"young_counts_young_check": {Field: "hatched", Says: "The number of young is out of bounds."},
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
