-- The sixth shape: who did it, where the bank knows users; a file of its own knows none.
alter table history add column who text;
