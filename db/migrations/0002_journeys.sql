-- Journeys, their drafts and their frozen versions.

create table journeys (
  id bigint generated always as identity primary key,
  key text not null unique,
  name text not null,
  folder text not null default '',
  state text not null default 'draft' check (state in ('draft', 'live', 'paused', 'closing', 'closed')),
  draft jsonb not null,
  -- Counts saves, so that two windows cannot overwrite each other unseen.
  draft_revision integer not null default 1,
  draft_saved_at timestamptz not null,
  live_version integer,
  created_at timestamptz not null,
  created_by text not null
);

create table versions (
  journey_id bigint not null references journeys on delete cascade,
  number integer not null,
  document jsonb not null,
  live_from timestamptz not null,
  set_live_by text not null,
  primary key (journey_id, number)
);
