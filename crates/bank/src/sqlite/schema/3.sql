-- The third shape: what checking found of domains, so that nobody is asked twice. why: its name in the documents. day: when.
create table domain_verdict (domain text primary key, why text not null, day integer not null) without rowid;
