-- Two who are one person: who was made one with whom, further addresses of a person, and who may be somebody twice.

-- Whom a former number of somebody stands for now: in links, answers and reports of messages that went out under it.
create table merged (
  gone bigint primary key,
  person_id bigint not null references people on delete cascade,
  -- What was added to the numbers of their walks.
  walks integer not null,
  at timestamptz not null,
  by text not null
);
create index merged_person on merged (person_id);

/* The number somebody goes by now. */
create function person_now(bigint) returns bigint language sql stable
  return coalesce((select person_id from merged where gone = $1), $1);

-- Addresses and numbers that are theirs beside the one they are written to. Lower case.
create table other_addresses (
  address text primary key,
  person_id bigint not null references people on delete cascade,
  channel text not null check (channel in ('email', 'sms')),
  since timestamptz not null
);
create index other_addresses_person on other_addresses (person_id);

/* Whose an address is: the one they are written to, or a further one. */
create function person_of_email(text) returns bigint language sql stable
  return coalesce((select id from people where email is not null and lower(email) = lower($1)),
    (select person_id from other_addresses where address = lower($1)));
create function person_of_number(text) returns bigint language sql stable
  return coalesce((select id from people where phone = $1), (select person_id from other_addresses where address = $1));

-- Under which number of the person a message or errand was tried first: every try of it has the same id.
alter table messages add column known_as bigint;
alter table errands add column known_as bigint;

-- Who may be the same person, found by going through everybody: groups that are alike in one thing. `people` are the first
-- twenty of them at most, `n` all.
create table doubles (
  why text not null check (why in ('email', 'phone', 'name')),
  key bigint not null,
  people bigint[] not null,
  n integer not null,
  primary key (why, key)
);
create index doubles_people on doubles using gin (people);

-- Two of whom somebody said that they are different people.
create table different_people (
  low bigint not null references people on delete cascade,
  high bigint not null references people on delete cascade,
  by text not null,
  at timestamptz not null,
  primary key (low, high),
  check (low < high)
);
create index different_people_high on different_people (high);

-- The latest search. First everybody's keys are written down, then those that stand there twice are looked up.
create table doubles_search (
  one boolean primary key default true check (one),
  state text not null check (state in ('reading', 'comparing', 'done', 'stopped')),
  -- The field that has to be alike beside the name.
  field text not null,
  -- While reading: the last person; while comparing: the last key.
  reached bigint not null default 0,
  reached_why text not null default '',
  total bigint not null,
  looked bigint not null default 0,
  by text not null,
  begun_at timestamptz not null,
  ended_at timestamptz
);
-- Not logged: after a crash the search begins anew.
create unlogged table doubles_keys (
  why text not null,
  key bigint not null,
  person_id bigint not null,
  primary key (why, key, person_id)
);
