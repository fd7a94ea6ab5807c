-- The second shape: what tells a whole bank from a damaged one, see seal.rs. The seal itself stands in about.
-- digest: the sum over the entries of the batch that were not removed.
alter table batch add column digest blob not null default x'00000000000000000000000000000000';
