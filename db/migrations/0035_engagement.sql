-- By name of a score model or ladder, the save of the settings that changed it last: whoever was worked on before has their
-- points and rungs worked out anew from what is on record.
alter table workspace add column engagement jsonb not null default '{}';
