-- What all journeys share: segments, ladders, score models, limits, sending hours. The document of core/settings/schema.ts.
-- settings_revision: counts saves, so that a worker knows whether what it has compiled is still so.
-- segments_revision: counts changes of segments; whoever was last looked at before has to be looked at anew.
-- settings_hears: names of the happenings that settings ask about.
alter table workspace
  add column settings jsonb,
  add column settings_revision integer not null default 0,
  add column settings_saved_at timestamptz,
  add column segments_revision integer not null default 0,
  add column settings_hears text[] not null default '{}',
  -- The last midnight at which segments that hang on the clock were looked at.
  add column looked_at timestamptz;

-- Who is in which segment.
create table person_segments (
  person_id bigint not null references people on delete cascade,
  segment text not null,
  since timestamptz not null,
  primary key (person_id, segment)
);
create index person_segments_segment on person_segments (segment, person_id);
create index person_lists_list on person_lists (list, person_id);

-- Dates and timetables let people in from here on: what passed before, or while nobody could get in, is past.
alter table journeys add column open_since timestamptz;
update journeys j set open_since = (select max(live_from) from versions v where v.journey_id = j.id);

-- Many people at once: existing ones of a journey that goes live, a selection by hand, a look at everyone. Worked off a
-- portion at a time, by whichever worker comes, so that no transaction is long and nobody else waits.
create table crowds (
  id bigint generated always as identity primary key,
  kind text not null check (kind in ('existing', 'enter', 'look', 'midnight', 'end')),
  journey_id bigint references journeys on delete cascade,
  version integer,
  -- Those of a selection; absent: whom the kind and the journey say.
  people bigint[],
  -- Nothing before.
  begins_at timestamptz not null,
  -- Everyone up to this id has been asked.
  reached bigint not null default 0,
  asked bigint not null default 0,
  -- How many there were when it was asked for.
  total bigint not null,
  state text not null default 'running' check (state in ('running', 'stopped', 'done')),
  -- When a portion was last taken: whoever has waited longest is next, so that a few do not stand behind a million.
  worked_at timestamptz,
  asked_by text not null,
  created_at timestamptz not null default clock_timestamp(),
  ended_at timestamptz
);
create index crowds_running on crowds (begins_at) where state = 'running';
create index crowds_journey on crowds (journey_id, id);

-- Who was drawn at a split with a winner, and which lane won.
create table draws (
  journey_id bigint not null references journeys on delete cascade,
  version integer not null,
  step text not null,
  person_id bigint not null,
  walk_id integer not null,
  lane integer not null,
  at timestamptz not null,
  primary key (journey_id, version, step, person_id, walk_id)
);
create index draws_at on draws (journey_id, version, step, at);
create table winners (
  journey_id bigint not null references journeys on delete cascade,
  version integer not null,
  step text not null,
  lane integer not null,
  at timestamptz not null,
  primary key (journey_id, version, step)
);
