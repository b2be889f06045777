-- Drafts that several people work on: who saved last, who has one open and where, a lock with its reason, and findings that
-- somebody has accepted.
alter table journeys
  add column draft_saved_by text not null default '',
  -- Names and aims only, for now: nothing is missed in it yet.
  add column sketch boolean not null default false,
  add column locked_by text,
  add column locked_why text,
  add column locked_at timestamptz;

-- Who has a draft open, by window; told again every few seconds, forgotten when that ends. Nothing is lost with it.
create unlogged table open_drafts (
  journey_id bigint not null references journeys (id) on delete cascade,
  place text not null,
  name text not null,
  step text,
  seen_at timestamptz not null,
  primary key (journey_id, place)
);

-- A finding is the same as long as its check says the same of the same step.
create table accepted_findings (
  journey_id bigint not null references journeys (id) on delete cascade,
  finding text not null,
  said text not null,
  reason text not null,
  accepted_by text not null,
  accepted_at timestamptz not null,
  primary key (journey_id, finding)
);

-- Whether anybody may be texted at all is asked whenever a sheet is opened.
create index consents_texts on consents (person_id) where channel = 'sms' and state = 'given';
