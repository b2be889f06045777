-- Letters that no journey sends. "Do you want to stop?": somebody wrote from their address, and could not prove that it is theirs.
create table letters (
  person_id bigint not null references people on delete cascade,
  id bigint generated always as identity,
  kind text not null check (kind in ('stop?')),
  address text not null,
  at timestamptz not null,
  state text not null default 'queued' check (state in ('queued', 'sending', 'sent', 'failed')),
  attempts integer not null default 0,
  -- Counts claims and never falls: whoever records an outcome says which claim it came of.
  claim integer not null default 0,
  -- By the machine's clock: the lease of whoever sends it, or the wait for the next try.
  not_before timestamptz,
  error text,
  primary key (person_id, id)
);
create index letters_due on letters (id) where state in ('queued', 'sending');

-- Which copy of a message has bounced before it was on record that it went out.
alter table messages add column early_bounce integer;
