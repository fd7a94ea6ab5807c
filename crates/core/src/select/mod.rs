//! Pick the audience: conditions on fields, read as words.
//!
//! `country is GB and "Favourite walk" is not Bats and city is filled`. A blank fails every comparison, but
//! `is not` is the plain opposite of `is`.

use crate::columns::ColumnMap;
use crate::error::{Error, ErrorKind, Result};
use crate::job::layout::ColumnRef;
use crate::read::Record;
use crate::write::value::ValueSource;
use unicode_normalization::UnicodeNormalization;

/// What a contact must be to be written: all of these.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Selection {
    /// As the job says it.
    pub text: String,
    conditions: Vec<Condition>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
struct Condition {
    column: ColumnRef,
    test: Test,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Test {
    Is(Vec<String>),
    IsNot(Vec<String>),
    IsBlank,
    IsFilled,
}

/// A word of a condition; in quotes it is never a keyword.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Word {
    text: String,
    is_quoted: bool,
}

impl Selection {
    /// Reads conditions joined by `and`.
    pub fn parse(text: &str) -> Result<Selection> {
        let words = words(text)?;
        let conditions = words.split(|word| word.is("and")).map(condition).collect::<Result<_>>()?;
        Ok(Selection { text: text.to_owned(), conditions })
    }

    /// The columns that it needs.
    pub fn columns(&self) -> impl Iterator<Item = &ColumnRef> {
        self.conditions.iter().map(|condition| &condition.column)
    }
}

impl Word {
    fn is(&self, keyword: &str) -> bool {
        !self.is_quoted && self.text.eq_ignore_ascii_case(keyword)
    }
}

fn wrong(what: String) -> Error {
    let advice = "write a field, then is, is not, is one of, is blank or is filled: country is one of GB, IE";
    Error::new(ErrorKind::Job, what, advice)
}

/// Parts a condition into words; quotes hold together what has blanks, commas stand alone.
fn words(text: &str) -> Result<Vec<Word>> {
    let mut words = Vec::new();
    let mut rest = text.trim_start();
    while let Some(first) = rest.chars().next() {
        let (word, after) = match first {
            '"' => {
                let (inside, after) = rest[1..]
                    .split_once('"')
                    .ok_or_else(|| wrong("the condition has a quote that does not close".to_owned()))?;
                (Word { text: inside.to_owned(), is_quoted: true }, after)
            }
            ',' => (Word { text: ",".to_owned(), is_quoted: false }, &rest[1..]),
            _ => {
                let end = rest.find(|c: char| c.is_whitespace() || c == ',').unwrap_or(rest.len());
                (Word { text: rest[..end].to_owned(), is_quoted: false }, &rest[end..])
            }
        };
        words.push(word);
        rest = after.trim_start();
    }
    Ok(words)
}

fn condition(words: &[Word]) -> Result<Condition> {
    let [column, is, rest @ ..] = words else {
        let said: Vec<&str> = words.iter().map(|word| word.text.as_str()).collect();
        return Err(wrong(format!("\"{}\" is no whole condition", said.join(" "))));
    };
    if !is.is("is") {
        return Err(wrong(format!("after {} stands {}, and no comparison", column.text, is.text)));
    }
    let test = match rest {
        [blank] if blank.is("blank") => Test::IsBlank,
        [filled] if filled.is("filled") => Test::IsFilled,
        [one, of, values @ ..] if one.is("one") && of.is("of") => Test::Is(list(values)?),
        [not, value] if not.is("not") => Test::IsNot(list(std::slice::from_ref(value))?),
        [value] => Test::Is(list(std::slice::from_ref(value))?),
        _ => {
            return Err(wrong(format!(
                "what stands after {} is is no value; one of several words needs quotes",
                column.text
            )));
        }
    };
    Ok(Condition { column: ColumnRef::new(&column.text), test })
}

/// Values with commas between, as they are compared.
fn list(words: &[Word]) -> Result<Vec<String>> {
    let is_comma = |word: &Word| word.is(",");
    let is_alternating = words.iter().enumerate().all(|(place, word)| is_comma(word) == (place % 2 == 1));
    if !is_alternating || words.len().is_multiple_of(2) {
        return Err(wrong("the values need a comma between each two".to_owned()));
    }
    Ok(words.iter().filter(|word| !is_comma(word)).map(|word| comparable(&word.text)).collect())
}

/// NFKC, small letters, one blank for each run of blanks.
fn comparable(text: &str) -> String {
    let folded: String = text.nfkc().flat_map(char::to_lowercase).collect();
    folded.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// A selection, with the columns of one file.
#[derive(Debug, Clone)]
pub struct SelectionPlan {
    conditions: Vec<(ValueSource, Test)>,
}

impl SelectionPlan {
    /// Fits a selection to the columns of a file.
    pub fn new(selection: &Selection, map: &ColumnMap, is_receipt: bool) -> SelectionPlan {
        let fit =
            |condition: &Condition| (ValueSource::new(&condition.column, map, is_receipt), condition.test.clone());
        SelectionPlan { conditions: selection.conditions.iter().map(fit).collect() }
    }

    /// Whether a contact is in the audience. `address` is empty where it is not usable.
    pub fn holds(&self, record: &Record, address: &[u8]) -> bool {
        self.conditions.iter().all(|(source, test)| {
            let value = source.value(record, address);
            let is_one_of = |values: &[String]| values.contains(&comparable(&String::from_utf8_lossy(&value)));
            match test {
                Test::IsBlank => value.is_empty(),
                Test::IsFilled => !value.is_empty(),
                Test::Is(values) => !value.is_empty() && is_one_of(values),
                Test::IsNot(values) => value.is_empty() || !is_one_of(values),
            }
        })
    }
}
