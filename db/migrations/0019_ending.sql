-- A journey that is over can be put away; one that nobody ever entered can be deleted.
alter table journeys drop constraint journeys_state_check;
alter table journeys add constraint journeys_state_check
  check (state in ('draft', 'live', 'paused', 'closing', 'closed', 'archived'));
alter table crowds drop constraint crowds_kind_check;
alter table crowds add constraint crowds_kind_check
  check (kind in ('existing', 'enter', 'look', 'midnight', 'end', 'move'));
-- Those inside, in order of people: portions of a crowd go along it.
create index walks_inside on walks (journey_id, person_id) where state = 'walking';
