//! Made-up exports and lists of the demo's world, from a seed; of any size for benchmarks.
//!
//! Sandbar Studio prepares mailings for Larkfold Garden. All people are invented, every address is under a
//! reserved domain (RFC 2606), every phone number comes from a range set aside for fiction. The same seed
//! gives the same bytes.

mod bounces;
mod export;
mod formats;
pub mod large;
mod lists;
mod mess;
mod people;
mod playhouse;
mod rng;
mod sources;

use pebblebank_table::owner_only::{self, create_folders};
use std::io::Write;
use std::path::Path;
use std::{fs, io};

/// The seed of the demo.
const SEED: u64 = 20_260_302;

/// The name of the demo's job file.
pub const JOB_FILE: &str = "spring-fair.toml";

/// The name of the job file of the other client.
pub const OTHER_JOB_FILE: &str = "season-opening.toml";

/// The name of the demo's own bank.
pub const BANK_FILE: &str = "bank.sqlite";

/// The moment at which the demo takes place.
pub const MOMENT: &str = "2026-03-02T09:00:00Z";

/// How the domains of the demo answer, for a stand-in of DNS.
pub const DOMAINS: &str = include_str!("domains.toml");

/// How their mail servers answer, for stand-ins of these.
pub const MAIL: &str = include_str!("mail.toml");

/// A file of the demo.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Written {
    /// Its name in the demo's folder.
    pub name: &'static str,
    /// What it is, in a few words.
    pub what: &'static str,
}

/// All files of the demo with their contents.
pub fn files() -> Vec<(Written, Vec<u8>)> {
    let world = people::World::new(SEED);
    let mut files = sources::all(&world);
    files.extend(lists::all(&world));
    files.extend(bounces::all(&world));
    files.extend(playhouse::all(&world));
    let job = Written { name: JOB_FILE, what: "the job: what to read, whom to hold back, what to write" };
    files.push((job, include_bytes!("spring-fair.toml").to_vec()));
    files.extend(formats::all());
    files
}

/// Writes the demo into a folder, which is made if it is not there. Earlier files of the demo are replaced.
pub fn write(folder: &Path) -> io::Result<Vec<Written>> {
    let mut written = Vec::new();
    create_folders(folder)?;
    create_folders(&folder.join("out"))?;
    for (file, contents) in files() {
        let path = folder.join(file.name);
        if let Some(parent) = path.parent() {
            create_folders(parent)?;
        }
        write_file(&path, &contents)?;
        written.push(file);
    }
    Ok(written)
}

/// Writes a file that only its owner may read, as one with people's addresses should be; an earlier one is replaced.
fn write_file(path: &Path, contents: &[u8]) -> io::Result<()> {
    let mut file = match owner_only::create_new(path) {
        Err(cause) if cause.kind() == io::ErrorKind::AlreadyExists => {
            let earlier = fs::File::create(path)?;
            owner_only::restrict(&earlier)?;
            earlier
        }
        created => created?,
    };
    file.write_all(contents)
}
