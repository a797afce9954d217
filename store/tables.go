package store

// Tables hold a farm's rows, those that others lean on last.
var Tables = []string{
	"box_logs", "egg_signs", "clutch_masses", "clutch_temps", "leftover_causes", "clutch_eggs", "clutches", "boxes",
	"handover_ticks", "handovers", "feeds", "reminder_wishes", "reminded", "import_columns",
	"planned_for", "planned_eggs", "planned", "plans", "bans", "closures", "brood_outs", "broods", "brooder_heat",
	"brooders", "away", "orders",
	"fertility_tests", "bird_stays", "birds",
	"hatch_signs", "young", "lid_openings", "pulls", "hatch_baskets", "hatch_lessons",
	"readings", "responses", "machine_air", "notes", "moves", "egg_moves", "batch_ways", "swaps",
	"break_outs", "next_times", "supplies", "machine_readings", "instrument_checks",
	"alarm_rings", "alarms", "incidents", "samples", "sample_minutes", "sample_hours", "sample_days", "instrument_stays",
	"probes", "brokers", "instruments",
	"outage_batches", "outage_readings", "outage_machines", "outages",
	"machine_water", "weighings", "care", "calls", "candlings", "chores_done", "young_counts",
	"eggs", "egg_outs", "trays", "parcels", "collections", "places", "batches", "own_figures", "methods",
	"machine_room", "machines", "pens", "journal_subjects", "journal", "requests", "invitations",
}
