-- What the engine keeps of a person beside facts and walks, and when the clock next gives it something to do.
create table agenda (
  person_id bigint primary key references people on delete cascade,
  -- Absent: nothing, until something happens.
  next_at timestamptz,
  -- The instant of the last work done: nothing is done before it any more.
  worked_at timestamptz not null,
  -- Everything of core/person/kept.ts.
  state jsonb not null
) with (fillfactor = 75);
create index agenda_next on agenda (next_at) where next_at is not null;

-- A walk's own counts and marks as one value, whatever the core adds to them.
alter table walks add column more jsonb not null default '{}';
update walks set more = jsonb_build_object('visits', visits);
alter table walks drop column visits;
alter table walks drop constraint walks_standing_check;
drop index walks_due;

-- A record's place among all records of the person: what "since it was last sent" goes by.
alter table happenings add column record bigint;
update happenings set record = id where handled_at is not null;
alter table messages add column record bigint not null default 0;
alter table messages add column service boolean not null default false;
update messages m set record = h.record from happenings h
where h.person_id = m.person_id and h.name = 'sent' and h.walk_id = m.walk_id and h.step = m.step and h.at = m.created_at;

insert into agenda (person_id, next_at, worked_at, state)
select w.person_id, min(w.due_at), greatest(max(w.entered_at), max(w.ended_at)),
  jsonb_build_object('nextWalk', max(w.id) + 1, 'entered', jsonb_agg(distinct j.key),
    'order', (select coalesce(max(h.id), 0) + 1 from happenings h where h.person_id = w.person_id))
from walks w join journeys j on j.id = w.journey_id
group by w.person_id;

-- One person's inbox, and what was done with one walk's messages.
create index happenings_unhandled on happenings (person_id, id) where handled_at is null;
create index happenings_walk on happenings (person_id, walk_id, record) where step is not null;
