-- How many addresses of a domain were tried and refused for good in an hour of the machine's clock: many at once say
-- something of us or of their server, not of everybody who is there.
create table refusals (
  domain text not null,
  hour timestamptz not null,
  tried integer not null default 0,
  refused integer not null default 0,
  primary key (domain, hour)
);
-- Domains ('' for all) of which nobody is suppressed until somebody has said whose trouble it is.
create table doubts (
  domain text primary key,
  since timestamptz not null default clock_timestamp(),
  refused integer not null,
  answer text not null,
  -- Somebody has said that those addresses are gone: it is not asked again for a day.
  settled_at timestamptz,
  settled_by text
);
-- What was answered for the address that is suppressed, so that those of one answer can be lifted together.
alter table suppressions add column answer text;

create or replace function take_hold() returns trigger language plpgsql as $$
declare
  which text;
begin
  if new.name = 'bounced' then
    which := coalesce(new.data ->> 'channel', 'email');
    insert into suppressions (address, at, reason, person_id, told_by, answer)
    select lower(a.address), new.at, 'bounced', new.person_id, new.id, left(new.data ->> 'error', 300)
    from (
      select coalesce(
        (select m.address from messages m where m.person_id = new.person_id and m.id = new.message_id),
        (select case which when 'email' then p.email else p.phone end from people p where p.id = new.person_id)
      ) as address
    ) as a
    where a.address is not null
    on conflict do nothing;
  elsif new.name = 'set' then
    for which in select key from jsonb_each_text(new.data -> 'consent') where value = 'withdrawn' loop
      if which in ('email', 'sms') then
        perform withdraw_now(new.person_id, which, new.id, new.at,
          coalesce(new.data -> 'proof' ->> 'source', new.source), new.data -> 'proof' ->> 'wording');
      end if;
    end loop;
  else
    -- One that names a step alone has its channel once it is found out; journeys hear of it then.
    which := coalesce(new.data ->> 'channel', case when new.data ? 'about' then null else 'email' end);
    if which in ('email', 'sms') then
      perform withdraw_now(new.person_id, which, new.id, new.at, new.name, new.data ->> 'text');
    end if;
  end if;
  return null;
end $$;
