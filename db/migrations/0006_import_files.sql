-- Files of people that were uploaded and are looked at or imported, in parts, so that any web server can read them.

create table import_files (
  id uuid primary key,
  name text not null,
  bytes bigint not null,
  user_id bigint not null references users on delete cascade,
  -- By the machine's clock: a file that is left lying is taken away a day later.
  created_at timestamptz not null default now()
);

create table import_parts (
  file_id uuid not null references import_files on delete cascade,
  place integer not null,
  bytes bytea not null,
  primary key (file_id, place)
);
alter table import_parts alter column bytes set storage external;
