//! Connections to a database, and why one cannot be made.

use super::address::{Address, Tls};
use super::roles::quoted;
use super::{password, tls};
use pebblebank_table::{Error, ErrorKind, Result};
use postgres::config::SslMode;
use postgres::error::SqlState;
use postgres::{Client, Config, NoTls, SimpleQueryMessage};
use std::time::{Duration, SystemTime, UNIX_EPOCH};

/// How long a server may take to answer at all.
const TO_CONNECT: Duration = Duration::from_secs(10);

/// How long a server that was connected may be silent on the line before it counts as gone.
const TO_ANSWER: Duration = Duration::from_secs(60);

/// The first version of `PostgreSQL` that has everything that is needed.
const OLDEST_SERVER: u64 = 130_000;

/// How far the clocks may be apart: entries hold until a day, and both must agree on it.
const CLOCKS_APART: u64 = 600;

/// Connects, and looks whether the server can be worked with.
pub(super) fn connect(address: &Address) -> Result<Client> {
    let fail = |cause: postgres::Error| trouble(address, &cause);
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
    Ok(client)
}

/// Fails where the server is too old or its clock is not that of this machine.
fn look_at_server(client: &mut Client, address: &Address) -> Result<()> {
    // Temporary tables come last, so that none stands for one of the bank.
    let ask = format!(
        "set search_path = {}, pg_temp; set client_min_messages = warning; set statement_timeout = 0; \
         set idle_in_transaction_session_timeout = 0; select current_setting('server_version_num'), cast(floor(extract(epoch from clock_timestamp())) as bigint)",
        quoted(&address.schema)
    );
    let answer = client.simple_query(&ask).map_err(|cause| trouble(address, &cause))?;
    let row = answer.iter().find_map(|message| match message {
        SimpleQueryMessage::Row(row) => Some(row),
        _ => None,
    });
    let number = |at: usize| row.and_then(|row| row.get(at)?.parse::<u64>().ok()).unwrap_or_default();
    let now = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |since| since.as_secs());
    refuse_unfit(number(0), number(1), now).map_err(|error| error.in_file(address.shown()))
}

/// Fails for a server that is too old, or whose clock, in seconds, is not the one of this machine.
fn refuse_unfit(version: u64, server_seconds: u64, own_seconds: u64) -> Result<()> {
    if version < OLDEST_SERVER {
        let what = format!("the database server is PostgreSQL {}, which is too old", version / 10_000);
        return Err(Error::new(ErrorKind::Input, what, "use a server of version 13 or newer"));
    }
    let apart = own_seconds.abs_diff(server_seconds);
    if apart > CLOCKS_APART {
        let what = format!(
            "the clocks of this machine and of the database server are {} minutes apart, so that they may not agree on who \
             is held today",
            apart / 60
        );
        let advice = "set the clock that is wrong, then give the same command again";
        return Err(Error::new(ErrorKind::Input, what, advice));
    }
    Ok(())
}

/// Why no connection could be made, in words.
fn trouble(address: &Address, cause: &postgres::Error) -> Error {
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

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)] // a failure is a failed test

    use super::refuse_unfit;

    #[test]
    fn a_server_that_is_too_old_or_lives_at_another_time_is_refused() {
        const NOW: u64 = 1_796_000_000;
        assert!(refuse_unfit(150_018, NOW + 599, NOW).is_ok());
        assert!(refuse_unfit(150_018, NOW - 601, NOW).unwrap_err().what().contains("10 minutes apart"));
        assert!(refuse_unfit(150_018, NOW + 86_400, NOW).unwrap_err().what().contains("1440 minutes apart"));
        assert!(refuse_unfit(120_020, NOW, NOW).unwrap_err().what().contains("PostgreSQL 12"));
    }
}
