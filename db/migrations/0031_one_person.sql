-- Notes on a person, by colleagues.
create table person_notes (
  person_id bigint not null references people on delete cascade,
  id bigint generated always as identity,
  at timestamptz not null,
  by text not null,
  words text not null,
  primary key (person_id, id)
);

-- Who was erased: of their addresses only a keyed hash, by which it is known that they were, that they gave or withdrew
-- consent, and that nobody may write to them.
create table erased (
  -- HMAC-SHA-256 of the address in lower case, by the workspace's secret.
  hash bytea primary key,
  at timestamptz not null,
  by text not null,
  -- The consents of its channel, one after the other: state, when, where, in which words.
  consents jsonb not null,
  -- Why it was suppressed; absent: it was not.
  suppressed text
);
