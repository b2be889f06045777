-- The brake: a journey is paused, or all sending of the workspace stopped; who did what to what is live stands on a record.
-- paused_from: the state it goes back to.
alter table journeys
  add column paused_at timestamptz,
  add column paused_from text;
alter table workspace
  add column sending_stopped_at timestamptz,
  add column sending_stopped_by text;

create table acts (
  id bigint generated always as identity primary key,
  at timestamptz not null,
  by text not null,
  what text not null,
  journey_id bigint references journeys (id) on delete cascade,
  detail jsonb not null default '{}'
);
create index acts_journey on acts (journey_id, id);
