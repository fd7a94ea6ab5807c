//! The schema of a bank in a database: made, brought up to date, and told from those of others.

use super::address::Address;
use super::database::Database;
use super::roles;
use crate::key::new_key;
use crate::seal;
use crate::store::{Aim, Made, Store, cells};
use pebblebank_table::{Error, ErrorKind, Result};

/// What made each shape of the bank out of the one before.
const SHAPES: [&str; 1] = [include_str!("schema/1.sql")];

/// The number of this shape.
const SHAPE: i64 = SHAPES.len().cast_signed() as i64;

/// The key in `about` under which the number of the shape stands.
const SHAPE_KEY: &str = "pebblebank";

/// All statements that make a schema for a bank, for whoever runs the server to read and carry out.
pub(crate) fn statements(address: &Address) -> String {
    let schema = &address.schema;
    let name = roles::quoted(schema);
    let made = format!(
        "-- Makes the schema of a bank, and the roles of those who use it. Carry it out as the user who is to own the bank;\n\
         -- making roles needs the right to do so. Then pebblebank bank init makes the bank ready.\n\
         begin;\ncreate schema {name};\nset local search_path = {name}, pg_temp;\n\n"
    );
    format!("{made}{}\n{}\ncommit;\n", SHAPES.concat(), roles::of_schema(schema))
}

const SHAPE_QUERY: &str = "select value from about where key = ?1";

/// The number of a shape, as a bank says it.
fn shape_number(text: &[u8]) -> Option<i64> {
    std::str::from_utf8(text).ok()?.parse().ok()
}

/// What is in a schema.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum State {
    /// It is not there.
    Missing,
    /// It has no tables.
    Empty,
    /// It has tables, and is no bank.
    Foreign,
    /// An administrator has made its tables; it is not ready yet.
    NotReady,
    /// A bank of this shape.
    Bank(i64),
    /// This user may not look into it.
    Closed,
}

/// Opens a bank, which must be there.
pub(crate) fn open(address: &Address) -> Result<Database> {
    open_if_there(address)?.ok_or_else(|| not_yet(address))
}

fn not_yet(address: &Address) -> Error {
    let what = format!("there is no bank in the schema \"{}\" yet", address.schema);
    let advice = format!("pebblebank bank init '{}' makes one", address.shown().display());
    Error::new(ErrorKind::Input, what, advice).in_file(address.shown())
}

/// Opens a bank; none where there is nothing. Fails where that cannot be told, and where something else is there.
pub(crate) fn open_if_there(address: &Address) -> Result<Option<Database>> {
    let database = Database::connect(address)?;
    match database.state()? {
        State::Missing | State::Empty => Ok(None),
        State::NotReady => Err(not_yet(address)),
        State::Foreign => Err(foreign(address)),
        State::Closed => Err(closed(address)),
        State::Bank(shape) if shape > SHAPE => Err(newer(address)),
        State::Bank(shape) if shape < SHAPE => {
            let what = "the bank was made by an older version of pebblebank, and must be brought up to date first";
            let advice =
                format!("pebblebank bank init '{}' does that, as the user who owns it", address.shown().display());
            Err(Error::new(ErrorKind::Input, what, advice).in_file(address.shown()))
        }
        State::Bank(_) => {
            seal::check(&database)?;
            Ok(Some(database))
        }
    }
}

/// Makes a bank, or brings it up to date: all of it or nothing.
pub(crate) fn init(address: &Address) -> Result<Made> {
    let database = Database::connect(address)?;
    database.begin(Aim::Changing)?;
    let made = database.make().inspect_err(|_| database.roll_back())?;
    database.commit()?;
    Ok(made)
}

fn foreign(address: &Address) -> Error {
    let what = format!("the schema \"{}\" holds the tables of another program, and no bank", address.schema);
    let advice = "name another schema in the address: ?schema=pebblebank";
    Error::new(ErrorKind::Input, what, advice).in_file(address.shown())
}

fn closed(address: &Address) -> Error {
    let roles = roles::names(&address.schema);
    let what = format!("the database user \"{}\" may not look into the schema \"{}\"", address.user, address.schema);
    let advice =
        format!("ask whoever runs the server for the role {}, {} or {}", roles.prepare, roles.load, roles.forget);
    Error::new(ErrorKind::Input, what, advice).in_file(address.shown())
}

