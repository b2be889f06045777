-- A version that people walk on is never changed: what the sheet of yesterday shows is what they were sent by.
create function refuse_change() returns trigger language plpgsql as $$
begin
  raise exception 'a version of a journey never changes; set a new one live' using errcode = 'restrict_violation';
end
$$;

create trigger versions_never_change before update on versions for each row execute function refuse_change();
