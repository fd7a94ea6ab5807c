//! What a checking service elsewhere sent back: addresses with a word for each, in whatever columns and words.
//!
//! The column is the one whose values are words of such services; a word that is not known stops, since it may call somebody dead
//! or fine.

use crate::columns::wishes::ConsentQuestions;
use crate::job::sources::{ReadFiles, Source};
use crate::job::{Job, Write};
use crate::person::same::PersonWishes;
use crate::require::Requirement;
use crate::run::decide::known::Known;
use crate::run::decide::read_again::{RowAgain, Wants, read_again};
use crate::run::decide::read_and_decide;
use crate::run::open::Opening;
use crate::run::open::files::OpenFile;
use crate::run::setting::Setting;
use pebblebank_table::cell;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::sorter::{Sorted, Sorter};
use pebblebank_table::units::{ColumnIndex, RowId, SourceId};
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::date::Date;
use pebblebank_values::fold::fold;
use pebblebank_values::verdict::Why;
use pebblebank_values::verdict_words::{self, Word};
use pebblebank_values::{Field, yes_no};
use std::collections::BTreeMap;
use std::path::PathBuf;
use std::str::FromStr;

/// The most different words that a column of verdicts has; one of free text has more.
const MOST_WORDS: usize = 400;

/// Of several columns with such words, those with one of these headers come first, in this order.
const HEADERS: [&str; 12] = [
    "verdict",
    "email verdict",
    "result",
    "email result",
    "validation result",
    "verification result",
    "email status",
    "validation status",
    "verification status",
    "status",
    "state",
    "deliverability",
];

/// How many of these leave no doubt; the others may be a list's own column, such as that of its subscriptions.
const CLEAR_HEADERS: usize = 9;

/// What is asked.
#[derive(Debug, Clone)]
pub struct ResultsWishes {
    /// The file.
    pub file: ReadFiles,
    /// What it is called.
    pub name: String,
    /// The column with the verdicts, by its header; none for the one that is found.
    pub column: Option<String>,
    /// What words mean, folded, besides those that are known.
    pub means: BTreeMap<String, Why>,
    /// The day.
    pub today: Date,
}

/// What was read.
#[derive(Debug)]
pub struct Results {
    /// The file, as given.
    pub file: String,
    /// Its rows.
    pub rows: u64,
    /// The header of the column with the verdicts.
    pub column: String,
    /// Other columns that look like one.
    pub also: Vec<String>,
    /// How often each word stands in it, and how it was read.
    pub words: BTreeMap<String, (Why, u64)>,
    /// Rows without an address, or with one that cannot be used.
    pub without_address: u64,
    /// Rows without a word.
    pub without_word: u64,
    sorter: Sorter,
}

/// The addresses of results, each once, in their order.
#[derive(Debug)]
pub struct EachResult {
    sorted: Sorted,
    next: Option<(String, Why)>,
    /// Addresses that stood there with different verdicts; they are unknown.
    pub contradicting: u64,
}

/// Reads the file.
///
/// # Errors
///
/// Where it cannot be read, no column or several could be it, or a word is not known.
pub fn read_results(wishes: &ResultsWishes, setting: &Setting, observer: &dyn Observer) -> Result<Results> {
    let job = job(wishes);
    let opening = Opening::of(&job, setting, observer)?;
    let [file] = opening.sources() else {
        return Err(Error::new(
            ErrorKind::Input,
            "this has several files in it",
            "name one of its files, as in results.zip/all.csv",
        ));
    };
    if file.map().column(Field::Email).is_none() {
        let what = "no column of this file was recognised as e-mail addresses";
        return Err(
            Error::new(ErrorKind::Columns, what, "say which it is: --field \"email=…\"").in_file(file.input.path())
        );
    }
    let known = read_and_decide(opening, &job, setting, observer)?;
    let file = &known.files.sources[0];
    let words = words_of_columns(&known, setting, observer)?;
    let found = column_of(wishes, file, &words).map_err(|error| error.in_file(file.input.path()))?;
    let meanings = meanings(wishes, file, &found, &words).map_err(|error| error.in_file(file.input.path()))?;
    let mut results = Results {
        file: file.input.name(),
        rows: known.source_counts[0].contacts,
        column: file.map().header(found.column).to_owned(),
        also: found.also.iter().map(|column| file.map().header(*column).to_owned()).collect(),
        words: BTreeMap::new(),
        without_address: 0,
        without_word: 0,
        sorter: Sorter::new(setting.memory / 8, &known.spool_folder),
    };
    let wants = Wants { rows: |_: RowId| true, values: None, stage: Stage::Settling };
    let each = |again: &RowAgain, found_words: &mut Vec<(Option<String>, String)>| {
        let address = &again.contact.address;
        let identity = address.is_usable().then(|| String::from_utf8_lossy(address.identity).into_owned());
        let word = again.contact.as_meant.raw(found.column.0);
        found_words.push((identity, cell::text(word).trim().to_owned()));
    };
    read_again(&known, setting, observer, &wants, each, |rows: Vec<(Option<String>, String)>| {
        for (identity, word) in rows {
            let (why, identity) = match (meanings.get(&fold(&word)), identity) {
                (None, _) => {
                    results.without_word += 1;
                    continue;
                }
                (Some(_), None) => {
                    results.without_address += 1;
                    continue;
                }
                (Some(why), Some(identity)) => (*why, identity),
            };
            results.words.entry(word).or_insert((why, 0)).1 += 1;
            results.sorter.push(identity.as_bytes(), why.name().as_bytes())?;
        }
        Ok(())
    })?;
    Ok(results)
}

