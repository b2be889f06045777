-- A line's place among the records of the person, so that many at one instant are told in their order.
alter table trail add column record bigint;

-- Fields that anyone has or had a value for, so that a page need not look at everyone to name them.
create table field_names (
  name text primary key,
  since timestamptz not null
);
insert into field_names (name, since)
select distinct jsonb_object_keys(fields), now() from people;

-- What went out since midnight.
create index messages_sent on messages (sent_at) where sent_at is not null;
