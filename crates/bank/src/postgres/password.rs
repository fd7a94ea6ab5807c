//! Where the password comes from: the environment (`PGPASSWORD`), else a file of passwords in `PostgreSQL`'s own form (its
//! documentation, section 34.16): lines `host:port:database:user:password`, with `*` for any and `\` before `:` and `\`.

use super::address::Address;
use pebblebank_table::{Error, ErrorKind, Result};
use std::path::{Path, PathBuf};

/// The password for an address; none where none is kept.
pub(super) fn password(address: &Address) -> Result<Option<String>> {
    let of_environment = |name: &str| std::env::var(name).ok().filter(|value| !value.is_empty());
    if let Some(password) = of_environment("PGPASSWORD").filter(|_| address.password_file.is_none()) {
        return Ok(Some(password));
    }
    let named = address.password_file.clone().or_else(|| of_environment("PGPASSFILE").map(PathBuf::from));
    let is_named = named.is_some();
    let Some(file) = named.or_else(|| of_environment("HOME").map(|home| Path::new(&home).join(".pgpass"))) else {
        return Ok(None);
    };
    match std::fs::read_to_string(&file) {
        Ok(text) => {
            refuse_readable(&file)?;
            Ok(text.lines().find_map(|line| password_of(line, address)))
        }
        Err(_) if !is_named => Ok(None),
        Err(cause) => Err(Error::unreadable(&file, &cause)),
    }
}

/// Fails where others than its owner can read the file.
#[cfg(unix)]
fn refuse_readable(file: &Path) -> Result<()> {
    use std::os::unix::fs::PermissionsExt;
    let mode = std::fs::metadata(file).map_or(0, |about| about.permissions().mode());
    let of_others = 0o077;
    if mode & of_others == 0 {
        return Ok(());
    }
    let what = "others on this machine can read the file of passwords, so it is not used";
    Err(Error::new(ErrorKind::Input, what, "make it readable by you alone: chmod 600").in_file(file))
}

#[cfg(not(unix))]
fn refuse_readable(_file: &Path) -> Result<()> {
    Ok(())
}

/// The password in a line, where the line is for this address.
fn password_of(line: &str, address: &Address) -> Option<String> {
    if line.starts_with('#') {
        return None;
    }
    let parts = parts(line);
    let (password, named) = parts.split_last()?;
    let port = address.port.to_string();
    let host = if address.host.starts_with('/') { "localhost" } else { &address.host };
    let own = [host, &port, &address.database, &address.user];
    let fits = named.len() == own.len() && named.iter().zip(own).all(|(named, own)| named == "*" || named == own);
    fits.then(|| password.clone())
}

/// The parts between colons; the last one is everything behind the fourth.
fn parts(line: &str) -> Vec<String> {
    let mut parts = Vec::new();
    let mut part = String::new();
    let mut signs = line.chars();
    while let Some(sign) = signs.next() {
        match sign {
            '\\' => part.extend(signs.next()),
            ':' if parts.len() < 4 => parts.push(std::mem::take(&mut part)),
            sign => part.push(sign),
        }
    }
    parts.push(part);
    parts
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)] // a failure is a failed test

    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::all_of_it("db.inkwell.example:5432:lists:ida:open", Some("open"))]
    #[case::any("*:*:*:ida:a:b\\\\c", Some("a:b\\c"))]
    #[case::another_user("*:*:*:hugo:open", None)]
    #[case::a_remark("#*:*:*:ida:open", None)]
    #[case::too_short("ida:open", None)]
    fn a_line_is_for_an_address(#[case] line: &str, #[case] password: Option<&str>) {
        let address = Address::read("postgres://ida@db.inkwell.example/lists").unwrap();
        assert_eq!(password_of(line, &address).as_deref(), password);
    }

    #[cfg(unix)]
    #[test]
    fn a_file_that_others_can_read_is_not_used() {
        use std::os::unix::fs::PermissionsExt;
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("passwords");
        std::fs::write(&file, "*:*:*:*:open\n").unwrap();
        std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o644)).unwrap();
        let address = Address::read(&format!("postgres://ida@localhost/lists?passfile={}", file.display())).unwrap();
        assert!(password(&address).unwrap_err().what().contains("others"));
        std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o600)).unwrap();
        assert_eq!(password(&address).unwrap().as_deref(), Some("open"));
    }
}
