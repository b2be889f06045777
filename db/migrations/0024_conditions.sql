-- Conditions are asked of the database as the core asks them (core/condition/sql.ts): values as text, dates and instants only
-- where they are real ones, and civil time as docs/journey-language.md counts it.

-- A date as it is written, or null: text that only looks like one is no error.
create function as_date(value text) returns date language sql immutable parallel safe as $$
  select case when value ~ '^\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])$' and value >= '0001'
    and substr(value, 9, 2)::integer <= extract(day from (substr(value, 1, 8) || '01')::date + interval '1 month' - interval '1 day')
    then value::date end
$$;

create function as_instant(value text) returns timestamptz language sql immutable parallel safe as $$
  select case when value ~ '^\d{4}-\d\d-\d\dT([01]\d|2[0-3]):[0-5]\d(:[0-5]\d(\.\d{1,9})?)?(Z|[+-](0\d|1[0-4]):[0-5]\d)$'
    and as_date(substr(value, 1, 10)) is not null then date_trunc('milliseconds', value::timestamptz) end
$$;

-- The first instant at which a clock on the wall shows this; a time that is skipped moves forward by the gap.
create function first_instant(wall timestamp, zone text) returns timestamptz language sql stable parallel safe as $$
  select case when (at - interval '1 hour') at time zone zone = wall then at - interval '1 hour' else at end
  from (select wall at time zone zone as at) as t
$$;

-- An instant after a duration: months and days on the wall clock first, then the exact part.
create function civil_after(at timestamptz, zone text, months integer, days integer, exact interval)
returns timestamptz language sql stable parallel safe as $$
  select exact + case when months = 0 and days = 0 then at
    else first_instant((at at time zone zone) + make_interval(months => months) + make_interval(days => days), zone) end
$$;
