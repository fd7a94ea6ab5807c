//! Connections to a database, and why one cannot be made.

use super::address::{Address, Tls};
use super::trouble::Doing;
use super::{Database, password, tls, trouble as words};
use pebblebank_table::{Error, ErrorKind, Result};
use postgres::config::SslMode;
use postgres::error::SqlState;
use postgres::{Client, Config, NoTls, SimpleQueryMessage};
use std::cell::RefCell;
use std::collections::HashMap;
use std::time::{Duration, SystemTime, UNIX_EPOCH};

/// How long a server may take to answer at all.
const TO_CONNECT: Duration = Duration::from_secs(10);

/// How long a server that was connected may be silent on the line before it counts as gone.
const TO_ANSWER: Duration = Duration::from_secs(60);

/// The first version of PostgreSQL that has everything that is needed.
const OLDEST_SERVER: i64 = 130_000;

/// How far the clocks may be apart: entries hold until a day, and both must agree on it.
const CLOCKS_APART: u64 = 600;

/// Connects, and looks whether the server can be worked with.
pub(super) fn connect(address: &Address) -> Result<Database> {
    let fail = |cause: postgres::Error| words::trouble(address, &cause, Doing::Connecting);
    let mut config = Config::new();
    config
        .host(&address.host)
        .port(address.port)
        .user(&address.user)
        .dbname(&address.database)
        .application_name("pebblebank")
        .connect_timeout(TO_CONNECT)
        .tcp_user_timeout(TO_ANSWER)
        .keepalives_idle(TO_ANSWER)
        .ssl_mode(if address.tls == Tls::Off { SslMode::Disable } else { SslMode::Require });
    if let Some(password) = password::password(address)? {
        config.password(password);
    }
    let client = match tls::for_address(address)? {
        Some(tls) => config.connect(tls),
        None => config.connect(NoTls),
    };
    let mut client = client.map_err(fail)?;
    look_at_server(&mut client, address)?;
    let search_path = "select set_config('search_path', quote_ident($1), false)";
    client.query_one(search_path, &[&address.schema]).map_err(fail)?;
    Ok(Database {
        client: RefCell::new(client),
        address: address.clone(),
        prepared: RefCell::new(HashMap::new()),
        changing: RefCell::new(None),
    })
}

/// Fails where the server is too old or its clock is not that of this machine.
fn look_at_server(client: &mut Client, address: &Address) -> Result<()> {
    let ask = "set client_min_messages = warning; set statement_timeout = 0; set idle_in_transaction_session_timeout = 0; \
         select current_setting('server_version_num'), floor(extract(epoch from clock_timestamp()))";
    let answer = client.simple_query(ask).map_err(|cause| words::trouble(address, &cause, Doing::Connecting))?;
    let row = answer.iter().find_map(|message| match message {
        SimpleQueryMessage::Row(row) => Some(row),
        _ => None,
    });
    let number = |at: usize| row.and_then(|row| row.get(at)?.parse::<f64>().ok()).unwrap_or_default() as i64;
    if number(0) < OLDEST_SERVER {
        let what = format!("the database server is PostgreSQL {}, which is too old", number(0) / 10_000);
        let advice = "use a server of version 13 or newer";
        return Err(Error::new(ErrorKind::Input, what, advice).in_file(address.shown()));
    }
    let now = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |since| since.as_secs());
    let apart = now.abs_diff(number(1).unsigned_abs());
    if apart > CLOCKS_APART {
        let what = format!(
            "the clocks of this machine and of the database server are {} minutes apart, so that they may not agree on who \
             is held today",
            apart / 60
        );
        let advice = "set the clock that is wrong, then give the same command again";
        return Err(Error::new(ErrorKind::Input, what, advice).in_file(address.shown()));
    }
    Ok(())
}

