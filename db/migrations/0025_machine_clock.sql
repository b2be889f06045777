-- How far the real clock has come, a little ahead of what was handed out: where the machine's clock is set back, the
-- workspace's stands until it is there again (server/clock/clock.ts).
create table machine_clock (
  only_one boolean primary key default true check (only_one),
  reached timestamptz not null default '-infinity',
  -- Never earlier than this any more.
  not_before timestamptz not null default '-infinity'
) with (fillfactor = 20);
insert into machine_clock default values;
