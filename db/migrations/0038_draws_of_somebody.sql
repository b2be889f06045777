-- Whose draws go over, or go, when somebody is made one with another or erased.
create index draws_person on draws (person_id);
