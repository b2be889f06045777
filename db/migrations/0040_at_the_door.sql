-- What takes hold the moment it is told, in the transaction that answers, whatever waits in that person's inbox: whoever
-- withdraws is written to no more, and neither is an address that bounced for good. Journeys hear of it in its turn.

-- The happening by which journeys hear of a withdrawal, while it waits; and the state as they know it until then (absent:
-- never asked). `state` is the truth: by it messages go out or do not.
alter table consents add column told_by bigint;
alter table consents add column heard text check (heard in ('given', 'pending', 'withdrawn'));

-- By which happening of whom journeys hear that an address is suppressed. Once that is handled it is known.
alter table suppressions add column person_id bigint;
alter table suppressions add column told_by bigint;

-- What a message that asks for a consent said, and where it went: what is confirmed behind its link is that, and no more.
alter table errands add column address text;
alter table errands add column wording text;

/* A withdrawal, in force from now on; journeys hear of it by this happening. */
create function withdraw_now(person bigint, which text, happening bigint, told timestamptz, told_as text, words text) returns void
language sql as $$
  insert into consents as c (person_id, channel, state, at, source, wording, told_by)
  values (person, which, 'withdrawn', told, told_as, words, happening)
  on conflict (person_id, channel) do update
  set heard = case when c.told_by is null then c.state else c.heard end,
    told_by = greatest(c.told_by, excluded.told_by),
    at = case when c.state = 'withdrawn' then c.at else excluded.at end,
    source = case when c.state = 'withdrawn' then c.source else excluded.source end,
    wording = case when c.state = 'withdrawn' then c.wording else excluded.wording end,
    state = 'withdrawn'
$$;

-- `when` of the triggers costs all other happenings next to nothing.
create function take_hold() returns trigger language plpgsql as $$
declare
  which text;
begin
  if new.name = 'bounced' then
    which := coalesce(new.data ->> 'channel', 'email');
    insert into suppressions (address, at, reason, person_id, told_by)
    select lower(a.address), new.at, 'bounced', new.person_id, new.id
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
create trigger happenings_take_hold after insert on happenings for each row
  when (new.handled_at is null and (new.name in ('unsubscribed', 'complained')
    or (new.name = 'bounced' and new.data ->> 'hard' = 'true')
    or (new.name = 'set' and jsonb_typeof(new.data -> 'consent') = 'object')))
  execute function take_hold();

-- It was handled, or taken out of the inbox: what is in force is what is known.
create function withdrawal_heard() returns trigger language plpgsql as $$
begin
  update consents set told_by = null, heard = null where person_id = old.person_id and told_by = old.id;
  return null;
end $$;
create trigger happenings_heard after update of handled_at on happenings for each row
  when (old.handled_at is null and new.handled_at is not null and new.name in ('unsubscribed', 'complained', 'set'))
  execute function withdrawal_heard();
create trigger happenings_unheard after delete on happenings for each row
  when (old.handled_at is null and old.name in ('unsubscribed', 'complained', 'set'))
  execute function withdrawal_heard();

-- What stood in the inbox when this came.
select withdraw_now(person_id, data ->> 'channel', id, at, name, null)
from happenings where handled_at is null and name in ('unsubscribed', 'complained') and data ->> 'channel' in ('email', 'sms');
