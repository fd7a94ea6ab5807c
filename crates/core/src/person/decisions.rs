//! What somebody decided about people, in a plain CSV file that can be edited by hand.
//!
//! ```text
//! decision,person,other,note,day
//! same,ida.moss@post.example,ida.mos@post.example,,2026-03-02
//! different,j.quill@post.example,jo.quill@post.example,mother and daughter,2026-03-02
//! take-out,phone = +442079460001,,asked by telephone not to be invited,2026-03-02
//! ```
//!
//! People go by their identity, not by a row's number, so that the file is still right when the exports come anew: by
//! their address, or by a field and its cleaned value.

use pebblebank_table::csv::Defusing;
use pebblebank_table::error::closest;
use pebblebank_table::saved_table::rows;
use pebblebank_table::staged::write_alone;
use pebblebank_table::{CsvBuffer, Error, ErrorKind, Result};
use pebblebank_values::address::{AddressCleaner, State};
use pebblebank_values::{Cleaned, Field, phone};
use std::borrow::Cow;
use std::collections::HashMap;
use std::path::Path;
use strum::VariantArray;

/// What the file is called, beside the receipt, where nobody says otherwise.
pub const DECISIONS_FILE: &str = "decisions.csv";

/// The columns of the file.
pub const HEADER: [&str; 5] = ["decision", "person", "other", "note", "day"];

/// What was decided.
#[derive(Debug, Clone, Copy, PartialEq, Eq, strum::EnumString, strum::IntoStaticStr, strum::VariantArray)]
#[strum(serialize_all = "kebab-case")]
pub enum Verdict {
    /// The two are one person.
    Same,
    /// They are not, and are not asked about again.
    Different,
    /// The person is not written.
    TakeOut,
}

impl Verdict {
    /// As it is in the file.
    pub fn name(self) -> &'static str {
        self.into()
    }
}

/// Who is meant.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Named {
    /// The one with this address, cleaned.
    Address(String),
    /// The one with this value in this field.
    By(Field, String),
}

impl Named {
    /// Reads `ida@post.example` or `phone = +442079460001`.
    pub fn parse(text: &str) -> Option<Named> {
        if let Some((field, value)) = text.split_once('=')
            && let Some(field) = Field::from_name(field.trim())
        {
            let value = value.trim();
            let mut cleaned = String::new();
            let is_repaired =
                field == Field::Phone && matches!(phone::clean(value, None, &mut cleaned), Cleaned::Repaired(_));
            let value = if is_repaired { &cleaned } else { value };
            return (!value.is_empty() && field != Field::Email).then(|| Named::By(field, value.to_owned()));
        }
        let mut cleaner = AddressCleaner::default();
        let address = cleaner.clean(text.as_bytes());
        let identity = String::from_utf8_lossy(address.identity).into_owned();
        // What cannot be used as an address still names the rows that have it.
        matches!(address.state, State::Usable | State::Invalid(_)).then_some(Named::Address(identity))
    }

    /// As it is in the file.
    pub fn text(&self) -> Cow<'_, str> {
        match self {
            Named::Address(address) => address.into(),
            Named::By(field, value) => format!("{field} = {value}").into(),
        }
    }
}

/// A decision.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Decision {
    /// What was decided.
    pub verdict: Verdict,
    /// About whom.
    pub person: Named,
    /// And whom; none where somebody is taken out.
    pub other: Option<Named>,
    /// Why, in somebody's words.
    pub note: String,
    /// When.
    pub day: String,
    /// The line of the file.
    pub line: usize,
}

impl Decision {
    /// Everybody whom it names.
    pub fn people(&self) -> impl Iterator<Item = &Named> {
        std::iter::once(&self.person).chain(&self.other)
    }
}

/// All decisions of a file.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Decisions {
    /// In the order of the file.
    pub all: Vec<Decision>,
}

impl Decisions {
    /// Reads a file; none where it is not there yet.
    pub fn read(path: &Path) -> Result<Option<Decisions>> {
        let bytes = match std::fs::read(path) {
            Err(cause) if cause.kind() == std::io::ErrorKind::NotFound => return Ok(None),
            other => other.map_err(|cause| Error::unreadable(path, &cause))?,
        };
        let decisions = Decisions::parse(&bytes).map_err(|error| error.in_file(path))?;
        decisions.check().map_err(|error| error.in_file(path))?;
        Ok(Some(decisions))
    }

