-- People are found by some letters of a name or address: by an index of letters in threes, not by looking at everyone.
create extension if not exists pg_trgm;
create index people_letters on people using gin (
  (lower(coalesce(first_name, '') || ' ' || coalesce(last_name, '') || ' ' || coalesce(email, '') || ' ' || coalesce(phone, ''))) gin_trgm_ops
);
