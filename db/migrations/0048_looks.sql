-- How a look takes segments is said by one word; what waits in the inbox says it the same way.
update happenings
set data = case when data -> 'silent' = 'true' then '{"segments": "silently"}'
  when data -> 'midnight' = 'true' then '{"segments": "told"}' else '{}' end::jsonb
where handled_at is null and name = 'look';
