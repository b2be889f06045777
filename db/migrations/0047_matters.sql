-- What stopped a channel: refused, or the server was away. Its words alone do not say.
alter table channels add column matter_is text not null default 'ours' check (matter_is in ('ours', 'away'));
