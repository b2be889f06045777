-- A message that was handed over can be sent once more by hand: when it had gone out before, who sent it again, and when.
-- Each copy goes out under an id of its own, by which whoever takes it does not take it for a repeat.
alter table messages add column copies jsonb;
