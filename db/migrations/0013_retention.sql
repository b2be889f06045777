-- What is old goes by its age: the trail by a small index over ranges of its rows, which lie in order of their instants.
create index trail_at on trail using brin (at) with (pages_per_range = 32);
create index walks_ended on walks (ended_at) where ended_at is not null;
