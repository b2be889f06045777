-- What a change of many did is taken back once, however many ask for it at a time.
create unique index crowds_undone on crowds (undoes);
