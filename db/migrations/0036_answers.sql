-- Texts that colleagues write to somebody by hand, in answer to theirs: sent by workers under a lease, like messages.
create table answers (
  person_id bigint not null references people on delete cascade,
  id bigint generated always as identity,
  -- Said by the page that asks: pressed twice, it is one.
  once uuid not null unique,
  address text not null,
  body text not null,
  by text not null,
  at timestamptz not null,
  state text not null default 'queued' check (state in ('queued', 'sending', 'sent', 'failed')),
  attempts integer not null default 0,
  -- Counts claims and never falls: whoever records an outcome says which claim it came of.
  claim integer not null default 0,
  -- By the machine's clock: the lease of whoever sends it, or the wait for the next try.
  not_before timestamptz,
  error text,
  -- Under which number of the person it was tried first.
  known_as bigint,
  primary key (person_id, id)
);
create index answers_due on answers (id) where state in ('queued', 'sending');
