-- Conditions are asked of the database as the core asks them (core/condition/sql.ts): dates and instants only where what is
-- written is a real one. Stable, not immutable, so that they are taken apart where they stand instead of called.

-- A date as it is written, or null: text that only looks like one is no error.
create function as_date(value text) returns date language sql stable parallel safe as $$
  select case when value ~ '^\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])$' and value >= '0001'
    and substr(value, 9, 2)::integer <= extract(day from (substr(value, 1, 8) || '01')::date + interval '1 month' - interval '1 day')
    then value::date end
$$;

create function as_instant(value text) returns timestamptz language sql stable parallel safe as $$
  select case when value ~ '^\d{4}-\d\d-\d\dT([01]\d|2[0-3]):[0-5]\d(:[0-5]\d(\.\d{1,9})?)?(Z|[+-](0\d|1[0-4]):[0-5]\d)$'
    and as_date(substr(value, 1, 10)) is not null then date_trunc('milliseconds', value::timestamptz) end
$$;
