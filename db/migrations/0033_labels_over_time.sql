-- Who was in a segment and left it: from when to when. The latest stay of each.
create table segment_past (
  person_id bigint not null references people on delete cascade,
  segment text not null,
  since timestamptz not null,
  left_at timestamptz not null,
  primary key (person_id, segment)
);
create index segment_past_left on segment_past (segment, left_at);
-- Members by the day they joined.
create index person_segments_since on person_segments (segment, since, person_id);

-- Who got a tag, list or segment and who lost it, day by day of the workspace's zone; counted in the transaction in which it
-- happens, parted by slots like all that is counted.
create table label_days (
  kind text not null check (kind in ('tag', 'list', 'segment')),
  name text not null,
  day date not null,
  slot smallint not null,
  came bigint not null,
  went bigint not null,
  primary key (kind, name, day, slot)
) with (fillfactor = 60);
