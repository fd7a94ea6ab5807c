-- Three roles, each of which may do what the one before it may. Users are made members: grant {load} to ida;
do $$
begin
  if not exists (select 1 from pg_roles where rolname = {prepare_text}) then create role {prepare} nologin; end if;
  if not exists (select 1 from pg_roles where rolname = {load_text}) then create role {load} nologin; end if;
  if not exists (select 1 from pg_roles where rolname = {forget_text}) then create role {forget} nologin; end if;
end $$;
grant {prepare} to {load};
grant {load} to {forget};
revoke all on schema {schema} from public;
revoke all on all functions in schema {schema} from public;
grant usage on schema {schema} to {prepare};

-- Reads everything and prepares: adds what a run prepared and learned, and takes nothing back.
grant select on all tables in schema {schema} to {prepare};
grant insert on scope, text, batch, entry, block, history to {prepare};
grant insert, update on domain_verdict, address_verdict to {prepare};
grant insert, update on about to {prepare};
grant update (what, campaign, day, undone, entries, softs, phones, lapsing, digest), delete on batch to {prepare};
grant execute on function drop_replaced(bigint) to {prepare};

-- Loads: adds and takes back batches, and takes out people who came back.
grant update, delete on entry, block to {load};
grant insert, update on returned to {load};

-- Forgets: takes out every trace of somebody.
grant update, delete on text, returned, history, address_verdict to {forget};
grant update on scope, batch to {forget};

-- What only belongs to a run is open to whoever prepares; batches that were loaded are for those who load. Of what the bank says
-- of itself, only the seal changes.
alter table batch enable row level security;
drop policy if exists everybody_reads on batch;
create policy everybody_reads on batch for select using (true);
drop policy if exists prepare_adds on batch;
create policy prepare_adds on batch for insert to {prepare} with check (job is not null);
drop policy if exists prepare_changes on batch;
create policy prepare_changes on batch for update to {prepare} using (job is not null) with check (job is not null);
drop policy if exists prepare_empties on batch;
create policy prepare_empties on batch for delete to {prepare} using (job is not null and entries = 0 and softs = 0);
drop policy if exists load_changes on batch;
create policy load_changes on batch for all to {load} using (true) with check (true);
alter table about enable row level security;
drop policy if exists everybody_reads on about;
create policy everybody_reads on about for select using (true);
drop policy if exists seal_is_made on about;
create policy seal_is_made on about for insert to {prepare} with check (key = 'seal');
drop policy if exists seal_changes on about;
create policy seal_changes on about for update to {prepare} using (key = 'seal') with check (key = 'seal');
