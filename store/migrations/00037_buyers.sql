-- +goose Up

-- Who young were sold or given to, and what they died of, are two things.
alter table brood_outs add column buyer text not null default '';
update brood_outs
set buyer = cause, cause = ''
where why in ('sold', 'given away');
set constraints all immediate; -- the groups are looked at once more, before the table is changed
alter table brood_outs add constraint brood_outs_buyer_check
  check (length(buyer) <= 100 and (buyer = '' or why in ('sold', 'given away')));
