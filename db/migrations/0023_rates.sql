-- How many messages went to a channel or a receiving domain in the present slot of time.
create unlogged table send_rates (
  key text primary key,
  slot bigint not null,
  used integer not null
) with (fillfactor = 50);
