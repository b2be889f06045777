-- The same index stood under another name since 0008 (happenings_unhandled): each row that came in was written twice.
drop index happenings_waiting;
-- Who stands on a step, newest first, without going through all who do.
create index walks_standing on walks (journey_id, step, entered_at, person_id) where state = 'walking';
drop index walks_journey;
