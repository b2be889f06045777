-- Going on after a pause goes through people in portions, as everything that is many.
alter table crowds drop constraint crowds_kind_check;
alter table crowds add constraint crowds_kind_check
  check (kind in ('existing', 'enter', 'look', 'midnight', 'end', 'move', 'change', 'resume'));
-- Those who have something to hear of.
create index agenda_missed on agenda (person_id) where state ? 'missed';
