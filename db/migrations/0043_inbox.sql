-- What waits for each person, in its order: one who is told of by the hundred thousand keeps nobody else waiting, and what waits
-- for somebody is found without going through all they ever did.
create index happenings_waiting on happenings (person_id, id) where handled_at is null;
