-- Mail that came in and is about nobody here, or could not be read: kept, so that nothing is lost.
create table stray_mails (
  id bigint generated always as identity primary key,
  source_id text not null unique,
  sender text not null,
  recipient text not null,
  subject text not null,
  body text not null,
  why text not null,
  at timestamptz not null
);
create index happenings_bounced on happenings (person_id, at) where name = 'bounced';
