-- What walks have others do. Tasks are for colleagues; errands (a notice to a colleague, a call of a web address, a message
-- that asks for a consent) are run by workers under a lease, like messages: one a walk, step and visit.
create table tasks (
  id bigint generated always as identity primary key,
  person_id bigint not null references people on delete cascade,
  walk_id integer not null,
  journey_id bigint not null references journeys on delete cascade,
  version integer not null,
  step text not null,
  visit integer not null,
  record bigint not null,
  title text not null,
  what text not null,
  -- 0 high, 1 normal, 2 low.
  priority smallint not null,
  note text,
  -- Whose it is: a colleague's address; absent: nobody's in particular.
  assignee text,
  -- Whether somebody in the journey stands still until it is done.
  awaited boolean not null,
  created_at timestamptz not null,
  due_at timestamptz,
  done_at timestamptz,
  done_by text,
  outcome text,
  unique (person_id, walk_id, step, visit)
);
create index tasks_open on tasks (due_at, priority, id) where done_at is null;
create index tasks_done on tasks (done_at desc, id) where done_at is not null;
create index tasks_assignee on tasks (assignee, due_at, id) where done_at is null;

create table errands (
  person_id bigint not null references people on delete cascade,
  id bigint generated always as identity,
  kind text not null check (kind in ('notify', 'call', 'ask')),
  walk_id integer not null,
  journey_id bigint not null,
  version integer not null,
  step text not null,
  visit integer not null,
  record bigint not null,
  -- When it was due, on the workspace clock.
  at timestamptz not null,
  state text not null default 'queued' check (state in ('queued', 'sending', 'done', 'failed')),
  attempts integer not null default 0,
  -- Counts claims and never falls: whoever records an outcome says which claim it came of.
  claim integer not null default 0,
  -- By the machine's clock: the lease of whoever runs it, or the wait for the next try.
  not_before timestamptz,
  -- Why it waits or failed, in words.
  error text,
  -- What was answered: a call's status and the beginning of its body.
  answer jsonb,
  ended_at timestamptz,
  primary key (person_id, id),
  unique (person_id, walk_id, step, visit)
);
-- New ones, and those that wait for another try or under a lease: a claim walks past neither.
create index errands_due on errands (kind, at) where state in ('queued', 'sending') and not_before is null;
create index errands_waiting on errands (kind, not_before) where state in ('queued', 'sending') and not_before is not null;
create index errands_ended on errands (ended_at) where ended_at is not null;
create index errands_trouble on errands (at) where error is not null;

-- Colleagues who are told things, and may be given tasks, beside those who sign in.
alter table journeys add column owner text;

-- The step whose message to this person it answers, so that both stand in one thread.
alter table messages add column thread text;