fn newer(address: &Address) -> Error {
    let what = "the bank was made by a newer version of pebblebank, whose entries this one may not understand";
    Error::new(ErrorKind::Input, what, "use that version, or a newer one").in_file(address.shown())
}

impl Database {
    /// What is in the schema; of a bank that is there, at the first question.
    fn state(&self) -> Result<State> {
        let shape = self.as_store().first(SHAPE_QUERY, cells![SHAPE_KEY], |row| row.get::<Vec<u8>>(0));
        match shape {
            Ok(Some(shape)) => Ok(shape_number(&shape).map_or(State::Foreign, State::Bank)),
            Err(error) if self.client()?.is_closed() => Err(error),
            _ => self.state_in_detail(),
        }
    }

    fn state_in_detail(&self) -> Result<State> {
        let bank = self.as_store();
        let schema = &self.address.schema;
        let may_use = bank.first(
            "select has_schema_privilege(oid, 'usage') from pg_namespace where nspname = ?1",
            cells![schema],
            |row| row.get::<bool>(0),
        )?;
        match may_use {
            None => return Ok(State::Missing),
            Some(false) => return Ok(State::Closed),
            Some(true) => {}
        }
        let tables =
            "select count(*), count(*) filter (where relname in ('about', 'batch', 'entry', 'block', 'history'))
             from pg_class where relnamespace = (select oid from pg_namespace where nspname = ?1) and relkind = 'r'";
        let (all, own): (i64, i64) =
            bank.first(tables, cells![schema], |row| Ok((row.get(0)?, row.get(1)?)))?.ok_or_else(|| self.damaged())?;
        match (all, own) {
            (0, _) => return Ok(State::Empty),
            (_, 5) => {}
            _ => return Ok(State::Foreign),
        }
        // A table of that name that is not ours has other columns.
        let is_ours =
            "select count(*) from pg_attribute where attrelid = to_regclass('about') and attname in ('key', 'value')";
        if bank.value::<i64>(is_ours, &[])? < 2 {
            return Ok(State::Foreign);
        }
        let shape: Option<Vec<u8>> = bank.first(SHAPE_QUERY, cells![SHAPE_KEY], |row| row.get(0))?;
        Ok(shape.map_or(State::NotReady, |shape| shape_number(&shape).map_or(State::Foreign, State::Bank)))
    }

    /// Makes what is still missing.
    fn make(&self) -> Result<Made> {
        // A question that fails would end the transaction.
        let shape = match self.state_in_detail()? {
            State::Foreign => return Err(foreign(&self.address)),
            State::Closed => return Err(closed(&self.address)),
            State::Bank(shape) if shape > SHAPE => return Err(newer(&self.address)),
            State::Bank(shape) => Some(shape),
            State::NotReady => Some(0),
            State::Missing => {
                self.run(&format!("create schema {}", roles::quoted(&self.address.schema)))?;
                None
            }
            State::Empty => None,
        };
        let is_new = shape.is_none_or(|shape| shape == 0);
        // The tables of a bank that is not ready are those of this shape.
        let steps = match shape {
            None => &SHAPES[..],
            Some(0) => &[],
            Some(shape) => &SHAPES[usize::try_from(shape).unwrap_or_default().min(SHAPES.len())..],
        };
        for step in steps {
            self.run(step)?;
        }
        let has_roles = self.try_roles()?;
        let insert =
            "insert into about (key, value) values (?1, ?2) on conflict (key) do update set value = excluded.value";
        if is_new {
            let key = new_key(self.address.shown())?;
            self.execute(insert, cells!["forgetting", &key])?;
        }
        if is_new || !steps.is_empty() {
            self.execute(insert, cells![SHAPE_KEY, SHAPE.to_string().as_bytes()])?;
            seal::seal(self)?;
        }
        Ok(Made { is_new, has_roles: Some(has_roles) })
    }

    /// Makes the roles, where this user may.
    fn try_roles(&self) -> Result<bool> {
        self.run("savepoint roles")?;
        match self.run(&roles::of_schema(&self.address.schema)) {
            Ok(()) => self.run("release savepoint roles").map(|()| true),
            Err(error) if self.client()?.is_closed() => Err(error),
            Err(_) => self.run("rollback to savepoint roles").map(|()| false),
        }
    }
}
