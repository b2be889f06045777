-- Lists of people are read page by page from where the last one ended: value and id in one direction, from either end.
drop index scores_points;
create index scores_points on scores (score, points, person_id);
drop index agenda_did;
create index agenda_did on agenda (did_at, person_id) where did_at is not null;
drop index agenda_walking;
create index agenda_walking on agenda (walking, person_id) where walking > 0;
-- Those without a value come last, by id.
create index people_no_last_name on people (id) where last_name is null;
create index people_no_email on people (id) where email is null;
