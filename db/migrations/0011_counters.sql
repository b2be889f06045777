-- Figures, counted as things happen, in the transaction in which they happen: no page counts what happened over years.
--
-- By journey, version, step, lane (or reason) and day of the workspace's zone. The day 0001-01-01 stands for all days
-- together, and for what is so now (walking, standing, held). `slot` parts the rows that every batch counts up, so that
-- workers do not wait for each other: whoever reads adds them up.
create table counters (
  journey_id bigint not null references journeys on delete cascade,
  day date not null,
  version integer not null,
  -- Empty: the journey as a whole.
  step text not null,
  what text not null,
  lane text not null,
  slot smallint not null,
  n bigint not null,
  primary key (journey_id, day, version, step, what, lane, slot)
) with (fillfactor = 60);

-- What the workspace as a whole did, by quarter of an hour; '-infinity' for what is so now.
create table flow (
  quarter timestamptz not null,
  what text not null,
  slot smallint not null,
  n bigint not null,
  primary key (quarter, what, slot)
) with (fillfactor = 60);

-- When someone first did it: a message is counted once for each.
alter table messages add column opened_at timestamptz;
alter table messages add column clicked_at timestamptz;
alter table messages add column replied_at timestamptz;

-- What someone did last, and how many journeys they walk, for lists of people in that order.
alter table agenda add column did text;
alter table agenda add column did_at timestamptz;
alter table agenda add column walking integer not null default 0;
create index agenda_did on agenda (did_at desc, person_id) where did_at is not null;
create index agenda_walking on agenda (walking desc, person_id) where walking > 0;
create index scores_points on scores (score, points desc, person_id);
create index people_last_name on people (lower(last_name), id);
create index people_email_order on people (lower(email), id);

-- What there is already.
update messages m set opened_at = h.opened, clicked_at = h.clicked, replied_at = h.replied
from (
  select person_id, message_id, min(at) filter (where name = 'opened') as opened,
    min(at) filter (where name = 'clicked') as clicked, min(at) filter (where name = 'replied') as replied
  from happenings
  where message_id is not null and name in ('opened', 'clicked', 'replied') and handled_at is not null
  group by 1, 2
) h
where m.person_id = h.person_id and m.id = h.message_id;

update agenda a set
  walking = (select count(*) from walks w where w.person_id = a.person_id and w.state = 'walking'),
  (did, did_at) = (
    select name, at from happenings h
    where h.person_id = a.person_id and h.handled_at is not null
      and h.name in ('opened', 'clicked', 'replied', 'purchased', 'unsubscribed')
    order by id desc limit 1);

with zoned as (
  select coalesce((select zone from workspace), 'UTC') as zone
), counted as (
  select journey_id, at, version, coalesce(step, '') as step, what,
    case what when 'took' then detail ->> 'lane' when 'skipped' then coalesce(detail ->> 'reason', '')
      when 'left' then concat_ws(' ', detail ->> 'as', detail ->> 'reason') else '' end as lane
  from trail
  where what in ('entered', 'sent', 'tagged', 'scored', 'took', 'skipped', 'left')
  union all
  select journey_id, created_at, version, step, r.what, ''
  from messages, unnest(array['opened', 'clicked', 'replied'], array[opened_at, clicked_at, replied_at]) as r (what, at)
  where r.at is not null
  union all
  select journey_id, entered_at, version, '', 'goal', '' from walks where goal_reached
), both_days as (
  select journey_id, (at at time zone zone)::date as day, version, case what when 'left' then '' else step end as step, what, lane
  from counted, zoned
  union all
  select journey_id, date '0001-01-01', version, case what when 'left' then '' else step end, what, lane from counted
  union all
  select journey_id, date '0001-01-01', version, s.step, s.what, ''
  from walks, unnest(array['', step, step], array['walking', case when standing is not null then 'standing' end,
    case standing when 'held' then 'held' end]) as s (step, what)
  where state = 'walking' and s.what is not null and s.step is not null
)
insert into counters (journey_id, day, version, step, what, lane, slot, n)
select journey_id, day, version, step, what, lane, 0, count(*) from both_days group by 1, 2, 3, 4, 5, 6;

insert into flow (quarter, what, slot, n)
select date_bin('15 minutes', at, timestamptz '2000-01-01'),
  case name when 'sent' then coalesce(data ->> 'channel', 'email') else name end, 0, count(*)
from happenings
where name in ('entered', 'sent', 'opened', 'clicked', 'replied', 'goal_reached', 'unsubscribed', 'bounced')
group by 1, 2
union all
select date_bin('15 minutes', sent_at, timestamptz '2000-01-01'), 'gone-' || channel, 0, count(*)
from messages where sent_at is not null group by 1, 2
union all
select '-infinity', 'walkers', 0, count(*) from agenda where walking > 0;

-- Messages that wait for another try or failed, by journey: only those.
create index messages_in_trouble on messages (journey_id, step) where trouble is not null and state <> 'sent';
-- Read by nothing any more.
drop index trail_figures;
drop index happenings_step;
drop index messages_sent;
drop index messages_journey;

-- A foreign key costs a look at the other table for every row. The engine writes these rows of people it holds locked
-- and of journeys whose plans it follows: for a trail's lines the two keys were three quarters of their whole cost.
alter table trail drop constraint trail_person_id_fkey;
alter table trail drop constraint trail_journey_id_fkey;
alter table messages drop constraint messages_journey_id_fkey;

-- Everything that has not gone out, whatever it waits for: what the clock does not pass, and what waits in all.
create index messages_unsent on messages (try_at) where state in ('queued', 'sending');