    fn parse(bytes: &[u8]) -> Result<Decisions> {
        let text = String::from_utf8(bytes.to_vec()).map_err(|_| {
            Error::new(ErrorKind::Input, "the decisions are not text in UTF-8", "save the file as CSV in UTF-8")
        })?;
        let text = text.trim_start_matches('\u{FEFF}');
        let rows = rows(text);
        let Some(((_, header), rows)) = rows.split_first() else { return Ok(Decisions::default()) };
        let place = |name: &str| header.iter().position(|cell| cell.trim().eq_ignore_ascii_case(name));
        let [Some(decision), Some(person), other, note, day] = HEADER.map(place) else {
            return Err(Error::new(
                ErrorKind::Columns,
                "the file of decisions lacks a column",
                "begin it with the line decision,person,other,note,day",
            )
            .at_line(1, &header.join(",")));
        };
        let mut all = Vec::new();
        for (line, row) in rows.iter().filter(|(_, row)| row.iter().any(|cell| !cell.trim().is_empty())) {
            let cell = |place: Option<usize>| place.and_then(|place| row.get(place)).map_or("", |cell| cell.trim());
            let wrong = |what: String, advice: &str| Err(Error::new(ErrorKind::Input, what, advice).at_line(*line, ""));
            let word = cell(Some(decision)).to_lowercase();
            let Ok(verdict) = word.parse::<Verdict>() else {
                let near = closest(&word, Verdict::VARIANTS.iter().map(|verdict| verdict.name()));
                let near =
                    near.map_or("write same, different or take-out".to_owned(), |near| format!("did you mean {near}?"));
                return wrong(format!("\"{word}\" is no decision"), &near);
            };
            let named = |place: Option<usize>, column: &str| {
                Named::parse(cell(place)).ok_or_else(|| {
                    Error::new(
                        ErrorKind::Input,
                        format!("the column \"{column}\" names nobody"),
                        "write an address, or a field and its value, such as phone = +442079460001",
                    )
                    .at_line(*line, "")
                })
            };
            let person = named(Some(person), "person")?;
            let other = if verdict == Verdict::TakeOut { None } else { Some(named(other, "other")?) };
            if other.as_ref() == Some(&person) {
                return wrong("both sides name the same person".to_owned(), "name two, or take the line out");
            }
            let (note, day) = (cell(note).to_owned(), cell(day).to_owned());
            all.push(Decision { verdict, person, other, note, day, line: *line });
        }
        Ok(Decisions { all })
    }

    /// Fails where they contradict each other.
    pub fn checked(&self) -> Result<()> {
        self.check()
    }

    /// Nobody can be the same person as somebody and not, also not by way of others.
    fn check(&self) -> Result<()> {
        let mut numbers: HashMap<&Named, usize> = HashMap::new();
        for named in self.all.iter().flat_map(Decision::people) {
            let next = numbers.len();
            numbers.entry(named).or_insert(next);
        }
        let mut parent: Vec<usize> = (0..numbers.len()).collect();
        let root = |parent: &[usize], mut at: usize| {
            while parent[at] != at {
                at = parent[at];
            }
            at
        };
        let pair = |decision: &Decision| {
            let other = decision.other.as_ref()?;
            Some((numbers[&decision.person], numbers[other]))
        };
        let of = |verdict: Verdict| self.all.iter().filter(move |decision| decision.verdict == verdict);
        for (a, b) in of(Verdict::Same).filter_map(pair) {
            let (a, b) = (root(&parent, a), root(&parent, b));
            parent[a.max(b)] = a.min(b);
        }
        for decision in of(Verdict::Different) {
            let Some((a, b)) = pair(decision) else { continue };
            let group = root(&parent, a);
            if group != root(&parent, b) {
                continue;
            }
            let joined = |same: &&Decision| pair(same).is_some_and(|(a, _)| root(&parent, a) == group);
            let lines: Vec<String> = of(Verdict::Same).filter(joined).map(|same| same.line.to_string()).collect();
            let what = format!(
                "this line says that two are different people, and line {} that they are the same",
                lines.join(", ")
            );
            return Err(Error::new(ErrorKind::Input, what, "take out the one that is wrong")
                .at_line(decision.line, "different"));
        }
        Ok(())
    }

    /// Writes the file anew.
    pub fn write(&self, path: &Path) -> Result<()> {
        let mut out = CsvBuffer::new(Defusing::On);
        for name in HEADER {
            out.value(name.as_bytes());
        }
        out.end_row();
        for decision in &self.all {
            out.value(decision.verdict.name().as_bytes());
            out.value(decision.person.text().as_bytes());
            out.value(decision.other.as_ref().map(Named::text).unwrap_or_default().as_bytes());
            out.value(decision.note.as_bytes());
            out.value(decision.day.as_bytes());
            out.end_row();
        }
        write_alone(path, &out.bytes, true)
    }

    /// Whether it was decided about these two already.
    pub fn decides(&self, a: &Named, b: &Named) -> bool {
        let is_pair = |decision: &Decision| {
            let other = decision.other.as_ref();
            (decision.person == *a && other == Some(b)) || (decision.person == *b && other == Some(a))
        };
        self.all.iter().any(is_pair)
    }
}
