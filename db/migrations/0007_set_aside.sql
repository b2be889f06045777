-- People whose work failed: set aside, so that all others go on, and tried again later, each alone.
create table set_aside (
  person_id bigint primary key references people on delete cascade,
  -- What happened, in words, and where in the program, for whoever mends it.
  error text not null,
  stack text,
  attempts integer not null,
  -- By the machine's clock: what is wrong with the program is not mended by skipping ahead.
  since timestamptz not null default clock_timestamp(),
  next_try timestamptz not null
);
create index set_aside_next on set_aside (next_try);
