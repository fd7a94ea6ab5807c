//! Exports of any number of rows, shaped like the demo's, for benchmarks: three sources, four lists, a job.

use crate::export::{no_address, typed};
use crate::people::person;
use crate::rng::Rng;
use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::path::Path;

/// The name of the job file.
pub const JOB_FILE: &str = "large.toml";

/// Writes sources of `rows` rows in all, their lists and a job into `folder`. Fields never need quotes but for
/// some of the companies and walks.
pub fn write(folder: &Path, rows: usize, seed: u64) -> io::Result<()> {
    std::fs::create_dir_all(folder)?;
    let people = (rows * 70 / 100).max(1);
    let mut rng = Rng::new(seed, 77);
    let parts = [rows / 2, rows * 3 / 10, rows - rows / 2 - rows * 3 / 10];
    let heads = [
        "Email Address,First Name,Last Name,Company,Town,Postcode\n",
        "Name;E-mail;Phone;Walk\n",
        "id\temail\tfirst_name\tlast_name\tstatus\n",
    ];
    for (part, (rows, head)) in parts.into_iter().zip(heads).enumerate() {
        let name = ["shop.csv", "walks.csv", "sign-ups.tsv"][part];
        let mut out = BufWriter::with_capacity(1 << 20, File::create(folder.join(name))?);
        out.write_all(head.as_bytes())?;
        for row in 0..rows {
            let person = person(seed, rng.below(people));
            let full_name = format!("{} {}", person.first, person.last);
            let address = if rng.percent(4) {
                no_address(&person.address, &mut rng)
            } else {
                typed(&person.address, &full_name, &mut rng)
            };
            let address = if address.contains('"') { format!("\"{}\"", address.replace('"', "\"\"")) } else { address };
            match part {
                0 => {
                    let company = person.company.unwrap_or_default().replace('"', "\"\"");
                    writeln!(
                        out,
                        "{address},{},{},\"{company}\",{},{}",
                        person.first, person.last, person.town, person.postcode
                    )?;
                }
                1 => writeln!(out, "{full_name};\"{}\";{};Bluebells", address.trim_matches('"'), person.phone)?,
                _ => {
                    let status = if rng.percent(6) { "unsubscribed" } else { "subscribed" };
                    writeln!(out, "{row}\t{address}\t{}\t{}\t{status}", person.first, person.last)?;
                }
            }
        }
        out.flush()?;
    }
    write_lists(folder, people, seed)?;
    std::fs::write(folder.join(JOB_FILE), JOB)
}

/// The address of the person of this number, as lists write it.
pub fn address(seed: u64, number: usize) -> String {
    person(seed, number).address
}

fn write_lists(folder: &Path, people: usize, seed: u64) -> io::Result<()> {
    for (name, step) in [("do-not-contact.csv", 101), ("opted-out.csv", 37), ("bounced.csv", 41), ("sent.csv", 6)] {
        let mut out = BufWriter::with_capacity(1 << 20, File::create(folder.join(name))?);
        out.write_all(b"email\n")?;
        for number in (0..people).step_by(step) {
            writeln!(out, "{}", address(seed, number))?;
        }
        if step == 101 {
            out.write_all(b"@hotel.example\nsandbar.example\n")?;
        }
        out.flush()?;
    }
    Ok(())
}

const JOB: &str = r#"[job]
name = "large"
[[source]]
name = "shop"
files = ["shop.csv"]
[[source]]
name = "walks"
files = ["walks.csv"]
[[source]]
name = "sign-ups"
files = ["sign-ups.tsv"]
[[suppress]]
name = "do not contact"
files = ["do-not-contact.csv"]
[[suppress]]
name = "opted out"
files = ["opted-out.csv"]
reason = "opted-out"
[[suppress]]
name = "bounced"
files = ["bounced.csv"]
reason = "bounced"
[[suppress]]
name = "sent"
files = ["sent.csv"]
reason = "already-sent"
[[write]]
file = "import.csv"
layout = "import"
[layout.import]
columns = [
  { name = "Email", from = "email", required = true },
  { name = "First name", from = "first_name" },
  { name = "Last name", from = "last_name" },
  { name = "Town", from = "city" },
]
"#;
