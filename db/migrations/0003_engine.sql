-- Walks, trails, happenings and the outbox.

create table walks (
  person_id bigint not null references people on delete cascade,
  id integer not null,
  journey_id bigint not null references journeys on delete cascade,
  version integer not null,
  state text not null,
  -- Index of the step in the version's plan; -1 is the end.
  at_step integer not null,
  -- Key of the step it stands on, for reading.
  step text,
  standing text check (standing in ('wait', 'held')),
  due_at timestamptz,
  begun_by text not null,
  entered_at timestamptz not null,
  ended_at timestamptz,
  reason text,
  visits jsonb not null default '{}',
  goal_reached boolean not null default false,
  goal_at timestamptz,
  -- Until when the goal still counts.
  watch_until timestamptz,
  primary key (person_id, id)
);
-- The workers' only question: what is due?
create index walks_due on walks (due_at) where due_at is not null;
create index walks_journey on walks (journey_id, state, step);
create index walks_entered on walks (journey_id, entered_at);

create table trail (
  person_id bigint not null references people on delete cascade,
  id bigint generated always as identity,
  walk_id integer,
  journey_id bigint not null references journeys on delete cascade,
  version integer not null,
  at timestamptz not null,
  step text,
  what text not null,
  detail jsonb not null,
  primary key (person_id, id)
);
create index trail_figures on trail (journey_id, step, what, version);

create table happenings (
  person_id bigint not null references people on delete cascade,
  id bigint generated always as identity,
  name text not null,
  -- When it occurred, on the workspace clock.
  at timestamptz not null,
  -- Who says so, and by which id: the same twice is one.
  source text not null,
  source_id text,
  walk_id integer,
  journey_id bigint,
  step text,
  message_id bigint,
  data jsonb not null default '{}',
  -- Empty until a worker has handled it.
  handled_at timestamptz,
  primary key (person_id, id)
);
create unique index happenings_once on happenings (person_id, source, source_id) where source_id is not null;
-- The workers' inbox, in order of arrival.
create index happenings_inbox on happenings (id) where handled_at is null;
create index happenings_at on happenings (at);
create index happenings_replies on happenings (at) where name in ('replied', 'unsubscribed');
create index happenings_step on happenings (journey_id, step, name) where step is not null;
create index happenings_journey on happenings (journey_id, id) where journey_id is not null;

create table messages (
  person_id bigint not null references people on delete cascade,
  id bigint generated always as identity,
  walk_id integer not null,
  journey_id bigint not null references journeys on delete cascade,
  version integer not null,
  step text not null,
  visit integer not null,
  channel text not null check (channel in ('email', 'sms')),
  address text not null,
  -- queued, sending (under a lease), sent, failed, bounced
  state text not null default 'queued',
  created_at timestamptz not null,
  -- On the workspace clock: when to try (again).
  try_at timestamptz not null,
  attempts integer not null default 0,
  -- On the machine's clock: a sender that died lets go then.
  lease_until timestamptz,
  sent_at timestamptz,
  subject text,
  body text,
  error text,
  primary key (person_id, id),
  -- What makes a repeat impossible: one message a walk, step and visit.
  unique (person_id, walk_id, step, visit)
);
create index messages_due on messages (try_at) where state in ('queued', 'sending');
create index messages_created on messages (created_at);
create index messages_journey on messages (journey_id, step, state);

-- Texts that came in from numbers nobody here has: kept, so that nothing is lost.
create table stray_texts (
  id bigint generated always as identity primary key,
  source_id text not null unique,
  sender text not null,
  body text not null,
  at timestamptz not null
);
