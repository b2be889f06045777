-- Imports: a file of people as it is read, what is done with it, how far it is, and what it changed.
create table imports (
  id bigint generated always as identity primary key,
  -- The uploaded file; kept as long as its refused rows can be asked for.
  file_id uuid references import_files on delete set null,
  name text not null,
  user_id bigint references users on delete set null,
  asked_by text not null,
  -- How it is read and what each column is taken as (server/imports/plan.ts).
  plan jsonb not null,
  header text[] not null,
  -- reading: its rows are being read into import_rows; read: they are there, nothing was done yet.
  state text not null default 'reading'
    check (state in ('reading', 'read', 'running', 'stopped', 'done', 'undoing', 'undone')),
  -- What it would do, counted when it was read (server/imports/preview.ts).
  preview jsonb,
  -- Rows to take in, and the line up to which they are in; while it is taken back: the person up to whom.
  total bigint not null default 0,
  reached bigint not null default 0,
  made bigint not null default 0,
  updated bigint not null default 0,
  unchanged bigint not null default 0,
  -- Withdrawn consents that the file would have turned into given ones.
  kept_withdrawn bigint not null default 0,
  -- Ids of the people it made lie between these.
  first_made bigint,
  last_made bigint,
  -- Taken back: people who are gone again, and facts that are as they were.
  removed bigint not null default 0,
  restored bigint not null default 0,
  -- What kept it from going on.
  problem text,
  worked_at timestamptz,
  -- By the machine's clock, as files are kept; begun_at by the workspace's.
  created_at timestamptz not null default clock_timestamp(),
  begun_at timestamptz,
  ended_at timestamptz
);
create index imports_running on imports (worked_at) where state in ('running', 'undoing');
create index imports_file on imports (file_id);

-- Rows of a file that would do something. Not logged, because they can be read again from the file: after a crash of the
-- database they are gone, and the import says so. No reference to the import: a million would be looked up one by one.
create unlogged table import_rows (
  import_id bigint not null,
  line integer not null,
  -- Whom it would change; absent: somebody new.
  person_id bigint,
  email text,
  phone text,
  first_name text,
  last_name text,
  zone text,
  fields jsonb not null,
  tags text[] not null,
  lists text[] not null,
  consent_email text,
  consent_sms text,
  primary key (import_id, line)
);
create table import_refused (
  import_id bigint not null references imports on delete cascade,
  line integer not null,
  column_name text,
  found text not null,
  reason text not null,
  primary key (import_id, line)
);

-- Whom an import made: what makes a file go back out as a whole.
alter table people add column import_id bigint;

-- What an import changed of people who were known: values before and after, labels put on.
create table import_changes (
  import_id bigint not null references imports on delete cascade,
  person_id bigint not null references people on delete cascade,
  before jsonb not null,
  after jsonb not null,
  primary key (import_id, person_id)
);
create index import_changes_person on import_changes (person_id);
-- What stays when an import is taken back, and why.
create table import_stays (
  import_id bigint not null references imports on delete cascade,
  person_id bigint not null references people on delete cascade,
  what text not null,
  primary key (import_id, person_id, what)
);

-- How files of a shape (the names of their columns) were read the last time.
create table import_shapes (
  shape text primary key,
  columns jsonb not null,
  used_at timestamptz not null default clock_timestamp()
);

-- Proof of consent: every state a person gave, one after the other, with what it was given to.
alter table consents add column wording text;
create table consent_records (
  person_id bigint not null references people on delete cascade,
  id bigint generated always as identity,
  channel text not null,
  state text not null,
  at timestamptz not null,
  source text not null,
  wording text,
  address text,
  primary key (person_id, id)
);
insert into consent_records (person_id, channel, state, at, source, address)
select c.person_id, c.channel, c.state, c.at, c.source, case when c.channel = 'email' then p.email else p.phone end
from consents c join people p on p.id = c.person_id;

-- Whoever writes a consent writes its record: one statement for each of theirs, however many rows it has.
create function keep_consents() returns trigger language plpgsql as $$
begin
  if tg_op = 'DELETE' then
    insert into consent_records (person_id, channel, state, at, source, address)
    select c.person_id, c.channel, 'never asked', w.at, 'cleared', case when c.channel = 'email' then p.email else p.phone end
    from gone c join people p on p.id = c.person_id
    cross join (select case clock when 'practice' then coalesce(practice_now, clock_timestamp()) else clock_timestamp() end as at from workspace) as w;
  elsif tg_op = 'UPDATE' then
    insert into consent_records (person_id, channel, state, at, source, wording, address)
    select c.person_id, c.channel, c.state, c.at, c.source, c.wording, case when c.channel = 'email' then p.email else p.phone end
    from written c join replaced r on r.person_id = c.person_id and r.channel = c.channel and r.state <> c.state
    join people p on p.id = c.person_id;
  else
    insert into consent_records (person_id, channel, state, at, source, wording, address)
    select c.person_id, c.channel, c.state, c.at, c.source, c.wording, case when c.channel = 'email' then p.email else p.phone end
    from written c join people p on p.id = c.person_id;
  end if;
  return null;
end $$;
create trigger consents_made after insert on consents referencing new table as written
  for each statement execute function keep_consents();
create trigger consents_changed after update on consents referencing old table as replaced new table as written
  for each statement execute function keep_consents();
create trigger consents_cleared after delete on consents referencing old table as gone
  for each statement execute function keep_consents();
