-- A reviewed draft that goes live by itself at an instant of the workspace's clock: as it was reviewed, whatever the draft
-- becomes meanwhile. What kept one from going live stands here until somebody has seen to it.
create table live_at (
  journey_id bigint primary key references journeys (id) on delete cascade,
  at timestamptz,
  document jsonb not null,
  inside text not null check (inside in ('stay', 'move')),
  asked_by text not null,
  problem text,
  -- Either it waits, or it could not.
  check ((at is null) <> (problem is null))
);
create index live_at_due on live_at (at) where at is not null;
