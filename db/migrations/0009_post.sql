-- The outbox: what a message says is fixed when it first goes out, each claim has a number, waits are by the machine's clock.

-- When nobody may touch it before: the lease of whoever sends it, or the wait for the next try. By the machine's clock,
-- because what it waits for (a mail server, a sender that died) does not live by the practice clock.
alter table messages rename column lease_until to not_before;
-- Counts claims and never falls: whoever records an outcome says which claim it came of.
alter table messages add column claim integer not null default 0;
update messages set claim = attempts;
-- Where its links led when it was filled in: [address, start, end] by their place in the body.
alter table messages add column links jsonb;
alter table messages add column preview text;
-- Why it waits or failed: temporary, full, away, ours, filling-in, too-late, mailbox.
alter table messages add column trouble text;
-- A retry had moved this: it is the instant at which the message was due.
update messages set try_at = created_at where state in ('queued', 'sending');
update messages set not_before = null where not_before < now();

drop index messages_due;
create index messages_due on messages (channel, try_at) where state in ('queued', 'sending') and not_before is null;
create index messages_waiting on messages (channel, not_before) where state in ('queued', 'sending') and not_before is not null;
create index messages_trouble on messages (created_at) where trouble is not null and state <> 'sent';

-- What the mail server and the gateway make of us.
create table channels (
  channel text primary key check (channel in ('email', 'sms')),
  -- What they answered last that was a matter of ours, and how often in a row.
  matter text,
  alike integer not null default 0,
  -- Absent: messages go out.
  stopped_at timestamptz,
  -- By the machine's clock: when one message is tried, to see whether it is mended.
  next_probe timestamptz,
  probes integer not null default 0
);
insert into channels (channel) values ('email'), ('sms');

-- Addresses that were written to again after they had bounced: who said so, and why.
create table lifted_suppressions (
  address text not null,
  at timestamptz not null,
  suppressed_at timestamptz not null,
  by text not null,
  reason text not null
);
create index lifted_suppressions_address on lifted_suppressions (address);

-- What a skip of the clock waits for, in words, while it stands still.
alter table clock_skips add column waiting text;