fn job(wishes: &ResultsWishes) -> Job {
    Job {
        sources: vec![Source::new(&wishes.name, wishes.file.clone())],
        person: PersonWishes { near_duplicates: Some(false), ..PersonWishes::default() },
        require: Requirement { fields: Vec::new(), ..Requirement::default() },
        writes: vec![Write::as_copied(PathBuf::from("results"), "")],
        consent_questions: ConsentQuestions::Warn,
        ..Job::new("results", wishes.today)
    }
}

/// The words of one column, folded, with how often each stands there; none where there are too many for verdicts.
type Words = Option<BTreeMap<String, u64>>;

fn words_of_columns(known: &Known, setting: &Setting, observer: &dyn Observer) -> Result<Vec<Words>> {
    let width = known.files.sources[0].map().width();
    let mut words: Vec<Words> = vec![Some(BTreeMap::new()); width];
    let wants = Wants { rows: |_: RowId| true, values: None, stage: Stage::Reading };
    let each = |again: &RowAgain, found: &mut Vec<BTreeMap<String, u64>>| {
        found.resize(width, BTreeMap::new());
        for (column, words) in found.iter_mut().enumerate() {
            // One more than can be of verdicts shows that these are none.
            if words.len() <= MOST_WORDS {
                *words.entry(fold(&cell::text(again.contact.as_meant.raw(column)))).or_default() += 1;
            }
        }
    };
    read_again(known, setting, observer, &wants, each, |found: Vec<BTreeMap<String, u64>>| {
        for (all, found) in words.iter_mut().zip(found) {
            let Some(counts) = all else { continue };
            for (word, count) in found {
                *counts.entry(word).or_default() += count;
            }
            if counts.len() > MOST_WORDS {
                *all = None;
            }
        }
        Ok(())
    })?;
    Ok(words)
}

/// The column of verdicts.
struct FoundColumn {
    column: ColumnIndex,
    /// Whether yes and no stand there for valid and invalid.
    is_yes_or_no: bool,
    also: Vec<ColumnIndex>,
}

fn column_of(wishes: &ResultsWishes, file: &OpenFile<SourceId>, words: &[Words]) -> Result<FoundColumn> {
    let map = file.map();
    let is_yes_or_no =
        |column: usize| says_valid(map.header(ColumnIndex(column))) && is_yes_and_no(words[column].as_ref());
    if let Some(name) = &wishes.column {
        let column = map.headers.column(&fold(name)).ok_or_else(|| {
            let headers = map.headers.iter().map(|header| format!("\"{header}\"")).collect::<Vec<_>>().join(", ");
            Error::new(
                ErrorKind::Columns,
                format!("there is no column \"{name}\""),
                format!("its columns are {headers}"),
            )
        })?;
        return Ok(FoundColumn { column, is_yes_or_no: is_yes_or_no(column.0), also: Vec::new() });
    }
    let email = map.column(Field::Email);
    let mut candidates: Vec<(usize, std::cmp::Reverse<u64>, usize)> = (0..words.len())
        .filter(|column| Some(ColumnIndex(*column)) != email)
        .filter_map(|column| {
            let counts = words[column].as_ref()?;
            let listed =
                |word: &str| matches!(verdict_words::read(word), Word::Is(_)) || wishes.means.contains_key(word);
            let of = |wanted: &dyn Fn(&str) -> bool| -> u64 {
                counts.iter().filter(|(word, _)| !word.is_empty() && wanted(word)).map(|(_, count)| count).sum()
            };
            let (filled, known) = (of(&|_| true), of(&listed));
            let rank = HEADERS.iter().position(|header| *header == fold(map.header(ColumnIndex(column))));
            let is_it = filled > 0 && known * 2 >= filled || is_yes_or_no(column);
            is_it.then_some((rank.unwrap_or(HEADERS.len()), std::cmp::Reverse(known), column))
        })
        .collect();
    candidates.sort_unstable();
    let Some((rank, _, column)) = candidates.first().copied() else {
        let what = "no column has words of an address check, such as valid, invalid, risky or unknown";
        let advice = "look whether it is the file that came back; --status COLUMN names the column, --status-means \"WORD=invalid\" a word";
        return Err(Error::new(ErrorKind::Columns, what, advice));
    };
    if rank >= CLEAR_HEADERS && candidates.len() > 1 {
        let names = candidates.iter().map(|(_, _, column)| format!("\"{}\"", map.header(ColumnIndex(*column))));
        let names = names.collect::<Vec<_>>().join(", ");
        let what = format!(
            "several columns have words of an address check ({names}), and only one can decide; nothing was changed"
        );
        let advice = format!("say which: --status \"{}\"", map.header(ColumnIndex(column)));
        return Err(Error::new(ErrorKind::Question, what, advice));
    }
    Ok(FoundColumn {
        column: ColumnIndex(column),
        is_yes_or_no: is_yes_or_no(column),
        also: candidates[1..].iter().map(|(_, _, column)| ColumnIndex(*column)).collect(),
    })
}

