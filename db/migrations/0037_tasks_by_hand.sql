-- Tasks that a colleague makes by hand stand in no journey.
alter table tasks alter column walk_id drop not null;
alter table tasks alter column journey_id drop not null;
alter table tasks alter column version drop not null;
alter table tasks alter column step drop not null;
alter table tasks alter column visit drop not null;
alter table tasks alter column record drop not null;
-- Who made it; absent: a journey did.
alter table tasks add column made_by text;
alter table tasks add check (journey_id is not null or made_by is not null);
