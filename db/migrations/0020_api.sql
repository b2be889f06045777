-- Keys of programs that tell of happenings. Only the hash is kept: a copy of this table opens nothing.
create table api_keys (
  id bigint generated always as identity primary key,
  name text not null,
  token_hash bytea not null unique,
  -- What its last letters are, to know it by.
  ending text not null,
  scopes text[] not null,
  created_at timestamptz not null default clock_timestamp(),
  created_by text not null,
  used_at timestamptz,
  revoked_at timestamptz
);

-- Events that came by the API, by a hash of source and id: the same twice is one, whomever it names.
create table events_seen (
  key bytea primary key,
  at timestamptz not null
);
create index events_seen_at on events_seen using brin (at);

-- Machines that fetch: a happening is told apart when it comes in.
-- Texts that came in, by what they were taken for; what no number here has stands in stray_texts.
alter table workspace add column words jsonb not null default '{}';
