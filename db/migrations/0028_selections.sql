-- Many people at once, chosen by what is true of them: a tag put on or taken off, a list joined or left, a journey entered or left.
alter table crowds drop constraint crowds_kind_check;
alter table crowds add constraint crowds_kind_check
  check (kind in ('existing', 'enter', 'look', 'midnight', 'end', 'move', 'change'));
alter table crowds
  -- Whom it is made of (server/crowds/selection.ts); absent: whom the kind and the journey say.
  add column selection jsonb,
  -- What is done with them.
  add column change jsonb,
  -- What kept it from going on: it is stopped then, and holds up no other.
  add column problem text,
  -- It takes back what another did.
  add column undoes bigint references crowds on delete set null;
create index crowds_changes on crowds (id desc) where change is not null;
