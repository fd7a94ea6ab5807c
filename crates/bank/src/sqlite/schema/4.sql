-- The fourth shape: what checking found of addresses (by identity), and which were given out to be checked elsewhere.
-- why: its name in the documents; null where nothing was found yet. day: when. awaited: the day on which it was given out, until it is back.
create table address_verdict (address text primary key, why text, day integer, awaited integer) without rowid;
