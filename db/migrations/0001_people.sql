-- People and the facts about them. Rows of a person lead with the person's id.

create table people (
  id bigint generated always as identity primary key,
  email text,
  phone text,
  first_name text,
  last_name text,
  zone text,
  -- Every other field by name.
  fields jsonb not null default '{}',
  created_at timestamptz not null,
  updated_at timestamptz not null,
  check (email is not null or phone is not null)
);
create unique index people_email on people (lower(email)) where email is not null;
create unique index people_phone on people (phone) where phone is not null;
create index people_name on people (lower(last_name), lower(first_name), id);

create table tags (
  name text primary key,
  created_at timestamptz not null
);

create table person_tags (
  person_id bigint not null references people on delete cascade,
  tag text not null,
  since timestamptz not null,
  primary key (person_id, tag)
);
create index person_tags_tag on person_tags (tag, person_id);

create table person_lists (
  person_id bigint not null references people on delete cascade,
  list text not null,
  since timestamptz not null,
  primary key (person_id, list)
);

create table consents (
  person_id bigint not null references people on delete cascade,
  channel text not null check (channel in ('email', 'sms')),
  state text not null check (state in ('given', 'pending', 'withdrawn')),
  at timestamptz not null,
  source text not null,
  primary key (person_id, channel)
);

create table scores (
  person_id bigint not null references people on delete cascade,
  score text not null,
  points double precision not null,
  at timestamptz not null,
  primary key (person_id, score)
);

-- Addresses nobody may write to, whoever has them. Lower case.
create table suppressions (
  address text primary key,
  reason text not null,
  at timestamptz not null
);
