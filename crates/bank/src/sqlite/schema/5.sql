-- The fifth shape: addresses that say no more than their batch does stand in blocks, in order, each as what it has more than
-- the one before it, see blocks.rs. first: the first address. count: how many there are.
create table block (
  id integer primary key,
  batch integer not null references batch (id),
  first blob not null,
  count integer not null,
  packed blob not null
);
create unique index block_by_first on block (batch, first);