/// Whether a yes below this header calls an address valid.
fn says_valid(header: &str) -> bool {
    let folded = fold(header);
    folded.split(' ').any(|word| {
        matches!(word, "valid" | "deliverable" | "verified" | "isvalid" | "gultig" | "valide" | "valido" | "geldig")
    })
}

fn is_yes_and_no(words: Option<&BTreeMap<String, u64>>) -> bool {
    words.is_some_and(|words| {
        let filled = || words.keys().filter(|word| !word.is_empty());
        filled().next().is_some() && filled().all(|word| yes_no::read(word).is_some())
    })
}

/// What each word of the column means, folded.
fn meanings(
    wishes: &ResultsWishes,
    file: &OpenFile<SourceId>,
    found: &FoundColumn,
    words: &[Words],
) -> Result<BTreeMap<String, Why>> {
    const SHOWN: usize = 5;
    let header = file.map().header(found.column);
    let Some(words) = &words[found.column.0] else {
        let what = format!("the column \"{header}\" has more different values than an address check has words");
        return Err(Error::new(ErrorKind::Columns, what, "--status COLUMN names the column with the verdicts"));
    };
    let mut meanings = BTreeMap::new();
    let mut unlisted = Vec::new();
    for (word, count) in words {
        let own = wishes.means.get(word).map(|why| Word::Is(*why));
        let yes_or_no = yes_no::read(word).filter(|_| found.is_yes_or_no);
        let yes_or_no = yes_or_no.map(|yes| Word::Is(if yes { Why::ReportedValid } else { Why::ReportedInvalid }));
        match own.or(yes_or_no).unwrap_or_else(|| verdict_words::read(word)) {
            Word::Is(why) => drop(meanings.insert(word.clone(), why)),
            Word::Blank => {}
            Word::Unlisted => unlisted.push(format!("\"{word}\" ({count})")),
        }
    }
    let Some(first) = unlisted.first() else { return Ok(meanings) };
    let first = first.split('"').nth(1).unwrap_or_default();
    let more = unlisted.len().saturating_sub(SHOWN);
    let more = if more > 0 { format!(" and {more} more") } else { String::new() };
    let shown = unlisted[..unlisted.len().min(SHOWN)].join(", ");
    let what = format!("some words of the column \"{header}\" are not known: {shown}{more}; nothing was changed");
    let advice = format!(
        "say what each means: --status-means \"{first}=valid\" (or invalid, risky, unknown); --status COLUMN names another column"
    );
    Err(Error::new(ErrorKind::Question, what, advice))
}

impl Results {
    /// The addresses, each once.
    ///
    /// # Errors
    ///
    /// Where a temporary file cannot be read.
    pub fn each(self) -> Result<EachResult> {
        let mut each = EachResult { sorted: self.sorter.finish()?, next: None, contradicting: 0 };
        each.next = each.read()?;
        Ok(each)
    }
}

impl EachResult {
    fn read(&mut self) -> Result<Option<(String, Why)>> {
        let Some((address, why)) = self.sorted.next()? else { return Ok(None) };
        let why = std::str::from_utf8(why).ok().and_then(|why| Why::from_str(why).ok()).ok_or_else(Error::defect)?;
        Ok(Some((String::from_utf8_lossy(address).into_owned(), why)))
    }

    /// The next address, with what was said of it; unknown where two rows contradict each other.
    ///
    /// # Errors
    ///
    /// Where a temporary file cannot be read.
    #[allow(clippy::should_implement_trait)] // reading may fail
    pub fn next(&mut self) -> Result<Option<(String, Why)>> {
        let Some((address, mut why)) = self.next.take() else { return Ok(None) };
        let mut contradicts = false;
        while let Some((other, said)) = self.read()? {
            if other != address {
                self.next = Some((other, said));
                break;
            }
            contradicts |= said.verdict() != why.verdict();
            why = why.min(said);
        }
        self.contradicting += u64::from(contradicts);
        Ok(Some((address, if contradicts { Why::ReportedUnknown } else { why })))
    }
}
