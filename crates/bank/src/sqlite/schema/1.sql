-- The first shape of the bank. Text stands in one table, so that forgetting somebody clears one place.
create table about (key text primary key, value blob not null) without rowid;
create table scope (id integer primary key, name text not null unique);
insert into scope (id, name) values (1, 'everyone');
-- kind: 0 address, 1 domain, 2 phone, 3 SHA-256, 4 MD5, 5 the keyed digest of an address or phone that was forgotten.
create table text (id integer primary key, kind integer not null, value blob not null, unique (kind, value));
-- what: the place of a reason among those that a bank keeps, see batch.rs. entries and softs count what still holds.
create table batch (
  id integer primary key autoincrement,
  what integer not null,
  scope integer not null references scope (id),
  campaign text,
  job text,
  file text,
  fingerprint text,
  added text not null,
  day integer not null,
  note text,
  undone text,
  entries integer not null default 0,
  softs integer not null default 0,
  phones integer not null default 0,
  lapsing integer not null default 0
);
create index batch_by_fingerprint on batch (fingerprint);
-- day: of the event, such as a bounce. soft: mail came back for a reason that may pass. until: the last day that it holds.
create table entry (
  id integer primary key,
  text integer not null references text (id),
  batch integer not null references batch (id),
  day integer,
  soft integer not null default 0,
  until integer,
  removed text
);
create index entry_by_text on entry (text);
create index entry_by_batch on entry (batch);
create index entry_soft on entry (text, day) where soft = 1;
-- People who refused and came back.
create table returned (text integer not null references text (id), scope integer not null, day integer not null,
  primary key (text, scope)) without rowid;
create table history (
  id integer primary key autoincrement,
  moment text not null,
  what text not null,
  batch integer,
  text integer references text (id),
  scope integer,
  count integer,
  note text
);
create index history_by_text on history (text);
