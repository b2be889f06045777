-- What of a workspace's own facts its tables of people show, and the country of phone numbers that are written without one.
alter table workspace
  add column shown_field text,
  add column shown_score text,
  add column country text check (country ~ '^[A-Z]{2}$');
