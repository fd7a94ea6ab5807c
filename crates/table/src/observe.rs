//! The one way in which a run speaks while it works: progress and findings.

use crate::units::RowNumber;
use schemars::JsonSchema;
use serde::Serialize;

/// What a run is busy with.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Stage {
    /// The first pass: reading, mapping, cleaning.
    Reading,
    /// Between the passes: who is the same person, who is held.
    Settling,
    /// Between the passes: what people are given from their other rows and from lists.
    Filling,
    /// Looking for near duplicates.
    Comparing,
    /// Finding out who is picked, where not all are wanted.
    Picking,
    /// The second pass: requirements, layouts, writing.
    Writing,
    /// Asking the network; what is counted as bytes are questions.
    Asking,
    /// Asking mail servers; what is counted as bytes are addresses.
    AskingMail,
    /// Putting the finished files in place.
    Placing,
}

/// How asking others ended.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Ended {
    /// What went wrong for all, if anything did.
    pub trouble: Option<String>,
    /// Whether somebody stopped it: what was handed over before counts.
    pub is_stopped: bool,
}

impl Ended {
    /// Something went wrong for all.
    #[must_use]
    pub fn with(trouble: String) -> Ended {
        Ended { trouble: Some(trouble), is_stopped: false }
    }

    /// Somebody stopped it.
    #[must_use]
    pub fn stopped() -> Ended {
        Ended { trouble: None, is_stopped: true }
    }
}

/// How far a stage has come.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Progress {
    /// Which stage.
    pub stage: Stage,
    /// Bytes of input done in this stage.
    pub bytes: u64,
    /// Bytes of input in all; 0 where the stage does not go by bytes.
    pub bytes_in_all: u64,
    /// Records done in this stage.
    pub rows: u64,
}

/// How much a finding matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, JsonSchema, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Weight {
    /// Likely a mistake: look before you use the result.
    Warning,
    /// What was taken to be the case, and could be otherwise.
    Doubt,
    /// Worth knowing.
    Note,
}

/// Something that the user should see, and that stopped nothing.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct Finding {
    /// A stable short name, for programs.
    pub code: &'static str,
    /// How much it matters.
    pub weight: Weight,
    /// The file, as the user would recognise it.
    pub file: Option<String>,
    /// The column's header.
    pub column: Option<String>,
    /// How often it was met.
    pub count: u64,
    /// The first few records in which it was met.
    pub rows: Vec<u64>,
    /// The sentence, without personal data.
    pub text: String,
    /// The sentence for somebody who works with a job file: it names the key where `text` names an option.
    #[serde(skip)]
    pub text_in_job: Option<String>,
}

/// A count with its noun and verb: `counted(1, "row", "is", "are")` is "1 row is".
pub fn counted(count: u64, noun: &str, one: &str, several: &str) -> String {
    let nouns = noun.strip_suffix("ry").map_or(format!("{noun}s"), |stem| format!("{stem}ries"));
    if count == 1 { format!("1 {noun} {one}") } else { format!("{} {nouns} {several}", grouped(count)) }
}

/// A number as people read it, with commas between thousands.
///
/// ```
/// use pebblebank_table::observe::grouped;
/// assert_eq!([grouped(7), grouped(1_192), grouped(30_000_000)], ["7", "1,192", "30,000,000"]);
/// ```
pub fn grouped(count: u64) -> String {
    let digits = count.to_string();
    let groups: Vec<&[u8]> = digits.as_bytes().rchunks(3).rev().collect();
    groups.iter().map(|group| String::from_utf8_lossy(group)).collect::<Vec<_>>().join(",")
}

/// How many rows a finding names as examples.
pub const EXAMPLE_ROWS: usize = 5;

impl Finding {
    /// A finding without a place.
    pub fn new(code: &'static str, weight: Weight, text: impl Into<String>) -> Finding {
        Finding {
            code,
            weight,
            file: None,
            column: None,
            count: 1,
            rows: Vec::new(),
            text: text.into(),
            text_in_job: None,
        }
    }

    /// Adds the sentence for somebody who works with a job file.
    #[must_use]
    pub fn or_in_job(mut self, text: impl Into<String>) -> Finding {
        self.text_in_job = Some(text.into());
        self
    }

    /// Takes the sentence for somebody who works with a job file, where there is one.
    pub fn tell_for_job(&mut self) {
        if let Some(text) = self.text_in_job.take() {
            self.text = text;
        }
    }

    /// Adds the file.
    #[must_use]
    pub fn in_file(mut self, file: impl Into<String>) -> Finding {
        self.file = Some(file.into());
        self
    }

    /// Adds the column.
    #[must_use]
    pub fn in_column(mut self, header: impl Into<String>) -> Finding {
        self.column = Some(header.into());
        self
    }

    /// Adds where it was met.
    #[must_use]
    pub fn at_rows(mut self, met: &Met) -> Finding {
        self.count = met.count;
        self.rows = met.rows.iter().map(|row| row.0).collect();
        self
    }
}

/// How often something was met, and the first rows of it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Met {
    /// How often.
    pub count: u64,
    /// The first [`EXAMPLE_ROWS`].
    pub rows: Vec<RowNumber>,
}

impl Met {
    /// Met once more.
    pub fn at(&mut self, row: RowNumber) {
        self.count += 1;
        if self.rows.len() < EXAMPLE_ROWS {
            self.rows.push(row);
        }
    }

    /// The same, `rows` further down.
    #[must_use]
    pub fn moved(&self, rows: u64) -> Met {
        Met { count: self.count, rows: self.rows.iter().map(|row| RowNumber(row.0 + rows)).collect() }
    }

    /// Takes over what was met further down in the same file.
    pub fn append(&mut self, later: &Met) {
        self.count += later.count;
        let room = EXAMPLE_ROWS.saturating_sub(self.rows.len());
        self.rows.extend(later.rows.iter().take(room));
    }
}

/// Listens to a run. All methods may be called from several threads.
pub trait Observer: Sync {
    /// The run has come this far.
    fn progress(&self, _progress: Progress) {}

    /// Whether the user wants the run to stop; asked for every chunk.
    fn wants_stop(&self) -> bool {
        false
    }

    /// Whether others shall not be asked any more; what they answered is still used.
    fn wants_end_of_asking(&self) -> bool {
        self.wants_stop()
    }
}

/// An observer that hears nothing.
#[derive(Debug, Clone, Copy, Default)]
pub struct Silent;

impl Observer for Silent {}
