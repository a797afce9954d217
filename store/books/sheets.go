package books

import (
	"context"
	"fmt"

	"metrogon/store"
)

// sheets are the farm's records as other programs read them, a row a thing; the columns are named by
// the query. $1 is the farm, $2 its zone.
var sheets = map[string]string{
	"eggs": `
		select e.id as egg, e.mark as pencil_code, p.name as pen, p.species as kind, c.hen, e.laid_on,
			case when e.rejected then coalesce(e.reason, 'rejected') else '' end as rejected_for,
			c.washing, e.mass_g, e.length_mm, e.breadth_mm, b.code as batch, e.no as number_in_batch,
			e.trial as on_trial, ` + moments("b.set_at") + ` as set_at,
			case e.fate when 'counted' then 'not seen: young were counted by pen' else e.fate end as end, e.stage, e.opened,
			` + moments("e.fate_at") + ` as ended_at, e.fertile
		from eggs e
		join pens p on p.farm_id = $1 and p.id = e.pen_id
		join collections c on c.farm_id = $1 and c.id = e.collection_id
		left join batches b on b.farm_id = $1 and b.id = e.batch_id
		where e.farm_id = $1 and $2::text is not null
		order by e.id`,
	"batches": `
		select b.code as batch, b.species as kind, s.name as setter, h.name as hatcher,
			` + moments("b.set_at") + ` as set_at, ` + moments("b.locked_at") + ` as lockdown_at,
			` + moments("b.closed_at") + ` as closed_at, round(b.storage_days::numeric, 1)::float8 as mean_days_stored,
			count(e.id)::int as eggs_set, (count(*) filter (where e.fertile))::int as known_fertile,
			(count(*) filter (where not e.fertile))::int as known_infertile,
			(count(*) filter (where e.fate = 'hatched'))::int as hatched_eggs_seen,
			coalesce((
				select sum(y.young) from young_counts y
				where y.farm_id = $1 and y.batch_id = b.id and not y.settled
			), 0)::int as young_counted_beside
		from batches b
		join machines s on s.farm_id = $1 and s.id = b.setter_id
		join machines h on h.farm_id = $1 and h.id = b.hatcher_id
		left join eggs e on e.farm_id = $1 and e.batch_id = b.id and e.fate is distinct from 'broken'
		where b.farm_id = $1
		group by b.farm_id, b.id, s.name, h.name
		order by b.set_at, b.id`,
	"candlings": `
		select b.code as batch, e.no as number_in_batch, e.mark as pencil_code, ` + moments("c.at") + ` as at,
			l.call, coalesce(w.name, '') as who
		from calls l
		join candlings c on c.farm_id = $1 and c.id = l.candling_id
		join batches b on b.farm_id = $1 and b.id = c.batch_id
		join eggs e on e.farm_id = $1 and e.id = l.egg_id
		left join people w on w.id = l.person_id
		where l.farm_id = $1
		order by c.at, l.id`,
	"weighings": `
		select b.code as batch, t.name as tray, ` + moments("w.at") + ` as at, w.eggs, w.mass_g, w.cell_pct as air_cell_pct,
			w.rh_pct as humidity_held_pct, w.temp_c
		from weighings w
		join batches b on b.farm_id = $1 and b.id = w.batch_id
		left join trays t on t.farm_id = $1 and t.id = w.tray_id
		where w.farm_id = $1
		order by w.at, w.id`,
	"hatches": `
		select b.code as batch, p.name as pen, ` + moments("x.at") + ` as at, x.what, x.n, coalesce(w.name, '') as who
		from (
			select batch_id, pen_id, at, kind as what, n, person_id, id from hatch_signs where farm_id = $1
			union all
			select batch_id, pen_id, at,
				case when settled then 'young counted, since told egg by egg' else 'young counted' end, young, person_id, id
			from young_counts
			where farm_id = $1
		) x
		join batches b on b.farm_id = $1 and b.id = x.batch_id
		left join pens p on p.farm_id = $1 and p.id = x.pen_id
		left join people w on w.id = x.person_id
		order by x.at, x.what, x.id`,
	"young": `
		select b.code as batch, p.name as pen, e.mark as pencil_code, ` + moments("y.at") + ` as hatched_at, y.sex, y.colour,
			y.band, y.weight_g, array_to_string(y.signs, ', ') as signs, ` + moments("y.died_at") + ` as died_at, y.note
		from young y
		join batches b on b.farm_id = $1 and b.id = y.batch_id
		join pens p on p.farm_id = $1 and p.id = y.pen_id
		left join eggs e on e.farm_id = $1 and e.id = y.egg_id
		where y.farm_id = $1
		order by y.at, y.id`,
	"journal": `
		select ` + moments("j.at") + ` as at, coalesce(w.name, 'the program') as who, j.said, u.id is not null as taken_back
		from journal j
		left join people w on w.id = j.person_id
		left join journal u on u.farm_id = $1 and u.undoes = j.id
		where j.farm_id = $1
		order by j.id`,
}

// moments writes a column of moments as the farm's clock showed them.
func moments(column string) string {
	return `to_char(` + column + ` at time zone $2, 'YYYY-MM-DD HH24:MI')`
}

// Sheet gives the columns of a sheet, and its rows.
func (tx Tx) Sheet(
	ctx context.Context, name, zone string, head func(columns []string) error, row func(values []any) error,
) error {
	sql, ok := sheets[name]
	if !ok {
		return store.ErrNone
	}
	rows, err := tx.Query(ctx, sql, tx.FarmID, zone)
	if err != nil {
		return fmt.Errorf("sheet %s: %w", name, err)
	}
	defer rows.Close()
	var columns []string
	for _, f := range rows.FieldDescriptions() {
		columns = append(columns, f.Name)
	}
	if err := head(columns); err != nil {
		return err
	}
	for rows.Next() {
		values, err := rows.Values()
		if err != nil {
			return err
		}
		if err := row(values); err != nil {
			return err
		}
	}
	return rows.Err()
}