/// Why no connection could be made, in words.
pub(super) fn trouble(address: &Address, cause: &postgres::Error) -> Error {
    let error = |what: String, advice: String| Error::new(ErrorKind::Input, what, advice).in_file(address.shown());
    let said = cause.as_db_error().map(|error| error.message().to_owned());
    let (user, host) = (&address.user, &address.host);
    match cause.code() {
        Some(&SqlState::INVALID_PASSWORD) => error(
            format!("the bank cannot be opened: the password of the database user \"{user}\" is wrong or not known here"),
            "put it into ~/.pgpass (host:port:database:user:password, readable by you alone), or into PGPASSWORD in the \
             environment"
                .to_owned(),
        ),
        Some(&SqlState::INVALID_AUTHORIZATION_SPECIFICATION) => {
            let said = said.unwrap_or_default();
            let advice = if address.tls == Tls::Off && said.contains("no encryption") {
                "the server asks for TLS: write sslmode=verify-full in the address, with sslrootcert=FILE if its authority is \
                 your own"
                    .to_owned()
            } else {
                format!("look whether the user \"{user}\" is right, and whether the server lets it in from here")
            };
            error(format!("the bank cannot be opened: {said}"), advice)
        }
        Some(&SqlState::CANNOT_CONNECT_NOW | &SqlState::ADMIN_SHUTDOWN | &SqlState::TOO_MANY_CONNECTIONS) => {
            let what = format!("the bank cannot be reached, so nobody would be held ({})", said.unwrap_or_default());
            let advice = "wait until the server is ready; a run can go on with a copy that bank snapshot made: --bank-copy FILE";
            Error::new(ErrorKind::Unreachable, what, advice).in_file(address.shown())
        }
        Some(&SqlState::INVALID_CATALOG_NAME) => error(
            format!("the bank cannot be opened: the server has no database \"{}\"", address.database),
            "look whether its name is right; createdb makes one".to_owned(),
        ),
        Some(_) => error(
            format!("the bank cannot be opened: {}", said.unwrap_or_default()),
            "look at the server, then give the same command again".to_owned(),
        ),
        None => unreachable(address, host, cause),
    }
}

fn unreachable(address: &Address, host: &str, cause: &postgres::Error) -> Error {
    let why = std::error::Error::source(cause).map_or_else(|| cause.to_string(), ToString::to_string);
    let is_certificate = matches!(address.tls, Tls::Verified(_)) && (why.contains("ertificate") || why.contains("TLS"));
    let (kind, what, advice) = if why.contains("password missing") {
        (
            ErrorKind::Input,
            format!("the bank cannot be opened: the server asks for the password of \"{}\"", address.user),
            "put it into ~/.pgpass (host:port:database:user:password, readable by you alone), or into PGPASSWORD in the \
             environment",
        )
    } else if is_certificate {
        (
            ErrorKind::Input,
            format!("the bank cannot be opened: {host} cannot show that it is the right server ({why})"),
            "name the certificate of its authority in the address: sslrootcert=FILE; sslmode=disable goes without TLS",
        )
    } else {
        (
            ErrorKind::Unreachable,
            format!("the bank cannot be reached, so nobody would be held ({why})"),
            "look whether the server runs and can be reached from here; a run can go on with a copy that bank snapshot made: \
             --bank-copy FILE",
        )
    };
    Error::new(kind, what, advice).in_file(address.shown())
}

impl Database {
    /// What became of a change whose end was not heard, as the server says.
    pub(super) fn what_became_of(&self, number: &str) -> Result<()> {
        let unknown = || {
            let what = "the connection to the bank was lost at the very end, so that it is not known whether the change took \
                 effect";
            let advice = "look with pebblebank bank history before you give the same command again";
            Error::new(ErrorKind::Output, what, advice).in_file(self.address.shown())
        };
        // The server may still be at it, or just be coming back.
        for pause in [0, 200, 1_000, 3_000] {
            std::thread::sleep(Duration::from_millis(pause));
            let Ok(again) = connect(&self.address) else { continue };
            let status = format!("select pg_xact_status('{number}'::xid8)");
            let answer = again.client()?.simple_query(&status).map_err(|_| unknown())?;
            let status = answer.iter().find_map(|message| match message {
                SimpleQueryMessage::Row(row) => row.get(0).map(str::to_owned),
                _ => None,
            });
            match status.as_deref() {
                Some("committed") => {
                    self.client.replace(again.client.into_inner());
                    self.prepared.borrow_mut().clear();
                    return Ok(());
                }
                Some("aborted") => {
                    let what = "the connection to the bank was lost, so nothing was changed in it";
                    let advice = "look whether the server runs and can be reached, then give the same command again";
                    return Err(Error::new(ErrorKind::Output, what, advice).in_file(self.address.shown()));
                }
                _ => {}
            }
        }
        Err(unknown())
    }
}
