-- The workspace: its clock, secrets, users and sessions.

create table workspace (
  single boolean primary key default true check (single),
  name text not null,
  zone text not null,
  -- practice: the clock stands at practice_now and moves by skipping; real: the machine's clock.
  clock text not null check (clock in ('practice', 'real')),
  practice_now timestamptz,
  passers_by boolean not null default false,
  secret bytea not null,
  created_at timestamptz not null default now()
);

-- One row a skip of the practice clock: asked for by a page, carried out by a worker.
create table clock_skips (
  id bigint generated always as identity primary key,
  -- Absent: only to the next thing due.
  target timestamptz,
  started_from timestamptz not null,
  passers_by boolean not null,
  state text not null default 'asked' check (state in ('asked', 'running', 'done', 'stopped', 'failed')),
  stop_asked boolean not null default false,
  reached timestamptz,
  hops integer not null default 0,
  error text,
  asked_by text not null
);
create unique index clock_skips_one on clock_skips ((true)) where state in ('asked', 'running');

create table users (
  id bigint generated always as identity primary key,
  email text not null unique,
  name text not null,
  password_hash text not null,
  created_at timestamptz not null default now()
);

create table sessions (
  -- SHA-256 of the cookie's token: a copy of this table opens no session.
  token_hash bytea primary key,
  user_id bigint not null references users on delete cascade,
  expires_at timestamptz not null
);
