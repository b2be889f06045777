-- When a message was handed over, by the machine's clock: what follows within seconds is looked at together.
alter table messages add column handed_at timestamptz;

-- What was fetched of a message within seconds of handing it over. Whether that was a reader or a scanner that follows
-- everything is decided once those seconds are over; until then nobody hears of it.
create table early_fetches (
  person_id bigint not null references people on delete cascade,
  id bigint generated always as identity primary key,
  message_id bigint not null,
  -- opened, clicked, or trap: the link that no person can see.
  name text not null check (name in ('opened', 'clicked', 'trap')),
  link text,
  -- Known as a machine's by itself: by its agent, its headers or its method.
  machine boolean not null,
  source_id text not null,
  at timestamptz not null,
  -- By the machine's clock.
  decide_at timestamptz not null
);
create index early_fetches_decide on early_fetches (decide_at);
create index early_fetches_message on early_fetches (person_id, message_id);
