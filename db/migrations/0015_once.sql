-- Each thing stands once: what was sent and taken stands in messages. It is a happening only where a version asks for it.
-- hears: names of the happenings that a version's rules, lanes and conditions ask about; null: not known, so all.
alter table versions add column hears text[];

-- The latest thing of a journey, without walking past what stands there by the thousand.
create index happenings_latest on happenings (journey_id, id) where journey_id is not null and name <> 'delivered';
drop index happenings_journey;
